-- A thermometer in melting ice: with the test boil it gives the slope.
CREATE TABLE ice_point (
    id TEXT PRIMARY KEY,
    at TEXT NOT NULL,
    instrument_id TEXT NOT NULL REFERENCES instrument (id),
    typed TEXT NOT NULL,
    reading_c REAL NOT NULL
) STRICT;
CREATE INDEX ice_point_instrument ON ice_point (instrument_id, at);

-- What a reading said, written with it; said anew only when something it rests on changes, with the line that
-- caused it.
CREATE TABLE said (
    seq INTEGER PRIMARY KEY,
    id TEXT NOT NULL UNIQUE,
    line_id TEXT NOT NULL REFERENCES line (id),
    model INTEGER NOT NULL,
    brix REAL,
    sigma_brix REAL NOT NULL,
    own_sigma_brix REAL NOT NULL,
    shared_sigma_brix REAL NOT NULL,
    bound_brix REAL,
    refusal TEXT NOT NULL,
    because TEXT NOT NULL,
    noted_at TEXT NOT NULL
) STRICT;
CREATE INDEX said_line ON said (line_id);

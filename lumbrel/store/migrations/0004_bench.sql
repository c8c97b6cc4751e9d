-- Vials and colour references are instruments too.
CREATE TABLE instrument_new (
    id TEXT PRIMARY KEY,
    kind TEXT NOT NULL CHECK (kind IN (
        'thermometer', 'hydrometer', 'refractometer', 'barometer', 'vial', 'reference')),
    name TEXT NOT NULL UNIQUE,
    detail TEXT NOT NULL CHECK (json_valid(detail)),
    vessel_id TEXT REFERENCES vessel (id),
    retired_at TEXT
) STRICT;
INSERT INTO instrument_new SELECT id, kind, name, detail, vessel_id, retired_at FROM instrument
    ORDER BY rowid;
DROP TABLE instrument;
ALTER TABLE instrument_new RENAME TO instrument;

-- An instrument held against something known: water, a weighed solution, a better instrument.
CREATE TABLE scale_check (
    id TEXT PRIMARY KEY,
    at TEXT NOT NULL,
    instrument_id TEXT NOT NULL REFERENCES instrument (id),
    against TEXT NOT NULL CHECK (against IN ('water', 'solution', 'reference')),
    typed TEXT NOT NULL CHECK (json_valid(typed)),
    true_value REAL NOT NULL,
    error REAL NOT NULL
) STRICT;
CREATE INDEX scale_check_instrument ON scale_check (instrument_id, at);

-- The schools a kitchen follows; a batch keeps those it was opened under.
ALTER TABLE kitchen ADD COLUMN both_units INTEGER NOT NULL DEFAULT 0;
ALTER TABLE kitchen ADD COLUMN schools TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(schools));
ALTER TABLE batch ADD COLUMN schools TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(schools));

-- What is plugged into this machine and used as an instrument. It is of the machine, not of the book: it is in no logbook.
CREATE TABLE source (
    wire TEXT NOT NULL,
    address TEXT NOT NULL,
    name TEXT NOT NULL,
    unit TEXT NOT NULL CHECK (unit IN ('C', 'F')),
    instrument_id TEXT NOT NULL UNIQUE REFERENCES instrument (id),
    since TEXT NOT NULL,
    PRIMARY KEY (wire, address)
) STRICT, WITHOUT ROWID;

-- A second folder for backups, on another disk: at most one.
CREATE TABLE elsewhere (
    one INTEGER PRIMARY KEY CHECK (one = 1),
    folder TEXT NOT NULL,
    since TEXT NOT NULL,
    filled_at TEXT
) STRICT;

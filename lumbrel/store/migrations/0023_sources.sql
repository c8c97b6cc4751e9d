-- One that is plugged in may tell of more than one thing, and of other things than temperature.
CREATE TABLE source_of (
    wire TEXT NOT NULL,
    address TEXT NOT NULL,
    quantity TEXT NOT NULL CHECK (quantity IN ('temperature', 'pressure', 'mass')),
    name TEXT NOT NULL,
    unit TEXT NOT NULL,
    instrument_id TEXT NOT NULL UNIQUE REFERENCES instrument (id),
    since TEXT NOT NULL,
    PRIMARY KEY (wire, address, quantity)
) STRICT, WITHOUT ROWID;
INSERT INTO source_of SELECT wire, address, 'temperature', name, unit, instrument_id, since FROM source;
DROP TABLE source;
ALTER TABLE source_of RENAME TO source;

-- What this machine speaks with that is not plugged into it: ports and folders that are listened to, the kitchen's
-- broker, addresses that are told. Without their secrets, which lie in a file of their own beside the record.
CREATE TABLE outside (
    sort TEXT NOT NULL,
    address TEXT NOT NULL,
    detail TEXT NOT NULL CHECK (json_valid(detail)),
    since TEXT NOT NULL,
    PRIMARY KEY (sort, address)
) STRICT, WITHOUT ROWID;

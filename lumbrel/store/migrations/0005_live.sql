-- A probe over HTTP proves who it is by a token; only its hash is kept.
CREATE TABLE device_token (
    hash TEXT PRIMARY KEY,
    instrument_id TEXT NOT NULL REFERENCES instrument (id),
    made_at TEXT NOT NULL,
    revoked_at TEXT
) STRICT;

-- Samples that were not believed, by reason, so that the page can say so.
CREATE TABLE sample_trouble (
    instrument_id TEXT NOT NULL REFERENCES instrument (id),
    reason TEXT NOT NULL,
    first_at TEXT NOT NULL,
    last_at TEXT NOT NULL,
    count INTEGER NOT NULL,
    PRIMARY KEY (instrument_id, reason)
) STRICT, WITHOUT ROWID;

-- Alarms of a batch. Raised once for each time their cause begins.
CREATE TABLE alarm (
    id INTEGER PRIMARY KEY,
    batch_id TEXT NOT NULL REFERENCES batch (id),
    kind TEXT NOT NULL,
    raised_at TEXT NOT NULL,
    words TEXT NOT NULL,
    acknowledged_at TEXT,
    acknowledged_by TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX alarm_batch ON alarm (batch_id, kind);

ALTER TABLE kitchen ADD COLUMN alarms TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(alarms));

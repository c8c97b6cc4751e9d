-- What was promised of a draw, and what the first cold check found: one row a batch, so that a season's
-- count reads no lines.
CREATE TABLE promise (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    season INTEGER NOT NULL,
    promised_brix REAL NOT NULL,
    off_brix REAL NOT NULL,
    held INTEGER NOT NULL
) STRICT;
CREATE INDEX promise_season ON promise (season, held);

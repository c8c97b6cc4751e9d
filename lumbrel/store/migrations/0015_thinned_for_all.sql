-- Some records of version 0.4 were made before this table came into theirs.
CREATE TABLE IF NOT EXISTS thinned (
    device INTEGER PRIMARY KEY REFERENCES device (number),
    until INTEGER NOT NULL
) STRICT;

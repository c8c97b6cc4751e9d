-- Before the kitchen: trees, tanks, and the sap book with its lines, which are never changed.

CREATE TABLE tree (
    id TEXT PRIMARY KEY,
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    name TEXT NOT NULL,
    kind TEXT NOT NULL,
    UNIQUE (woodlot_id, name)
) STRICT;

CREATE TABLE tank (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    capacity_l REAL NOT NULL CHECK (capacity_l > 0),
    place TEXT NOT NULL CHECK (place IN ('outside', 'snow', 'inside'))
) STRICT;

CREATE TABLE sap_line (
    id TEXT PRIMARY KEY,
    kind TEXT NOT NULL,
    woodlot_id TEXT REFERENCES woodlot (id),
    tree_id TEXT REFERENCES tree (id),
    tank_id TEXT REFERENCES tank (id),
    at TEXT NOT NULL,
    noted_at TEXT NOT NULL,
    typed TEXT NOT NULL CHECK (json_valid(typed)),
    facts TEXT NOT NULL CHECK (json_valid(facts)),
    facts_version INTEGER NOT NULL DEFAULT 1,
    supersedes TEXT UNIQUE REFERENCES sap_line (id),
    why TEXT NOT NULL DEFAULT '',
    initials TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX sap_line_tree ON sap_line (tree_id, at);
CREATE INDEX sap_line_tank ON sap_line (tank_id, at);
CREATE INDEX sap_line_woodlot ON sap_line (woodlot_id, kind, at);
CREATE INDEX sap_line_kind ON sap_line (kind, at);
CREATE INDEX sap_line_at ON sap_line (at);

CREATE TRIGGER sap_line_is_never_updated BEFORE UPDATE ON sap_line
BEGIN SELECT RAISE(ABORT, 'a line of the sap book is never changed; strike it'); END;
CREATE TRIGGER sap_line_is_never_deleted BEFORE DELETE ON sap_line
BEGIN SELECT RAISE(ABORT, 'a line of the sap book is never deleted; strike it'); END;
CREATE TRIGGER sap_line_is_never_replaced BEFORE INSERT ON sap_line
WHEN EXISTS (SELECT 1 FROM sap_line WHERE id = NEW.id)
    OR EXISTS (SELECT 1 FROM sap_line WHERE supersedes = NEW.supersedes)
    OR EXISTS (SELECT 1 FROM sap_line WHERE rowid = NEW.rowid)
BEGIN SELECT RAISE(ABORT, 'a line of the sap book is never overwritten; strike it'); END;

-- What follows from the lines, kept by the write that changes it.

CREATE TABLE sap_run (
    line_id TEXT NOT NULL REFERENCES sap_line (id),
    day TEXT NOT NULL,
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    litres REAL NOT NULL,
    solids_kg REAL NOT NULL,
    taps REAL NOT NULL,
    days INTEGER NOT NULL,
    PRIMARY KEY (line_id, day)
) STRICT, WITHOUT ROWID;
CREATE INDEX sap_run_day ON sap_run (woodlot_id, day);

CREATE TABLE sap_of_tree (
    line_id TEXT NOT NULL REFERENCES sap_line (id),
    tree_id TEXT NOT NULL REFERENCES tree (id),
    day TEXT NOT NULL,
    litres REAL NOT NULL,
    solids_kg REAL NOT NULL,
    PRIMARY KEY (line_id, tree_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX sap_of_tree_day ON sap_of_tree (tree_id, day);

CREATE TABLE sap_weather (
    line_id TEXT NOT NULL REFERENCES sap_line (id),
    day TEXT NOT NULL,
    measured INTEGER NOT NULL,
    night_c REAL NOT NULL,
    day_c REAL NOT NULL,
    noted_at TEXT NOT NULL,
    PRIMARY KEY (line_id, day)
) STRICT, WITHOUT ROWID;
CREATE INDEX sap_weather_day ON sap_weather (day);

CREATE TABLE sap_tap (
    line_id TEXT PRIMARY KEY REFERENCES sap_line (id),
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    tree_id TEXT NOT NULL REFERENCES tree (id),
    season INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX sap_tap_season ON sap_tap (woodlot_id, season);

ALTER TABLE kitchen ADD COLUMN sap TEXT NOT NULL DEFAULT '{}';

CREATE TABLE tank_draw (
    entry_id TEXT NOT NULL REFERENCES entry (id),
    batch_id TEXT NOT NULL REFERENCES batch (id),
    tank_id TEXT NOT NULL REFERENCES tank (id),
    at TEXT NOT NULL,
    mass_kg REAL NOT NULL CHECK (mass_kg > 0),
    brix REAL NOT NULL,
    PRIMARY KEY (entry_id, tank_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX tank_draw_tank ON tank_draw (tank_id, at);
CREATE INDEX tank_draw_batch ON tank_draw (batch_id);
CREATE INDEX tank_draw_at ON tank_draw (at);

CREATE TABLE burn_seen (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    at TEXT NOT NULL,
    setup TEXT NOT NULL,
    fuel TEXT NOT NULL,
    needed_mj REAL NOT NULL,
    fuel_mj REAL NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX burn_seen_setup ON burn_seen (setup, fuel, at);
CREATE INDEX burn_seen_at ON burn_seen (at);

CREATE TABLE kitchen (
    only INTEGER PRIMARY KEY CHECK (only = 1),
    name TEXT NOT NULL,
    elevation_m REAL,
    time_zone TEXT NOT NULL,
    target_brix REAL NOT NULL,
    draw_margin_brix REAL NOT NULL,
    units TEXT NOT NULL CHECK (json_valid(units))
) STRICT;

CREATE TABLE vessel (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    shape TEXT NOT NULL,
    sizes_mm TEXT NOT NULL CHECK (json_valid(sizes_mm)),
    purpose TEXT NOT NULL CHECK (purpose IN ('finisher', 'candy')),
    carry_over_fraction REAL NOT NULL
) STRICT;

CREATE TABLE instrument (
    id TEXT PRIMARY KEY,
    kind TEXT NOT NULL CHECK (kind IN ('thermometer', 'hydrometer', 'refractometer', 'barometer')),
    name TEXT NOT NULL UNIQUE,
    detail TEXT NOT NULL CHECK (json_valid(detail)),
    vessel_id TEXT REFERENCES vessel (id)
) STRICT;

CREATE TABLE woodlot (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    sugar_kind TEXT NOT NULL CHECK (sugar_kind IN ('maple', 'walnut', 'birch'))
) STRICT;

-- Pressure as a person gave it: raw as typed, understood in Pa at the pan.
CREATE TABLE pressure_note (
    id TEXT PRIMARY KEY,
    at TEXT NOT NULL,
    basis TEXT NOT NULL CHECK (basis IN ('station', 'forecast', 'elevation')),
    typed TEXT NOT NULL CHECK (json_valid(typed)),
    station_pressure_pa REAL NOT NULL
) STRICT;
CREATE INDEX pressure_note_at ON pressure_note (at);

CREATE TABLE test_boil (
    id TEXT PRIMARY KEY,
    at TEXT NOT NULL,
    instrument_id TEXT NOT NULL REFERENCES instrument (id),
    typed TEXT NOT NULL,
    reading_c REAL NOT NULL,
    station_pressure_pa REAL NOT NULL,
    pressure_sigma_pa REAL NOT NULL,
    basis TEXT NOT NULL
) STRICT;
CREATE INDEX test_boil_instrument ON test_boil (instrument_id, at);

CREATE TABLE batch (
    id TEXT PRIMARY KEY,
    code TEXT NOT NULL UNIQUE,
    opened_at TEXT NOT NULL,
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    vessel_id TEXT NOT NULL REFERENCES vessel (id),
    sugar_kind TEXT NOT NULL CHECK (sugar_kind IN ('maple', 'walnut', 'birch')),
    target_brix REAL NOT NULL,
    draw_margin_brix REAL NOT NULL
) STRICT;
CREATE INDEX batch_vessel ON batch (vessel_id, opened_at);

-- The slip. Nothing here is ever updated or deleted: an amendment is a new row.
CREATE TABLE entry (
    id TEXT PRIMARY KEY,
    batch_id TEXT NOT NULL REFERENCES batch (id),
    kind TEXT NOT NULL,
    at TEXT NOT NULL,
    noted_at TEXT NOT NULL,
    typed TEXT NOT NULL CHECK (json_valid(typed)),
    facts TEXT NOT NULL CHECK (json_valid(facts)),
    supersedes TEXT UNIQUE REFERENCES entry (id),
    why TEXT NOT NULL DEFAULT '',
    initials TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX entry_batch ON entry (batch_id, at);

CREATE TRIGGER entry_is_never_updated BEFORE UPDATE ON entry
BEGIN SELECT RAISE(ABORT, 'an entry is never changed; amend it'); END;
CREATE TRIGGER entry_is_never_deleted BEFORE DELETE ON entry
BEGIN SELECT RAISE(ABORT, 'an entry is never deleted; amend it'); END;

CREATE TABLE lot (
    code TEXT PRIMARY KEY,
    batch_id TEXT NOT NULL UNIQUE REFERENCES batch (id)
) STRICT;

CREATE TABLE jar (
    entry_id TEXT NOT NULL REFERENCES entry (id),
    lot_code TEXT NOT NULL REFERENCES lot (code),
    size_ml REAL NOT NULL CHECK (size_ml > 0),
    count INTEGER NOT NULL CHECK (count > 0)
) STRICT;
CREATE INDEX jar_lot ON jar (lot_code);

-- What a device sent: degC for a probe, Pa for a barometer.
CREATE TABLE sample (
    instrument_id TEXT NOT NULL REFERENCES instrument (id),
    at TEXT NOT NULL,
    value REAL NOT NULL,
    PRIMARY KEY (instrument_id, at)
) STRICT, WITHOUT ROWID;

-- The demo's own clock and simulator, so that it resumes where it stopped.
CREATE TABLE demo_state (
    only INTEGER PRIMARY KEY CHECK (only = 1),
    at TEXT NOT NULL,
    state TEXT NOT NULL CHECK (json_valid(state))
) STRICT;

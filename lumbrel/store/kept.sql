-- What follows from lines and flows. `lumbrel check` makes it anew and compares; a version that keeps
-- something else drops all of it first. Nothing that anybody wrote stands here, so nothing migrates.

-- What is registered, as it is now.
CREATE TABLE vessel (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    shape TEXT NOT NULL,
    sizes_mm TEXT NOT NULL CHECK (json_valid(sizes_mm)),
    purpose TEXT NOT NULL CHECK (purpose IN ('finisher', 'candy')),
    carry_over_fraction REAL NOT NULL,
    fire TEXT NOT NULL DEFAULT '' CHECK (fire IN ('', 'stove', 'flat', 'fluted', 'steam'))
) STRICT;
CREATE TABLE woodlot (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    sugar_kind TEXT NOT NULL CHECK (sugar_kind IN ('maple', 'walnut', 'birch')),
    retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1))
) STRICT;
CREATE TABLE instrument (
    id TEXT PRIMARY KEY,
    kind TEXT NOT NULL CHECK (kind IN (
        'thermometer', 'hydrometer', 'refractometer', 'barometer', 'vial', 'reference', 'scale')),
    name TEXT NOT NULL UNIQUE,
    detail TEXT NOT NULL CHECK (json_valid(detail)),
    vessel_id TEXT REFERENCES vessel (id),
    retired_at TEXT,
    registered_at TEXT
) STRICT;
CREATE TRIGGER instrument_is_a_device AFTER INSERT ON instrument
WHEN NOT EXISTS (SELECT 1 FROM device WHERE instrument_id = NEW.id)
BEGIN INSERT INTO device (instrument_id) VALUES (NEW.id); END;
CREATE TABLE tree (
    id TEXT PRIMARY KEY,
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    name TEXT NOT NULL,
    kind TEXT NOT NULL,
    retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1)),
    UNIQUE (woodlot_id, name)
) STRICT;
CREATE TABLE tank (
    id TEXT PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    capacity_l REAL NOT NULL CHECK (capacity_l > 0),
    place TEXT NOT NULL CHECK (place IN ('outside', 'snow', 'inside')),
    retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1))
) STRICT;

-- A batch as it was opened. The target and the methods in force are kept with it.
CREATE TABLE batch (
    id TEXT PRIMARY KEY,
    code TEXT NOT NULL UNIQUE,
    opened_at TEXT NOT NULL,
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    vessel_id TEXT NOT NULL REFERENCES vessel (id),
    sugar_kind TEXT NOT NULL CHECK (sugar_kind IN ('maple', 'walnut', 'birch')),
    target_brix REAL NOT NULL,
    draw_margin_brix REAL NOT NULL,
    methods TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(methods))
) STRICT;
CREATE INDEX batch_vessel ON batch (vessel_id, opened_at);
CREATE INDEX batch_opened ON batch (opened_at);

-- The settings that hold now.
CREATE TABLE kitchen (
    only INTEGER PRIMARY KEY CHECK (only = 1),
    name TEXT NOT NULL,
    elevation_m REAL,
    time_zone TEXT NOT NULL,
    target_brix REAL NOT NULL,
    draw_margin_brix REAL NOT NULL,
    units TEXT NOT NULL,
    both_units INTEGER NOT NULL,
    methods TEXT NOT NULL,
    alarms TEXT NOT NULL,
    toll_percent REAL NOT NULL,
    labels TEXT NOT NULL,
    logo TEXT NOT NULL,
    sap TEXT NOT NULL
) STRICT;

-- Sugar in one place under one code.
CREATE TABLE parcel (
    id TEXT PRIMARY KEY,
    kind TEXT NOT NULL CHECK (kind IN ('delivery', 'charge', 'bulk', 'lot', 'confection')),
    code TEXT NOT NULL,
    opened_at TEXT NOT NULL,
    batch_id TEXT NOT NULL REFERENCES batch (id),
    woodlot_id TEXT REFERENCES woodlot (id),
    UNIQUE (kind, code)
) STRICT;
CREATE INDEX parcel_batch ON parcel (batch_id);
CREATE INDEX parcel_code ON parcel (code);
CREATE INDEX parcel_opened ON parcel (opened_at);
CREATE INDEX parcel_woodlot ON parcel (woodlot_id, opened_at);

-- What a standing line moved. No source: from outside; no target: out. A parcel is made anew when its first line
-- is another, so what refers to it is looked at in the end.
CREATE TABLE flow (
    entry_id TEXT NOT NULL REFERENCES line (id),
    line INTEGER NOT NULL,
    source_id TEXT REFERENCES parcel (id) DEFERRABLE INITIALLY DEFERRED,
    target_id TEXT REFERENCES parcel (id) DEFERRABLE INITIALLY DEFERRED,
    mass_kg REAL NOT NULL CHECK (mass_kg > 0),
    brix REAL NOT NULL,
    pack_ml REAL,
    packs INTEGER,
    reason TEXT NOT NULL,
    for_woodlot_id TEXT REFERENCES woodlot (id),
    PRIMARY KEY (entry_id, line)
) STRICT, WITHOUT ROWID;
CREATE INDEX flow_source ON flow (source_id);
CREATE INDEX flow_target ON flow (target_id);

-- Packs of each size in a lot: in less out.
CREATE TABLE stock (
    parcel_id TEXT NOT NULL REFERENCES parcel (id) DEFERRABLE INITIALLY DEFERRED,
    pack_ml REAL NOT NULL,
    packs INTEGER NOT NULL,
    PRIMARY KEY (parcel_id, pack_ml)
) STRICT, WITHOUT ROWID;

-- Whose sugar it is that flowed.
CREATE TABLE flow_share (
    entry_id TEXT NOT NULL,
    line INTEGER NOT NULL,
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    solids_kg REAL NOT NULL,
    PRIMARY KEY (entry_id, line, woodlot_id)
) STRICT, WITHOUT ROWID;

-- Where a batch stands, and how its burner did.
CREATE TABLE standing (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    vessel_id TEXT NOT NULL REFERENCES vessel (id),
    taken_at TEXT NOT NULL,
    drawn_at TEXT,
    rate_kg_per_min REAL,
    strays REAL,
    left_at TEXT
) STRICT, WITHOUT ROWID;
CREATE INDEX standing_vessel ON standing (vessel_id, drawn_at);
CREATE INDEX standing_taken ON standing (vessel_id, taken_at);
CREATE INDEX standing_drawn ON standing (drawn_at);
CREATE INDEX standing_left ON standing (vessel_id, left_at);
CREATE INDEX standing_off ON standing (left_at);

-- The stations a batch waits for.
CREATE TABLE waits (
    station TEXT NOT NULL,
    batch_id TEXT NOT NULL REFERENCES batch (id),
    taken_at TEXT NOT NULL,
    PRIMARY KEY (station, taken_at, batch_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX waits_batch ON waits (batch_id);

-- A hot reading and the cold one after it, of one draw and one hydrometer.
CREATE TABLE pair (
    instrument_id TEXT NOT NULL REFERENCES instrument (id),
    cold_at TEXT NOT NULL,
    batch_id TEXT NOT NULL REFERENCES batch (id),
    hot_id TEXT NOT NULL REFERENCES line (id),
    cold_id TEXT NOT NULL REFERENCES line (id),
    PRIMARY KEY (instrument_id, cold_at, batch_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX pair_batch ON pair (batch_id);

-- How often a batch read an instrument, and when last; and in all.
CREATE TABLE used (
    instrument_id TEXT NOT NULL REFERENCES instrument (id),
    last_at TEXT NOT NULL,
    batch_id TEXT NOT NULL REFERENCES batch (id),
    times INTEGER NOT NULL,
    PRIMARY KEY (instrument_id, last_at, batch_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX used_batch ON used (batch_id);

CREATE TABLE used_in_all (
    instrument_id TEXT PRIMARY KEY REFERENCES instrument (id),
    times INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE TRIGGER used_more AFTER INSERT ON used
BEGIN
    INSERT INTO used_in_all VALUES (NEW.instrument_id, NEW.times)
    ON CONFLICT (instrument_id) DO UPDATE SET times = times + NEW.times;
END;
CREATE TRIGGER used_less AFTER DELETE ON used
BEGIN
    UPDATE used_in_all SET times = times - OLD.times WHERE instrument_id = OLD.instrument_id;
    DELETE FROM used_in_all WHERE instrument_id = OLD.instrument_id AND times = 0;
END;

-- What was promised of a draw, and how far off the first cold check found it.
CREATE TABLE promise (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    season INTEGER NOT NULL,
    promised_brix REAL NOT NULL,
    off_brix REAL NOT NULL,
    held INTEGER NOT NULL
) STRICT;
CREATE INDEX promise_season ON promise (season, held);

-- How far the syrup of a woodlot boiled off the believed curve.
CREATE TABLE boil_shift (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    sugar_kind TEXT NOT NULL,
    learnt_at TEXT NOT NULL,
    shift_k REAL NOT NULL,
    sigma_k REAL NOT NULL,
    shared_k REAL NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX boil_shift_woodlot ON boil_shift (woodlot_id, sugar_kind, learnt_at);

-- What a batch showed of its filter: what stayed in it, how fast it ran new, what a layer passed.
CREATE TABLE filter_seen (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    method TEXT NOT NULL,
    filtered_at TEXT NOT NULL,
    loss_kg REAL,
    rate_l_min REAL,
    passes_l REAL
) STRICT, WITHOUT ROWID;
CREATE INDEX filter_seen_method ON filter_seen (method, filtered_at);

-- The colour of each batch that was graded.
CREATE TABLE colour_seen (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    season INTEGER NOT NULL,
    graded_at TEXT NOT NULL,
    transmittance REAL NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX colour_seen_season ON colour_seen (season, graded_at);

-- What a cook came to: how high, how it was cooled and stirred, what was lost, how it was scored.
CREATE TABLE cook_seen (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    vessel_id TEXT NOT NULL REFERENCES vessel (id),
    piece TEXT NOT NULL,
    cooked_at TEXT NOT NULL,
    above_water_k REAL NOT NULL,
    stir_c REAL,
    bath TEXT NOT NULL,
    film REAL,
    litres REAL,
    stirred_min REAL,
    loss REAL,
    texture INTEGER,
    grain INTEGER,
    taste INTEGER
) STRICT, WITHOUT ROWID;
CREATE INDEX cook_seen_vessel ON cook_seen (vessel_id, cooked_at);
CREATE INDEX cook_seen_piece ON cook_seen (piece, cooked_at);
CREATE INDEX cook_seen_at ON cook_seen (cooked_at);

-- The lots as the shelf lists them, by woodlot, and the sums of each season.
CREATE TABLE lot_now (
    parcel_id TEXT PRIMARY KEY REFERENCES parcel (id) DEFERRABLE INITIALLY DEFERRED,
    code TEXT NOT NULL,
    batch_id TEXT NOT NULL REFERENCES batch (id),
    taken_at TEXT NOT NULL,
    season INTEGER NOT NULL,
    woodlot_ids TEXT NOT NULL,
    sugar_kind TEXT NOT NULL,
    grade TEXT NOT NULL,
    for_processing INTEGER NOT NULL,
    brix REAL NOT NULL,
    filled INTEGER NOT NULL,
    filled_ml REAL NOT NULL,
    jars INTEGER NOT NULL,
    volume_ml REAL NOT NULL,
    packed_at TEXT NOT NULL DEFAULT '',
    checked_at TEXT,
    confection TEXT NOT NULL DEFAULT ''
) STRICT, WITHOUT ROWID;
CREATE INDEX lot_now_newest ON lot_now (taken_at, code);
CREATE INDEX lot_now_season ON lot_now (season, taken_at);
CREATE INDEX lot_now_batch ON lot_now (batch_id);
CREATE INDEX lot_now_grade ON lot_now (grade, taken_at);

CREATE TABLE lot_woodlot (
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    taken_at TEXT NOT NULL,
    parcel_id TEXT NOT NULL REFERENCES parcel (id) DEFERRABLE INITIALLY DEFERRED,
    PRIMARY KEY (woodlot_id, taken_at, parcel_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX lot_woodlot_parcel ON lot_woodlot (parcel_id);

CREATE TABLE shelf_now (
    season INTEGER PRIMARY KEY,
    lots INTEGER NOT NULL,
    jars INTEGER NOT NULL,
    volume_ml REAL NOT NULL
) STRICT;
CREATE TRIGGER lot_now_more AFTER INSERT ON lot_now
BEGIN
    INSERT INTO shelf_now VALUES (
        NEW.season, 1, CASE WHEN NEW.confection = '' THEN NEW.jars ELSE 0 END, NEW.volume_ml)
    ON CONFLICT (season) DO UPDATE SET
        lots = lots + 1, jars = jars + excluded.jars, volume_ml = volume_ml + excluded.volume_ml;
END;
CREATE TRIGGER lot_now_less AFTER DELETE ON lot_now
BEGIN
    UPDATE shelf_now SET
        lots = lots - 1,
        jars = jars - CASE WHEN OLD.confection = '' THEN OLD.jars ELSE 0 END,
        volume_ml = volume_ml - OLD.volume_ml
    WHERE season = OLD.season;
    DELETE FROM shelf_now WHERE season = OLD.season AND lots = 0;
END;

-- What ran, by day, of a woodlot and of a tree; the air; and the taps of a season.
CREATE TABLE sap_run (
    line_id TEXT NOT NULL REFERENCES line (id),
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
    line_id TEXT NOT NULL REFERENCES line (id),
    tree_id TEXT NOT NULL REFERENCES tree (id),
    day TEXT NOT NULL,
    litres REAL NOT NULL,
    solids_kg REAL NOT NULL,
    PRIMARY KEY (line_id, tree_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX sap_of_tree_day ON sap_of_tree (tree_id, day);

CREATE TABLE sap_weather (
    line_id TEXT NOT NULL REFERENCES line (id),
    day TEXT NOT NULL,
    measured INTEGER NOT NULL,
    night_c REAL NOT NULL,
    day_c REAL NOT NULL,
    noted_at TEXT NOT NULL,
    PRIMARY KEY (line_id, day)
) STRICT, WITHOUT ROWID;
CREATE INDEX sap_weather_day ON sap_weather (day);

CREATE TABLE sap_tap (
    line_id TEXT PRIMARY KEY REFERENCES line (id),
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    tree_id TEXT NOT NULL REFERENCES tree (id),
    season INTEGER NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX sap_tap_season ON sap_tap (woodlot_id, season);

-- What slips took from tanks.
CREATE TABLE tank_draw (
    entry_id TEXT NOT NULL REFERENCES line (id),
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

-- What a boil-down burned.
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

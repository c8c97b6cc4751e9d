-- What a record is: a kitchen's own, the demonstration, or a practice pan.
CREATE TABLE nature (
    only INTEGER PRIMARY KEY CHECK (only = 1),
    is_a TEXT NOT NULL CHECK (is_a IN ('own', 'demo', 'practice')),
    kept_version INTEGER NOT NULL DEFAULT 0
) STRICT;
INSERT INTO nature (only, is_a)
    SELECT 1, CASE WHEN EXISTS (SELECT 1 FROM demo_state) THEN 'demo' ELSE 'own' END;

-- Settings are dated notes: what held at a line's moment goes on holding for it. The kitchen's row
-- is what holds now, kept by the write that changes it.
CREATE TABLE setting (
    seq INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    at TEXT NOT NULL,
    noted_at TEXT NOT NULL,
    value TEXT NOT NULL CHECK (json_valid(value))
) STRICT;
CREATE INDEX setting_name ON setting (name, seq);
ALTER TABLE kitchen ADD COLUMN toll_percent REAL NOT NULL DEFAULT 0;
INSERT INTO setting (name, at, noted_at, value)
    SELECT 'elevation_m', '0001-01-01T00:00:00.000Z', '0001-01-01T00:00:00.000Z', json_quote(elevation_m)
    FROM kitchen WHERE elevation_m IS NOT NULL;
INSERT INTO setting (name, at, noted_at, value)
    SELECT 'time_zone', '0001-01-01T00:00:00.000Z', '0001-01-01T00:00:00.000Z', json_quote(time_zone)
    FROM kitchen WHERE time_zone <> '';
CREATE TRIGGER setting_is_never_updated BEFORE UPDATE ON setting
BEGIN SELECT RAISE(ABORT, 'a setting is never changed; note a new one'); END;
CREATE TRIGGER setting_is_never_deleted BEFORE DELETE ON setting
BEGIN SELECT RAISE(ABORT, 'a setting is never deleted; note a new one'); END;
CREATE TRIGGER setting_is_never_replaced BEFORE INSERT ON setting
WHEN EXISTS (SELECT 1 FROM setting WHERE seq = NEW.seq)
BEGIN SELECT RAISE(ABORT, 'a setting is never changed; note a new one'); END;

-- When an instrument came into use: before, it says nothing of any batch.
ALTER TABLE instrument ADD COLUMN registered_at TEXT;

-- No statement overwrites a line: not by its id, not by what it supersedes, not by its row.
CREATE TRIGGER entry_is_never_replaced BEFORE INSERT ON entry
WHEN EXISTS (SELECT 1 FROM entry WHERE id = NEW.id)
    OR EXISTS (SELECT 1 FROM entry WHERE supersedes = NEW.supersedes)
    OR EXISTS (SELECT 1 FROM entry WHERE rowid = NEW.rowid)
BEGIN SELECT RAISE(ABORT, 'an entry is never overwritten; amend it'); END;
CREATE INDEX entry_kind ON entry (kind, at);
CREATE INDEX batch_opened ON batch (opened_at);
CREATE INDEX alarm_ringing ON alarm (id) WHERE acknowledged_at IS NULL;

-- A quantity of sugar in one place under one code.
CREATE TABLE parcel (
    id TEXT PRIMARY KEY,
    kind TEXT NOT NULL CHECK (kind IN ('delivery', 'charge', 'bulk', 'lot', 'confection')),
    code TEXT NOT NULL,
    opened_at TEXT NOT NULL,
    batch_id TEXT REFERENCES batch (id),
    woodlot_id TEXT REFERENCES woodlot (id),
    UNIQUE (kind, code)
) STRICT;
CREATE INDEX parcel_batch ON parcel (batch_id);
CREATE INDEX parcel_code ON parcel (code);
CREATE INDEX parcel_opened ON parcel (opened_at);
CREATE INDEX parcel_woodlot ON parcel (woodlot_id, opened_at);

-- What a line moved, written with it. No source: from outside; no target: out.
CREATE TABLE flow (
    entry_id TEXT NOT NULL REFERENCES entry (id),
    line INTEGER NOT NULL,
    source_id TEXT REFERENCES parcel (id),
    target_id TEXT REFERENCES parcel (id),
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

-- A batch opened by mistake: what its lines moved counts no more.
CREATE TABLE called_off (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id)
) STRICT, WITHOUT ROWID;

CREATE VIEW flow_now AS
    SELECT flow.* FROM flow
    WHERE NOT EXISTS (SELECT 1 FROM entry WHERE entry.supersedes = flow.entry_id)
      AND NOT EXISTS (SELECT 1 FROM entry JOIN called_off ON called_off.batch_id = entry.batch_id
                      WHERE entry.id = flow.entry_id);

-- Which parcel of a kind has gone into which of the same kind, by any way: no flow runs in a circle.
CREATE TABLE reach (
    source_id TEXT NOT NULL REFERENCES parcel (id),
    target_id TEXT NOT NULL REFERENCES parcel (id),
    PRIMARY KEY (source_id, target_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX reach_target ON reach (target_id);
CREATE TRIGGER flow_never_runs_in_a_circle BEFORE INSERT ON flow
WHEN NEW.source_id = NEW.target_id
    OR EXISTS (SELECT 1 FROM reach WHERE source_id = NEW.target_id AND target_id = NEW.source_id)
BEGIN SELECT RAISE(ABORT, 'what is poured would come back to where it came from'); END;
CREATE TRIGGER flow_reaches AFTER INSERT ON flow
WHEN (SELECT kind FROM parcel WHERE id = NEW.source_id) = (SELECT kind FROM parcel WHERE id = NEW.target_id)
BEGIN
    INSERT OR IGNORE INTO reach
        SELECT above.id, below.id
        FROM (SELECT source_id AS id FROM reach WHERE target_id = NEW.source_id
              UNION SELECT NEW.source_id) AS above,
             (SELECT target_id AS id FROM reach WHERE source_id = NEW.target_id
              UNION SELECT NEW.target_id) AS below;
END;

-- Packs of each size in a parcel: in less out. Kept, like all that follows, by the write that
-- changes it; `lumbrel check` makes it anew and compares.
CREATE TABLE stock (
    parcel_id TEXT NOT NULL REFERENCES parcel (id),
    pack_ml REAL NOT NULL,
    packs INTEGER NOT NULL,
    PRIMARY KEY (parcel_id, pack_ml)
) STRICT, WITHOUT ROWID;
CREATE TRIGGER flow_takes_no_more_than_there_is BEFORE INSERT ON flow
WHEN NEW.packs IS NOT NULL
    AND (SELECT kind FROM parcel WHERE id = NEW.source_id) IN ('lot', 'confection')
    AND NEW.packs > coalesce((SELECT packs FROM stock
                              WHERE parcel_id = NEW.source_id AND pack_ml = NEW.pack_ml), 0)
BEGIN SELECT RAISE(ABORT, 'more packs would leave than are there'); END;
CREATE TRIGGER flow_brings_packs AFTER INSERT ON flow
WHEN NEW.packs IS NOT NULL AND NEW.target_id IS NOT NULL
BEGIN
    INSERT INTO stock VALUES (NEW.target_id, NEW.pack_ml, NEW.packs)
    ON CONFLICT (parcel_id, pack_ml) DO UPDATE SET packs = packs + NEW.packs;
END;
CREATE TRIGGER flow_takes_packs AFTER INSERT ON flow
WHEN NEW.packs IS NOT NULL
    AND (SELECT kind FROM parcel WHERE id = NEW.source_id) IN ('lot', 'confection')
BEGIN
    UPDATE stock SET packs = packs - NEW.packs
    WHERE parcel_id = NEW.source_id AND pack_ml = NEW.pack_ml;
END;

-- Whose sugar it is that flowed.
CREATE TABLE flow_share (
    entry_id TEXT NOT NULL,
    line INTEGER NOT NULL,
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    solids_kg REAL NOT NULL,
    PRIMARY KEY (entry_id, line, woodlot_id)
) STRICT, WITHOUT ROWID;

-- Where a batch stands.
CREATE TABLE standing (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    vessel_id TEXT NOT NULL REFERENCES vessel (id),
    taken_at TEXT NOT NULL,
    drawn_at TEXT,
    rate_kg_per_min REAL
) STRICT, WITHOUT ROWID;
CREATE INDEX standing_vessel ON standing (vessel_id, drawn_at);
CREATE INDEX standing_taken ON standing (vessel_id, taken_at);
CREATE INDEX standing_drawn ON standing (drawn_at);
CREATE TABLE waits (
    station TEXT NOT NULL,
    batch_id TEXT NOT NULL REFERENCES batch (id),
    taken_at TEXT NOT NULL,
    PRIMARY KEY (station, taken_at, batch_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX waits_batch ON waits (batch_id);

-- Draws that a hydrometer read hot and cold.
CREATE TABLE pair (
    instrument_id TEXT NOT NULL REFERENCES instrument (id),
    cold_at TEXT NOT NULL,
    batch_id TEXT NOT NULL REFERENCES batch (id),
    hot_id TEXT NOT NULL REFERENCES entry (id),
    cold_id TEXT NOT NULL REFERENCES entry (id),
    PRIMARY KEY (instrument_id, cold_at, batch_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX pair_batch ON pair (batch_id);

-- How often a batch read each instrument, and when last.
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

-- The lots, as the shelf lists them.
CREATE TABLE lot_now (
    parcel_id TEXT PRIMARY KEY REFERENCES parcel (id),
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
    volume_ml REAL NOT NULL
) STRICT, WITHOUT ROWID;
CREATE INDEX lot_now_newest ON lot_now (taken_at, code);
CREATE INDEX lot_now_season ON lot_now (season, taken_at);
CREATE INDEX lot_now_batch ON lot_now (batch_id);
CREATE INDEX lot_now_grade ON lot_now (grade, taken_at);
CREATE TABLE lot_woodlot (
    woodlot_id TEXT NOT NULL REFERENCES woodlot (id),
    taken_at TEXT NOT NULL,
    parcel_id TEXT NOT NULL REFERENCES parcel (id),
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
    INSERT INTO shelf_now VALUES (NEW.season, 1, NEW.jars, NEW.volume_ml)
    ON CONFLICT (season) DO UPDATE SET
        lots = lots + 1, jars = jars + NEW.jars, volume_ml = volume_ml + NEW.volume_ml;
END;
CREATE TRIGGER lot_now_less AFTER DELETE ON lot_now
BEGIN
    UPDATE shelf_now SET
        lots = lots - 1, jars = jars - OLD.jars, volume_ml = volume_ml - OLD.volume_ml
    WHERE season = OLD.season;
    DELETE FROM shelf_now WHERE season = OLD.season AND lots = 0;
END;

-- A line keeps which jars it filled; the flows say the same.
DROP TABLE jar;
DROP TABLE lot;

-- What devices send: a number for the device and milliseconds since 1970, a third of the size. What is
-- older than its season is thinned to means, with their spread and of how many they are.
CREATE TABLE device (
    number INTEGER PRIMARY KEY,
    instrument_id TEXT NOT NULL UNIQUE REFERENCES instrument (id)
) STRICT;
INSERT INTO device (instrument_id) SELECT id FROM instrument ORDER BY rowid;
CREATE TRIGGER instrument_is_a_device AFTER INSERT ON instrument
BEGIN INSERT INTO device (instrument_id) VALUES (NEW.id); END;
ALTER TABLE sample RENAME TO sample_by_name;
CREATE TABLE sample (
    device INTEGER NOT NULL REFERENCES device (number),
    at INTEGER NOT NULL,
    value REAL NOT NULL,
    spread REAL,
    count INTEGER,
    PRIMARY KEY (device, at)
) STRICT, WITHOUT ROWID;
INSERT INTO sample (device, at, value)
    SELECT device.number,
           CAST(strftime('%s', at) AS INTEGER) * 1000 + CAST(substr(at, 21, 3) AS INTEGER), value
    FROM sample_by_name JOIN device USING (instrument_id);
DROP TABLE sample_by_name;

-- Up to when a device's samples are thinned.
CREATE TABLE thinned (
    device INTEGER PRIMARY KEY REFERENCES device (number),
    until INTEGER NOT NULL
) STRICT;

-- What a probe's run told of a batch, kept before its samples are thinned: an old board says what it
-- said.
CREATE TABLE kept_run (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    probe_id TEXT NOT NULL,
    until TEXT NOT NULL,
    points TEXT NOT NULL CHECK (json_valid(points))
) STRICT, WITHOUT ROWID;

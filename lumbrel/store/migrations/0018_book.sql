-- One book: whatever anybody wrote is a line about something, in one table. An id that two of them had gets
-- what it is of behind it, but for a slip's, which others name.
CREATE TABLE line (
    seq INTEGER PRIMARY KEY,
    id TEXT NOT NULL UNIQUE,
    kind TEXT NOT NULL,
    version INTEGER NOT NULL DEFAULT 1,
    about TEXT NOT NULL CHECK (about IN (
        'batch', 'instrument', 'kitchen', 'tank', 'tree', 'vessel', 'woodlot')),
    about_id TEXT NOT NULL,
    at TEXT NOT NULL,
    noted_at TEXT NOT NULL,
    facts TEXT NOT NULL CHECK (json_valid(facts)),
    typed TEXT NOT NULL CHECK (json_valid(typed)),
    supersedes TEXT UNIQUE REFERENCES line (id),
    why TEXT NOT NULL DEFAULT '',
    initials TEXT NOT NULL DEFAULT ''
) STRICT;

-- The slips.
INSERT INTO line (id, kind, version, about, about_id, at, noted_at, facts, typed, supersedes, why, initials)
    SELECT id, kind, facts_version, 'batch', batch_id, at, noted_at, facts, typed, supersedes, why, initials
    FROM entry ORDER BY rowid;

-- The sap book: a line is about one thing; what was gathered is the woodlot's, and names its tank.
INSERT INTO line (id, kind, version, about, about_id, at, noted_at, facts, typed, supersedes, why, initials)
    SELECT CASE WHEN EXISTS (SELECT 1 FROM line WHERE line.id = sap_line.id) THEN id || '-sap' ELSE id END,
           CASE kind WHEN 'pulled' THEN 'taps_pulled' ELSE kind END,
           facts_version,
           CASE WHEN tree_id IS NOT NULL THEN 'tree'
                WHEN woodlot_id IS NOT NULL THEN 'woodlot'
                WHEN tank_id IS NOT NULL THEN 'tank'
                ELSE 'kitchen' END,
           coalesce(tree_id, woodlot_id, tank_id, 'kitchen'),
           at, noted_at,
           CASE WHEN woodlot_id IS NOT NULL AND tank_id IS NOT NULL AND kind <> 'struck'
               THEN json_set(facts, '$.tank_id', tank_id) ELSE facts END,
           typed,
           CASE WHEN EXISTS (SELECT 1 FROM line WHERE line.id = sap_line.supersedes)
               THEN supersedes || '-sap' ELSE supersedes END,
           why, initials
    FROM sap_line ORDER BY rowid;

-- What a person noted of the air and the instruments, which had no moment of writing of its own.
INSERT INTO line (id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT CASE WHEN EXISTS (SELECT 1 FROM line WHERE line.id = pressure_note.id)
               THEN id || '-air' ELSE id END,
           'pressure', 'kitchen', 'kitchen', at, at,
           '{"basis": ' || json_quote(basis) || ', "station_pressure_pa": ' || exact(station_pressure_pa) || '}',
           typed
    FROM pressure_note ORDER BY rowid;
INSERT INTO line (id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT CASE WHEN EXISTS (SELECT 1 FROM line WHERE line.id = test_boil.id) THEN id || '-boil' ELSE id END,
           'test_boil', 'instrument', instrument_id, at, at,
           '{"reading_c": ' || exact(reading_c) || ', "station_pressure_pa": ' || exact(station_pressure_pa)
               || ', "pressure_sigma_pa": ' || exact(pressure_sigma_pa) || ', "basis": ' || json_quote(basis)
               || '}',
           json_object('reading', typed)
    FROM test_boil ORDER BY rowid;
INSERT INTO line (id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT CASE WHEN EXISTS (SELECT 1 FROM line WHERE line.id = ice_point.id) THEN id || '-ice' ELSE id END,
           'ice_point', 'instrument', instrument_id, at, at,
           '{"reading_c": ' || exact(reading_c) || '}', json_object('ice', typed)
    FROM ice_point ORDER BY rowid;
INSERT INTO line (id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT CASE WHEN EXISTS (SELECT 1 FROM line WHERE line.id = scale_check.id)
               THEN id || '-check' ELSE id END,
           'scale_check', 'instrument', instrument_id, at, at,
           '{"against": ' || json_quote(against) || ', "true_value": ' || exact(true_value)
               || ', "error": ' || exact(error) || '}',
           typed
    FROM scale_check ORDER BY rowid;

-- What was set, and since when it holds; what the kitchen's row had that was never noted was always so.
INSERT INTO line (id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT 'kitchen-' || name, 'setting', 'kitchen', 'kitchen',
           '0001-01-01T00:00:00.000Z', '0001-01-01T00:00:00.000Z',
           '{"name": "' || name || '", "value": ' || value || '}', '{}'
    FROM (SELECT 'name' AS name, json_quote(name) AS value FROM kitchen
          UNION ALL SELECT 'elevation_m', coalesce(exact(elevation_m), 'null') FROM kitchen
          UNION ALL SELECT 'time_zone', json_quote(time_zone) FROM kitchen
          UNION ALL SELECT 'target_brix', exact(target_brix) FROM kitchen
          UNION ALL SELECT 'draw_margin_brix', exact(draw_margin_brix) FROM kitchen
          UNION ALL SELECT 'units', units FROM kitchen
          UNION ALL SELECT 'both_units', CASE WHEN both_units THEN 'true' ELSE 'false' END FROM kitchen
          UNION ALL SELECT 'methods', methods FROM kitchen
          UNION ALL SELECT 'alarms', alarms FROM kitchen
          UNION ALL SELECT 'toll_percent', exact(toll_percent) FROM kitchen
          UNION ALL SELECT 'labels', labels FROM kitchen
          UNION ALL SELECT 'logo', json_quote(logo) FROM kitchen
          UNION ALL SELECT 'sap', sap FROM kitchen) AS held
    WHERE NOT EXISTS (SELECT 1 FROM setting WHERE setting.name = held.name);
INSERT INTO line (id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT 'setting-' || seq, 'setting', 'kitchen', 'kitchen', at, noted_at,
           '{"name": ' || json_quote(name) || ', "value": ' || value || '}', '{}'
    FROM setting ORDER BY seq;

-- What was registered anew.
INSERT INTO line (id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT what || '-' || id || '-' || number, 'registered', what, id, since, noted_at,
           '{"state": ' || value || '}', '{}'
    FROM registered ORDER BY what, id, number;
INSERT INTO line (id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT 'instrument-' || id || '-used', 'registered', 'instrument', id,
           '0001-01-01T00:00:00.000Z', retired_at, '{"state": {"retired_at": null}}', '{}'
    FROM instrument WHERE retired_at IS NOT NULL ORDER BY rowid;
INSERT INTO line (id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT 'instrument-' || id || '-retired', 'registered', 'instrument', id, retired_at, retired_at,
           '{"state": {"retired_at": ' || json_quote(retired_at) || '}}', '{}'
    FROM instrument WHERE retired_at IS NOT NULL ORDER BY rowid;

DROP VIEW IF EXISTS flow_now;
DROP TABLE IF EXISTS pair;
DROP TABLE IF EXISTS tank_draw;
DROP TABLE IF EXISTS sap_run;
DROP TABLE IF EXISTS sap_of_tree;
DROP TABLE IF EXISTS sap_weather;
DROP TABLE IF EXISTS sap_tap;
CREATE TABLE flow_of_line (
    entry_id TEXT NOT NULL REFERENCES line (id),
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
INSERT INTO flow_of_line SELECT entry_id, line, source_id, target_id, mass_kg, brix, pack_ml, packs, reason,
    for_woodlot_id FROM flow;
DROP TABLE flow;
ALTER TABLE flow_of_line RENAME TO flow;
CREATE INDEX flow_source ON flow (source_id);
CREATE INDEX flow_target ON flow (target_id);
DROP TABLE pressure_note;
DROP TABLE test_boil;
DROP TABLE ice_point;
DROP TABLE scale_check;
DROP TABLE sap_line;
DROP TABLE entry;
DROP TABLE setting;
DROP TRIGGER IF EXISTS vessel_is_never_updated;
DROP TRIGGER IF EXISTS instrument_is_never_updated;
DROP TRIGGER IF EXISTS woodlot_is_never_updated;
DROP TRIGGER IF EXISTS tank_is_never_updated;
DROP TRIGGER IF EXISTS tree_is_never_updated;
DROP TABLE registered;

CREATE TRIGGER line_is_about_something BEFORE INSERT ON line
WHEN NOT CASE NEW.about
    WHEN 'batch' THEN EXISTS (SELECT 1 FROM batch WHERE id = NEW.about_id)
    WHEN 'instrument' THEN EXISTS (SELECT 1 FROM instrument WHERE id = NEW.about_id)
    WHEN 'tank' THEN EXISTS (SELECT 1 FROM tank WHERE id = NEW.about_id)
    WHEN 'tree' THEN EXISTS (SELECT 1 FROM tree WHERE id = NEW.about_id)
    WHEN 'vessel' THEN EXISTS (SELECT 1 FROM vessel WHERE id = NEW.about_id)
    WHEN 'woodlot' THEN EXISTS (SELECT 1 FROM woodlot WHERE id = NEW.about_id)
    ELSE NEW.about_id = 'kitchen' END
BEGIN SELECT RAISE(ABORT, 'a line is about something that is there'); END;
CREATE INDEX line_about ON line (about_id, at);
CREATE INDEX line_kind ON line (kind, at);
CREATE INDEX line_setting ON line (facts ->> 'name', seq) WHERE kind = 'setting';
CREATE INDEX line_registered ON line (about, about_id, seq) WHERE kind = 'registered';
CREATE INDEX line_into_tank ON line (facts ->> 'tank_id', at) WHERE kind = 'gathered';

-- Woodlots, tanks and trees are renamed and retired, as vessels and instruments are changed: what each was
-- registered as is dated and stays.
ALTER TABLE woodlot ADD COLUMN retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1));
ALTER TABLE tank ADD COLUMN retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1));
ALTER TABLE tree ADD COLUMN retired INTEGER NOT NULL DEFAULT 0 CHECK (retired IN (0, 1));

-- These look into the table that is made anew; all guards are made anew once it is whole.
DROP TRIGGER IF EXISTS vessel_is_never_updated;
DROP TRIGGER IF EXISTS instrument_is_never_updated;
DROP TRIGGER IF EXISTS woodlot_is_never_updated;
DROP TRIGGER IF EXISTS tank_is_never_updated;
DROP TRIGGER IF EXISTS tree_is_never_updated;
CREATE TABLE registered_of_all (
    what TEXT NOT NULL CHECK (what IN ('vessel', 'instrument', 'woodlot', 'tank', 'tree')),
    id TEXT NOT NULL,
    number INTEGER NOT NULL,
    since TEXT NOT NULL,
    noted_at TEXT NOT NULL,
    value TEXT NOT NULL CHECK (json_valid(value)),
    PRIMARY KEY (what, id, number)
) STRICT, WITHOUT ROWID;
INSERT INTO registered_of_all SELECT what, id, number, since, noted_at, value FROM registered;
DROP TABLE registered;
ALTER TABLE registered_of_all RENAME TO registered;

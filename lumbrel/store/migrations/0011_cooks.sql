-- A confection stands on the shelf as a lot does. Its packs are known by what one weighs: for a parcel of
-- the kind 'confection' the column pack_ml holds grams.
ALTER TABLE lot_now ADD COLUMN confection TEXT NOT NULL DEFAULT '';

-- Pieces are no jars: the sums of the shelf are of jars of syrup, its count of lots is of both.
DROP TRIGGER lot_now_more;
DROP TRIGGER lot_now_less;
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

-- What each cook showed: what stays in its pot, how its bath cools, how long it is stirred, how it came out.
CREATE TABLE cook_seen (
    batch_id TEXT PRIMARY KEY REFERENCES batch (id),
    vessel_id TEXT NOT NULL REFERENCES vessel (id),
    piece TEXT NOT NULL,
    cooked_at TEXT NOT NULL,
    above_water_k REAL NOT NULL,
    stir_c REAL,
    bath TEXT NOT NULL,
    cools_per_min REAL,
    stirred_min REAL,
    loss REAL,
    texture INTEGER,
    grain INTEGER,
    taste INTEGER
) STRICT, WITHOUT ROWID;
CREATE INDEX cook_seen_vessel ON cook_seen (vessel_id, cooked_at);
CREATE INDEX cook_seen_piece ON cook_seen (piece, cooked_at);
CREATE INDEX cook_seen_at ON cook_seen (cooked_at);

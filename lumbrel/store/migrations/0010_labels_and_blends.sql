-- How the kitchen's labels look, as it was typed, and its logo.
ALTER TABLE kitchen ADD COLUMN labels TEXT NOT NULL DEFAULT '{}';
ALTER TABLE kitchen ADD COLUMN logo TEXT NOT NULL DEFAULT '';

-- Jars that are opened into a kettle are jars no more.
DROP TRIGGER flow_brings_packs;
CREATE TRIGGER flow_brings_packs AFTER INSERT ON flow
WHEN NEW.packs IS NOT NULL
    AND (SELECT kind FROM parcel WHERE id = NEW.target_id) IN ('lot', 'confection')
BEGIN
    INSERT INTO stock VALUES (NEW.target_id, NEW.pack_ml, NEW.packs)
    ON CONFLICT (parcel_id, pack_ml) DO UPDATE SET packs = packs + NEW.packs;
END;

-- When a lot was packed last, and looked over last.
ALTER TABLE lot_now ADD COLUMN packed_at TEXT NOT NULL DEFAULT '';
ALTER TABLE lot_now ADD COLUMN checked_at TEXT;

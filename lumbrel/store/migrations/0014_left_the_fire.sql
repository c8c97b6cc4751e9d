-- When nothing of a batch was on the fire any more, drawn off or poured on: from both a vessel's rate is
-- learned. What stands here is made anew from the lines.
ALTER TABLE standing ADD COLUMN left_at TEXT;
CREATE INDEX standing_left ON standing (vessel_id, left_at);

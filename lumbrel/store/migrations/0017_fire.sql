-- What a vessel stands on, which says how fast it boils before a boil has; empty where nobody said.
ALTER TABLE vessel ADD COLUMN fire TEXT NOT NULL DEFAULT '' CHECK (fire IN ('', 'stove', 'flat', 'fluted', 'steam'));

-- How the kitchen's labels look, as it was typed, and its logo.
ALTER TABLE kitchen ADD COLUMN labels TEXT NOT NULL DEFAULT '{}';
ALTER TABLE kitchen ADD COLUMN logo TEXT NOT NULL DEFAULT '';

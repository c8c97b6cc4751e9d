-- A retired instrument is offered no more; what it measured keeps its name and its corrections.
ALTER TABLE instrument ADD COLUMN retired_at TEXT;

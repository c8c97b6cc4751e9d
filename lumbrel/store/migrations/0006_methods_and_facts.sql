-- What a line keeps has a version of its kind: old lines are read as they were written.
ALTER TABLE entry ADD COLUMN facts_version INTEGER NOT NULL DEFAULT 1;

-- One word for one thing: what practitioners disagree on is a method.
ALTER TABLE kitchen RENAME COLUMN schools TO methods;
ALTER TABLE batch RENAME COLUMN schools TO methods;

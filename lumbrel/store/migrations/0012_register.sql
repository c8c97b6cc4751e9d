-- What a vessel or an instrument was registered as, and since when: the first state, and each change. A line
-- is read by what its instrument was then.
CREATE TABLE registered (
    what TEXT NOT NULL CHECK (what IN ('vessel', 'instrument')),
    id TEXT NOT NULL,
    number INTEGER NOT NULL,
    since TEXT NOT NULL,
    noted_at TEXT NOT NULL,
    value TEXT NOT NULL CHECK (json_valid(value)),
    PRIMARY KEY (what, id, number)
) STRICT, WITHOUT ROWID;
CREATE TRIGGER registered_is_never_updated BEFORE UPDATE ON registered
BEGIN SELECT RAISE(ABORT, 'what was registered stays; note a change'); END;
CREATE TRIGGER registered_is_never_deleted BEFORE DELETE ON registered
BEGIN SELECT RAISE(ABORT, 'what was registered stays; note a change'); END;
CREATE TRIGGER registered_is_never_replaced BEFORE INSERT ON registered
WHEN EXISTS (SELECT 1 FROM registered WHERE what = NEW.what AND id = NEW.id AND number = NEW.number)
BEGIN SELECT RAISE(ABORT, 'what was registered stays; note a change'); END;

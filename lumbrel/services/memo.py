"""What is worth keeping between looks at one record: keyed by the file and by what is in it."""

from pathlib import Path
from sqlite3 import Connection


def record_key(db: Connection) -> str:
    """A name for the record a connection is open on; empty for one in memory, which is not told
    from the next. A file put in another's place is another record."""
    file = next(row["file"] for row in db.execute("PRAGMA database_list") if row["name"] == "main")
    return f"{file} {Path(file).stat().st_ino}" if file else ""


def slip_state(db: Connection) -> int:
    """A number that grows with every line put on any slip."""
    row = db.execute("SELECT max(rowid) AS last FROM entry").fetchone()
    return int(row["last"] or 0)

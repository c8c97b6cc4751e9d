"""The second folder that backups go to."""

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from sqlite3 import Connection

from lumbrel.store.db import instant, moment


@dataclass(frozen=True, kw_only=True)
class Folder:
    """Where it is, since when it is wanted, and when it was filled last."""

    path: Path
    since: datetime
    filled_at: datetime | None


def second_folder(db: Connection) -> Folder | None:
    """The folder; None where nobody named one."""
    row = db.execute("SELECT folder, since, filled_at FROM elsewhere").fetchone()
    if row is None:
        return None
    filled = moment(row["filled_at"]) if row["filled_at"] else None
    return Folder(path=Path(row["folder"]), since=moment(row["since"]), filled_at=filled)


def name_folder(db: Connection, path: Path | None, at: datetime) -> None:
    """Name another, or none."""
    db.execute("DELETE FROM elsewhere")
    if path:
        db.execute("INSERT INTO elsewhere (one, folder, since) VALUES (1, ?, ?)", (str(path), instant(at)))


def filled(db: Connection, at: datetime) -> None:
    """It was filled."""
    db.execute("UPDATE elsewhere SET filled_at = ?", (instant(at),))

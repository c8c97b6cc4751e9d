"""What vessels and instruments were registered as, by when it holds: changed, never overwritten."""

import json
from collections import defaultdict
from datetime import UTC, datetime
from sqlite3 import Connection
from typing import Any, Literal, TypeVar

from lumbrel.store.db import instant, moment

What = Literal["vessel", "instrument", "woodlot", "tank", "tree"]
State = dict[str, Any]
"""Columns of the register, as they are kept."""
ALWAYS = datetime(1, 1, 1, tzinfo=UTC)
T = TypeVar("T")
Notes = tuple[tuple[datetime, T], ...]
"""States with since when each holds, in the order they were noted."""


def in_force(notes: Notes[T], at: datetime, otherwise: T) -> T:
    """What was noted last of what holds at a moment; before anything did, what was noted first;
    without a note what is set now."""
    held = [value for since, value in notes if since <= at] or [value for _, value in notes[:1]]
    return held[-1] if held else otherwise


def states(db: Connection, what: What) -> dict[str, list[tuple[datetime, State]]]:
    """By id, the states of all that were ever changed, in the order they were noted."""
    found: dict[str, list[tuple[datetime, State]]] = defaultdict(list)
    rows = db.execute(
        "SELECT id, since, value FROM registered WHERE what = ? ORDER BY id, number", (what,)
    )
    for row in rows:
        found[row["id"]].append((moment(row["since"]), json.loads(row["value"])))
    return found


def change(
    db: Connection,
    what: What,
    key: str,
    after: State,
    *,
    since: datetime,
    noted_at: datetime,
) -> None:
    """Register a thing anew, in some of its columns; what it was before is kept with until when it held.

    Args:
        after: the columns that are another now.
        since: from when on it is so.
    """
    columns = ", ".join(after)
    before = dict(db.execute(f"SELECT {columns} FROM {what} WHERE id = ?", (key,)).fetchone())
    known = db.execute(
        "SELECT count(*) FROM registered WHERE what = ? AND id = ?", (what, key)
    ).fetchone()[0]
    noted = [(since, after)] if known else [(ALWAYS, before), (since, after)]
    for number, (holds_since, state) in enumerate(noted, start=known):
        db.execute(
            "INSERT INTO registered (what, id, number, since, noted_at, value) VALUES (?, ?, ?, ?, ?, ?)",
            (what, key, number, instant(holds_since), instant(noted_at), json.dumps(state)),
        )
    hold(db, what, key)


def hold(db: Connection, what: str, key: str) -> None:
    """Bring the register's row to what was noted last; what holds from an earlier day holds now too."""
    now = _last_noted(db).get((what, key), {})
    names = ", ".join(f"{name} = ?" for name in now)
    if not _holds(db, what, key, now):
        db.execute(f"UPDATE {what} SET {names} WHERE id = ?", (*now.values(), key))


def _holds(db: Connection, what: str, key: str, state: State) -> bool:
    row = db.execute(f"SELECT * FROM {what} WHERE id = ?", (key,)).fetchone()
    return row is not None and all(row[name] == value for name, value in state.items())


def _last_noted(db: Connection) -> dict[tuple[str, str], State]:
    """Of all that were ever changed, by what they are and id: the columns that were, as noted last."""
    found: dict[tuple[str, str], State] = defaultdict(dict)
    for row in db.execute("SELECT what, id, value FROM registered ORDER BY what, id, number"):
        found[row["what"], row["id"]] |= json.loads(row["value"])
    return found


def unheld(db: Connection) -> list[str]:
    """The vessels and instruments whose row is not what was noted of them last."""
    last = _last_noted(db)
    return [f"{what} {key}" for (what, key), now in last.items() if not _holds(db, what, key, now)]

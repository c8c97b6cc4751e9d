"""What vessels, instruments, woodlots, tanks and trees were registered as, by when it holds: changed, never
overwritten. Each change is a line of the book; the register's row is what holds now."""

from collections import defaultdict
from datetime import UTC, datetime
from sqlite3 import Connection
from typing import Any, Literal, TypeVar

from lumbrel.store import book
from lumbrel.store.book import LineRow, What
from lumbrel.store.db import AFTER_ALL

Registered = Literal["vessel", "instrument", "woodlot", "tank", "tree"]
State = dict[str, Any]
"""Columns of the register, as they are kept."""
KIND = "registered"
ALWAYS = datetime(1, 1, 1, tzinfo=UTC)
T = TypeVar("T")
Notes = tuple[tuple[datetime, T], ...]
"""States with since when each holds."""


def in_force(notes: Notes[T], at: datetime, otherwise: T) -> T:
    """What was noted last of what holds at a moment; before anything did, what was noted first;
    without a note what is set now."""
    held = [value for since, value in notes if since <= at] or [value for _, value in notes[:1]]
    return held[-1] if held else otherwise


def _lines(db: Connection, what: str, key: str = "") -> list[LineRow]:
    """The standing changes of one thing, or of all of a sort, in the order they were noted."""
    of, given = ("AND about_id = ?", [key]) if key else ("", [])
    rows = db.execute(
        f"""SELECT line.*, 0 AS superseded FROM line
            WHERE kind = 'registered' AND about = ? {of} AND {book.STANDS} ORDER BY seq""",
        (what, *given),
    )
    return [book.line_of(row) for row in rows]


def states(db: Connection, what: Registered) -> dict[str, list[tuple[datetime, State]]]:
    """By id, the states of all that were ever changed, by since when each was so: of what holds at a moment
    that was noted last."""
    lines: dict[str, list[LineRow]] = defaultdict(list)
    for line in _lines(db, what):
        lines[line.about_id].append(line)
    return {
        key: [(since, _at(changes, since)) for since in sorted({line.at for line in changes})]
        for key, changes in lines.items()
    }


def _at(changes: list[LineRow], at: datetime) -> State:
    state: State = {}
    for line in changes:
        if line.at <= at:
            state |= line.facts["state"]
    return state


def change(
    db: Connection,
    what: Registered,
    key: str,
    after: State,
    *,
    since: datetime,
    noted_at: datetime,
    initials: str = "",
) -> None:
    """Register a thing anew, in some of its columns; what it was before is kept with until when it held.

    Args:
        after: the columns that are another now.
        since: from when on it is so.
        initials: of who says so.
    """
    columns = ", ".join(after)
    before = dict(db.execute(f"SELECT {columns} FROM {what} WHERE id = ?", (key,)).fetchone())
    known: set[str] = set().union(*(line.facts["state"] for line in _lines(db, what, key)))
    first = {name: value for name, value in before.items() if name not in known}
    for holds_since, state in [(ALWAYS, first), (since, after)] if first else [(since, after)]:
        book.note(
            db,
            kind=KIND,
            about=what,
            about_id=key,
            at=holds_since,
            noted_at=noted_at,
            facts={"state": state},
            initials=initials,
        )
    hold(db, what, key)


def hold(db: Connection, what: str, key: str) -> None:
    """Bring the register's row to what was noted last; what holds from an earlier day holds now too."""
    now = _noted_last(db, what, key)
    names = ", ".join(f"{name} = ?" for name in now)
    if now and not _holds(db, what, key, now):
        db.execute(f"UPDATE {what} SET {names} WHERE id = ?", (*now.values(), key))


def _holds(db: Connection, what: str, key: str, state: State) -> bool:
    row = db.execute(f"SELECT * FROM {what} WHERE id = ?", (key,)).fetchone()
    return row is not None and all(row[name] == value for name, value in state.items())


def _noted_last(db: Connection, what: str, key: str) -> State:
    """The columns of a thing that were ever changed, as noted last."""
    return _at(_lines(db, what, key), AFTER_ALL)


def changed(db: Connection) -> list[tuple[What, str]]:
    """Whatever was ever changed: what it is, and its id."""
    rows = db.execute("SELECT DISTINCT about, about_id FROM line WHERE kind = 'registered'")
    return [(row["about"], row["about_id"]) for row in rows]


def unheld(db: Connection) -> list[str]:
    """The things whose row is not what was noted of them last."""
    return [
        f"{what} {key}"
        for what, key in changed(db)
        if not _holds(db, what, key, _noted_last(db, what, key))
    ]

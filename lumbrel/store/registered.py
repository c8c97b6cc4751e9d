"""What batches, vessels, instruments, woodlots, tanks and trees are: what they were registered as at first and
every change since are lines of the book; the register's row is what holds now, kept and made anew."""

from collections import defaultdict
from datetime import UTC, datetime
from sqlite3 import Connection
from typing import Any, Literal, TypeVar

from lumbrel.store import book
from lumbrel.store.book import LineRow
from lumbrel.store.db import AFTER_ALL, insert_once
from lumbrel.store.rows import insert

Registered = Literal["batch", "vessel", "instrument", "woodlot", "tank", "tree"]
State = dict[str, Any]
"""Columns of the register, as they are kept."""
KIND = "registered"
FIRST = "first"
"""The kind of line that says what something was registered as at first; it is on no list, and stays."""
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


def register(db: Connection, what: Registered, row: State, same: tuple[str, ...]) -> None:
    """Register something; the same id twice is written once.

    Args:
        row: its columns, those left out as they are for all.
        same: the columns that were typed, by which a second send is known.
    Raises:
        IdReused: the id is another one's.
        sqlite3.IntegrityError: the name is another one's.
    """
    if insert_once(db, what, row, same):
        state = dict(db.execute(f"SELECT * FROM {what} WHERE id = ?", (row["id"],)).fetchone())
        key = state.pop("id")
        line = LineRow(
            id=_first_id(what, key),
            kind=FIRST,
            about=what,
            about_id=key,
            at=ALWAYS,
            noted_at=ALWAYS,
            facts={"state": state},
        )
        book.add(db, line)


def _first_id(what: str, key: str) -> str:
    return f"{what}-{key}-first"


def _first(db: Connection, what: str, key: str) -> State:
    """What something was registered as at first."""
    line = book.by_id(db, _first_id(what, key))
    return dict(line.facts["state"]) if line else {}


def states(db: Connection, what: Registered) -> dict[str, list[tuple[datetime, State]]]:
    """By id, the states of all that were ever changed, by since when each was so: of what holds at a moment
    that was noted last; what it was at first was so always."""
    lines: dict[str, list[LineRow]] = defaultdict(list)
    for line in _lines(db, what):
        lines[line.about_id].append(line)
    found = {}
    for key, changes in lines.items():
        first, moments = _first(db, what, key), {line.at for line in changes}
        found[key] = [(since, first | _at(changes, since)) for since in sorted({ALWAYS, *moments})]
    return found


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
    book.note(
        db,
        kind=KIND,
        about=what,
        about_id=key,
        at=since,
        noted_at=noted_at,
        facts={"state": after},
        initials=initials,
    )
    hold(db, what, key)


def hold(db: Connection, what: str, key: str) -> None:
    """Bring the register's row to what was noted last; what holds from an earlier day holds now too."""
    enter(db, what, key, _first(db, what, key) | _at(_lines(db, what, key), AFTER_ALL))


def enter(db: Connection, what: str, key: str, state: State) -> None:
    """Make a row of a register as it is now. Of a newer Lumbrel's columns nothing is known here."""
    known = db.execute(f"SELECT * FROM {what} WHERE id = ?", (key,)).fetchone()
    columns = [one["name"] for one in db.execute(f"PRAGMA table_info({what})")]
    own = {name: state[name] for name in columns if name in state}
    if known is None and own:
        insert(db, what, {"id": key, **own})
    elif known and any(known[name] != value for name, value in own.items()):
        names = ", ".join(f"{name} = ?" for name in own)
        db.execute(f"UPDATE {what} SET {names} WHERE id = ?", (*own.values(), key))


def hold_all(db: Connection) -> None:
    """Make all rows of the registers, in the order in which they were registered."""
    rows = db.execute("SELECT about, about_id FROM line WHERE kind = 'first' ORDER BY seq")
    for what, key in rows.fetchall():
        hold(db, what, key)

"""The book: every line that anybody wrote, about a batch, an instrument, a tank, a tree, a woodlot or the
kitchen. A line is written once; a later one corrects or strikes it."""

import json
from dataclasses import dataclass, field
from datetime import datetime
from sqlite3 import Connection, Row
from typing import Any, Literal
from uuid import UUID, uuid5

from lumbrel.store.db import AFTER_ALL, BEFORE_ALL, instant, moment, once
from lumbrel.store.rows import columns_of, insert, mapper

What = Literal["batch", "instrument", "kitchen", "tank", "tree", "vessel", "woodlot"]
KITCHEN: Literal["kitchen"] = "kitchen"
"""What a line is about that is about the kitchen: also its id."""
STRUCK = "struck"
ON_NO_LIST = (STRUCK, "first")


@dataclass(frozen=True, kw_only=True)
class LineRow:
    """One line of the book: `typed` as it was typed, `facts` in SI as understood or decided, in the
    version of its kind that it was written in.

    `superseded` is set when loaded: a later line corrects or strikes this one; so is `seq`, the order in
    which lines came to the record.
    """

    id: str
    kind: str
    about: What
    about_id: str
    at: datetime
    noted_at: datetime
    typed: dict[str, str] = field(default_factory=dict)
    facts: dict[str, Any] = field(default_factory=dict)
    version: int = 1
    supersedes: str | None = None
    why: str = ""
    initials: str = ""
    superseded: bool = False
    seq: int = 0


line_of = mapper(LineRow)
_LINE = """SELECT line.*, EXISTS (SELECT 1 FROM line AS later WHERE later.supersedes = line.id)
               AS superseded FROM line """
STANDS = """ line.kind NOT IN ('struck', 'first')
    AND NOT EXISTS (SELECT 1 FROM line AS later WHERE later.supersedes = line.id) """
"""That nothing corrects or strikes a line, and that it strikes none itself; what a thing was registered as at
first stands on no list."""


def add(db: Connection, line: LineRow) -> bool:
    """Write a line. Returns False, and writes nothing, when its id is there already."""
    if db.execute("SELECT 1 FROM line WHERE id = ?", (line.id,)).fetchone():
        return False
    insert(db, "line", columns_of(line, but=("superseded", "seq")))
    return True


def note(
    db: Connection,
    *,
    kind: str,
    noted_at: datetime,
    facts: dict[str, Any],
    own_id: str = "",
    **line: Any,
) -> None:
    """Write a line whose id nobody made: from what it says and how many were there before it."""
    what = f"{kind} {line['about_id']} {instant(noted_at)} {json.dumps(facts, sort_keys=True)}"
    made = own_id or str(uuid5(NOTED, f"{written_so_far(db)} {what}"))
    add(db, LineRow(id=made, kind=kind, noted_at=noted_at, facts=facts, **line))


NOTED = UUID("3f0c4f9e-52a1-5d0e-9a43-0b2f6c1d7e85")


def by_id(db: Connection, line_id: str) -> LineRow | None:
    """A line by its id, whatever became of it."""
    row = db.execute(_LINE + "WHERE id = ?", (line_id,)).fetchone()
    return line_of(row) if row else None


def beside(line_id: str, what: str) -> str:
    """The id of a line that another one brings with it: corrected or struck with that one."""
    return f"{line_id}+{what}"


def standing_beside(db: Connection, line_id: str) -> list[LineRow]:
    """The standing lines that a line brought with it."""
    first, last = beside(line_id, ""), beside(line_id, "~")
    rows = db.execute(f"{_LINE} WHERE id BETWEEN ? AND ? AND {STANDS}", (first, last))
    return [line_of(row) for row in rows]


def place_of(db: Connection, seq: int, supersedes: str | None) -> int:
    """Where a line stands among those of its moment: where the first one stood that it corrects."""
    while supersedes is not None:
        old = db.execute("SELECT seq, supersedes FROM line WHERE id = ?", (supersedes,)).fetchone()
        seq, supersedes = old["seq"], old["supersedes"]
    return seq


def latest(db: Connection, line_id: str) -> str:
    """The id of the line that corrects another at last, or that strikes it; its own where none does."""
    while later := superseding(db, line_id):
        line_id = later.id
    return line_id


def superseding(db: Connection, line_id: str) -> LineRow | None:
    """The line that corrects or strikes another."""
    row = db.execute(_LINE + "WHERE supersedes = ?", (line_id,)).fetchone()
    return line_of(row) if row else None


def rows_about(db: Connection, about_id: str) -> list[Row]:
    """All that was ever written about one thing in order of time, superseded lines included, as it is
    stored."""
    order = "WHERE about_id = ? AND kind <> 'first' ORDER BY at, noted_at, seq"
    return db.execute(_LINE + order, (about_id,)).fetchall()


def standing_about(db: Connection, about_id: str, since: datetime = BEFORE_ALL) -> list[Row]:
    """The standing lines about one thing from a moment on, oldest first, as they are stored."""
    rows = db.execute(
        f"{_LINE} WHERE about_id = ? AND at >= ? AND {STANDS} ORDER BY at, seq",
        (about_id, instant(since)),
    )
    return rows.fetchall()


def newest(
    db: Connection,
    kind: str = "",
    about_id: str = "",
    *,
    since: datetime = BEFORE_ALL,
    until: datetime = AFTER_ALL,
    limit: int,
) -> list[Row]:
    """The standing lines between two moments, newest first, as they are stored.

    Args:
        kind: of this kind; of any, if left out.
        about_id: about this thing; about any, if left out.
    """
    # Without the sign SQLite might look through all lines of the kind for those about one thing.
    wanted = {"about_id = ?": about_id, "+kind = ?" if about_id else "kind = ?": kind}
    of = " AND ".join(part for part, value in wanted.items() if value)
    given = [value for value in wanted.values() if value]
    rows = db.execute(
        f"{_LINE} WHERE {of} AND at BETWEEN ? AND ? AND {STANDS} ORDER BY at DESC, seq DESC LIMIT ?",
        (*given, instant(since), instant(until), limit),
    )
    return rows.fetchall()


def around(db: Connection, kind: str, about_id: str, at: datetime) -> tuple[datetime, datetime]:
    """When the last standing line of a kind about something up to a moment is from, and the next one."""
    of = f"FROM line WHERE about_id = ? AND +kind = ? AND {STANDS}"
    given = (about_id, kind, instant(at))
    asked = f"SELECT (SELECT max(at) {of} AND at <= ?), (SELECT min(at) {of} AND at > ?)"
    before, after = db.execute(asked, given * 2).fetchone()
    return (moment(before) if before else BEFORE_ALL, moment(after) if after else AFTER_ALL)


def last(db: Connection) -> tuple[str, datetime]:
    """The id of the line that was written last, and when it was noted; of settings that were typed together,
    the elevation alone, since no reading rests on the others."""
    row = db.execute(
        """SELECT id, noted_at FROM line
           WHERE kind <> 'setting' OR json_extract(facts, '$.name') = 'elevation_m'
           ORDER BY seq DESC LIMIT 1"""
    ).fetchone()
    return row["id"], moment(row["noted_at"])


def written_so_far(db: Connection) -> int:
    """A number that grows with every line: two looks that see the same number see the same."""
    newest = "SELECT coalesce(max(seq), 0) FROM line"
    return once(db, "newest line", lambda: int(db.execute(newest).fetchone()[0]))


def newest_by_about(db: Connection, after: int) -> dict[str, int]:
    """Of the lines after one, by their kind and by what they are about, its sort and its id, the newest."""
    found: dict[str, int] = {}
    for seq, *things in db.execute(
        "SELECT seq, kind, about, about_id FROM line WHERE seq > ? ORDER BY seq", (after,)
    ):
        found |= dict.fromkeys(things, seq)
    return found


def standing_of_trees(db: Connection, woodlot_id: str) -> list[Row]:
    """The standing lines about the trees of a woodlot, oldest first, as they are stored."""
    rows = db.execute(
        f"""{_LINE} WHERE about_id IN (SELECT id FROM tree WHERE woodlot_id = ?) AND {STANDS}
            ORDER BY at, seq""",
        (woodlot_id,),
    )
    return rows.fetchall()


def newest_about(db: Connection, about_id: str) -> tuple[int, str]:
    """How many lines there are about one thing, struck ones too, and the id of the one written last: none
    is ever changed, so the same answer means the same lines."""
    row = db.execute(
        """SELECT count(*) AS n, (SELECT id FROM line WHERE about_id = ?1 ORDER BY seq DESC LIMIT 1) AS id
           FROM line WHERE about_id = ?1""",
        (about_id,),
    ).fetchone()
    return row["n"], row["id"] or ""

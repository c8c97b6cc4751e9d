"""What readings said: written with them, and once more only when something that they rest on is corrected,
struck, or noted late. A formula that is better later changes none of it."""

from dataclasses import dataclass, replace
from datetime import datetime
from sqlite3 import Connection
from typing import Any
from uuid import UUID, uuid5

from lumbrel.store.book import STANDS
from lumbrel.store.db import instant, once
from lumbrel.store.rows import columns_of, insert, mapper
from lumbrel.words import kept


@dataclass(frozen=True, kw_only=True)
class SaidRow:
    """What one reading said of density, Brix; `brix` is None where it said nothing, and `refusal` says why.

    Args:
        model: the version of the formulas it was said by.
        because: the line by which it was said anew; empty for what was said at first.
    """

    line_id: str
    model: int
    brix: float | None
    sigma_brix: float
    own_sigma_brix: float
    shared_sigma_brix: float
    bound_brix: float | None
    refusal: str
    because: str
    noted_at: datetime


_row = mapper(SaidRow)
MOST_REMEMBERED = 2000
"""Of so many lines a connection remembers what they said."""
SAID = UUID("0a8f3c52-6f0e-5b1c-8f5d-3d2c1b7a9e40")


def _said(row: Any) -> SaidRow:
    said = _row(row)
    return replace(said, refusal=kept(said.refusal)) if said.refusal else said


def add(db: Connection, said: SaidRow) -> None:
    """Write what a reading said; the same again is written once."""
    row = columns_of(said)
    own = str(uuid5(SAID, repr(sorted(row.items()))))
    if db.execute("SELECT 1 FROM said WHERE id = ?", (own,)).fetchone() is None:
        insert(db, "said", {"id": own, **row})


def of_line(db: Connection, line_id: str) -> list[SaidRow]:
    """All that a line ever said, what holds now last."""
    if db.in_transaction:
        rows = db.execute("SELECT * FROM said WHERE line_id = ? ORDER BY seq", (line_id,))
        return [_said(row) for row in rows]
    known = once(db, "said", lambda: dict[str, list[SaidRow]]())
    if line_id not in known:
        if len(known) > MOST_REMEMBERED:
            known.clear()
        known |= _beside(db, line_id)
    return list(known[line_id])


def _beside(db: Connection, line_id: str) -> dict[str, list[SaidRow]]:
    """By line of the same slip, all that it ever said: who asks for one asks for the others."""
    rows = db.execute(
        """SELECT other.id AS of, said.* FROM line
           JOIN line AS other ON other.about_id = line.about_id
           LEFT JOIN said ON said.line_id = other.id
           WHERE line.id = ? ORDER BY said.seq""",
        (line_id,),
    )
    found: dict[str, list[SaidRow]] = {line_id: []}
    for row in rows:
        said = dict(row)
        lines = found.setdefault(said.pop("of"), [])
        if said["line_id"] is not None:
            lines.append(_said(said))
    return found


def unsaid(db: Connection, kinds: tuple[str, ...]) -> list[str]:
    """The ids of batches with standing lines of some kinds of which nobody wrote what they said."""
    marks = ", ".join("?" * len(kinds))
    rows = db.execute(
        f"""SELECT DISTINCT about_id FROM line WHERE kind IN ({marks}) AND about = 'batch'
            AND {STANDS} AND NOT EXISTS (SELECT 1 FROM said WHERE said.line_id = line.id)""",
        kinds,
    )
    return [row["about_id"] for row in rows]


def read_since(db: Connection, since: datetime, instrument_id: str = "", vessel_id: str = "") -> list[str]:
    """The ids of batches that were read from a moment on, by an instrument, or in a vessel on the fire; in
    any, where none is named."""
    if instrument_id:
        rows = db.execute(
            "SELECT batch_id FROM used WHERE instrument_id = ? AND last_at >= ?",
            (instrument_id, instant(since)),
        )
    else:
        of = "AND vessel_id = ?2" if vessel_id else "AND ?2 = ''"
        rows = db.execute(
            f"""SELECT batch_id FROM standing WHERE left_at IS NULL {of}
                UNION SELECT batch_id FROM standing WHERE left_at >= ?1 {of}""",
            (instant(since), vessel_id),
        )
    return [row["batch_id"] for row in rows]


def with_lines_since(db: Connection, since: datetime) -> list[str]:
    """The ids of batches with lines from a moment on, for what looks at the whole record."""
    rows = db.execute(
        "SELECT DISTINCT about_id FROM line WHERE about = 'batch' AND at >= ?", (instant(since),)
    )
    return [row["about_id"] for row in rows]

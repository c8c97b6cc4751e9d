"""What each cook of a confection showed, so that the next one reads no slips."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.store.db import instant
from lumbrel.store.rows import columns_of, insert, mapper


@dataclass(frozen=True, kw_only=True)
class CookSeen:
    """A cook that came off the fire: where, to what, how hot, how it cooled, was stirred and came out.

    Attributes:
        film: W/m2K from its wall to that bath; litres: of the bath.
        loss: share of the confection that stayed in the pot.
        texture, grain, taste: its scores, None while nobody gave any.
    """

    vessel_id: str
    piece: str
    cooked_at: datetime
    above_water_k: float
    stir_c: float | None = None
    bath: str = "bench"
    film: float | None = None
    litres: float | None = None
    stirred_min: float | None = None
    loss: float | None = None
    texture: int | None = None
    grain: int | None = None
    taste: int | None = None


def keep(db: Connection, batch_id: str, seen: CookSeen | None) -> None:
    """What a batch showed as a cook; None of one that is no cook, or not off the fire."""
    db.execute("DELETE FROM cook_seen WHERE batch_id = ?", (batch_id,))
    if seen is None:
        return
    insert(db, "cook_seen", {"batch_id": batch_id, **columns_of(seen)})


_seen = mapper(CookSeen)


def of_pot(db: Connection, vessel_id: str, before: datetime, limit: int) -> list[CookSeen]:
    """The last cooks of a pot before a moment, newest first."""
    rows = db.execute(
        """SELECT * FROM cook_seen WHERE vessel_id = ? AND cooked_at < ?
           ORDER BY cooked_at DESC LIMIT ?""",
        (vessel_id, instant(before), limit),
    )
    return [_seen(row) for row in rows]


def of_piece(db: Connection, piece: str, before: datetime, limit: int) -> list[CookSeen]:
    """The last cooks of a confection before a moment, newest first."""
    rows = db.execute(
        "SELECT * FROM cook_seen WHERE piece = ? AND cooked_at < ? ORDER BY cooked_at DESC LIMIT ?",
        (piece, instant(before), limit),
    )
    return [_seen(row) for row in rows]


def last(db: Connection, before: datetime, limit: int) -> list[tuple[str, CookSeen]]:
    """The last cooks of the kitchen before a moment, newest first, each with its batch's code."""
    rows = db.execute(
        """SELECT cook_seen.*, batch.code FROM cook_seen JOIN batch ON batch.id = cook_seen.batch_id
           WHERE cooked_at < ? ORDER BY cooked_at DESC LIMIT ?""",
        (instant(before), limit),
    )
    return [(row["code"], _seen(row)) for row in rows]


def next_code(db: Connection, year: int) -> str:
    """The code of the next cook of a year, as 26-C07."""
    prefix = f"{year % 100:02d}-C"
    row = db.execute(
        "SELECT code FROM batch WHERE code >= ? AND code < ? ORDER BY length(code) DESC, code DESC LIMIT 1",
        (prefix, f"{year % 100:02d}-D"),
    ).fetchone()
    known = int(row["code"].removeprefix(prefix)) if row else 0
    return f"{prefix}{known + 1:02d}"

"""Kept of lots: what stands on the shelf, season by season."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.store.db import instant, moment, once
from lumbrel.store.rows import columns_of, insert, mapper


@dataclass(frozen=True, kw_only=True)
class LotRow:
    """A lot as the shelf lists it; volumes in ml at 20 degC."""

    parcel_id: str
    code: str
    batch_id: str
    taken_at: datetime
    season: int
    woodlot_ids: tuple[str, ...]
    sugar_kind: str
    grade: str
    for_processing: bool
    brix: float
    filled: int
    filled_ml: float
    jars: int
    volume_ml: float
    packed_at: datetime
    """When jars were packed into it last."""
    checked_at: datetime | None = None
    """When it was looked over last: lids and clarity."""
    confection: str = ""
    """Which confection it is, by its key; empty for syrup. Its packs are known in grams, and have no
    volume."""


def keep_lots(db: Connection, batch_id: str, lots: list[LotRow]) -> None:
    db.execute(
        """DELETE FROM lot_woodlot WHERE parcel_id IN
               (SELECT parcel_id FROM lot_now WHERE batch_id = ?)""",
        (batch_id,),
    )
    db.execute("DELETE FROM lot_now WHERE batch_id = ?", (batch_id,))
    for lot in lots:
        insert(db, "lot_now", columns_of(lot))
        db.executemany(
            "INSERT INTO lot_woodlot VALUES (?, ?, ?)",
            [(woodlot, instant(lot.taken_at), lot.parcel_id) for woodlot in lot.woodlot_ids],
        )


_lot = mapper(LotRow)


def lots_of_season(db: Connection, season: int, limit: int) -> list[LotRow]:
    """The lots of syrup of a season, newest first."""

    def read() -> list[LotRow]:
        rows = db.execute(
            "SELECT * FROM lot_now WHERE season = ? AND confection = '' ORDER BY taken_at DESC, code LIMIT ?",
            (season, limit),
        )
        return [_lot(row) for row in rows]

    return list(once(db, ("lots of season", season, limit), read))


@dataclass(frozen=True, kw_only=True)
class Asked:
    """Which lots are asked for; what is empty does not matter."""

    code: str = ""
    """As the lot's or its batch's begins."""
    taken_in: tuple[datetime, datetime] | None = None
    woodlot_id: str = ""
    named_ids: tuple[str, ...] = ()
    """Of one of these woodlots, besides."""
    confections: tuple[str, ...] = ()
    grade: str = ""
    season: int | None = None
    size_ml: float | None = None
    """With packs of it on the shelf."""


ALL = Asked()


def newest_lots(db: Connection, asked: Asked = ALL, *, limit: int, offset: int = 0) -> list[LotRow]:
    """The lots that are asked for, newest first."""
    source, given = _lots_from(asked)
    order = "lot_woodlot.taken_at" if asked.woodlot_id else "lot_now.taken_at"
    rows = db.execute(
        f"SELECT lot_now.* FROM {source} ORDER BY {order} DESC LIMIT ? OFFSET ?", (*given, limit, offset)
    )
    return [_lot(row) for row in rows]


_OF_CODE = """lot_now.parcel_id IN (
    SELECT id FROM parcel WHERE kind IN ('lot', 'confection') AND code >= ? AND code < ?
    UNION
    SELECT parcel.id FROM batch JOIN parcel ON parcel.batch_id = batch.id
    WHERE batch.code >= ? AND batch.code < ?)"""


def is_code(db: Connection, text: str) -> bool:
    """Whether a lot's code, or its batch's, begins with a text."""
    return bool(newest_lots(db, Asked(code=text), limit=1))


def _lots_from(asked: Asked) -> tuple[str, list[Any]]:
    """Where the lots that are asked for are found, and what is asked there."""
    end = asked.code + "\U0010ffff"
    span = [instant(at) for at in asked.taken_in or ()]
    parts: list[tuple[str, list[Any]]] = [
        ("lot_woodlot.woodlot_id = ?", [asked.woodlot_id] if asked.woodlot_id else []),
        (
            f"""EXISTS (SELECT 1 FROM lot_woodlot AS named WHERE named.parcel_id = lot_now.parcel_id
                AND named.woodlot_id IN ({_marks(asked.named_ids)}))""",
            list(asked.named_ids),
        ),
        (f"lot_now.confection IN ({_marks(asked.confections)})", list(asked.confections)),
        (_OF_CODE, [asked.code, end] * 2 if asked.code else []),
        ("lot_now.taken_at >= ? AND lot_now.taken_at < ?", span),
        ("lot_now.grade = ?", [asked.grade] if asked.grade else []),
        ("lot_now.season = ?", [asked.season] if asked.season else []),
        (
            """EXISTS (SELECT 1 FROM stock WHERE stock.parcel_id = lot_now.parcel_id
               AND stock.pack_ml = ? AND stock.packs > 0)""",
            [asked.size_ml] if asked.size_ml else [],
        ),
    ]
    wanted = [(clause, given) for clause, given in parts if given]
    source = "lot_woodlot JOIN lot_now USING (parcel_id)" if asked.woodlot_id else "lot_now"
    if wanted:
        source += " WHERE " + " AND ".join(clause for clause, _ in wanted)
    return source, [value for _, given in wanted for value in given]


def _marks(values: Sequence[object]) -> str:
    return ", ".join("?" for _ in values)


def lot_rows_of(db: Connection, batch_id: str) -> list[LotRow]:
    rows = db.execute("SELECT * FROM lot_now WHERE batch_id = ? ORDER BY code", (batch_id,))
    return [_lot(row) for row in rows]


def first_of_season(db: Connection, season: int) -> datetime | None:
    """When the first lot of a season was taken in."""
    asked = "SELECT min(taken_at) FROM lot_now WHERE season = ?"
    first = once(db, ("first lot", season), lambda: db.execute(asked, (season,)).fetchone()[0])
    return moment(first) if first else None


@dataclass(frozen=True)
class ShelfSum:
    """What stands on the shelf of a season, or of all."""

    lots: int
    jars: int
    volume_ml: float


def sum_of(db: Connection, asked: Asked) -> ShelfSum:
    """What stands on the shelf of the lots that are asked for."""
    if asked == Asked(season=asked.season):
        return shelf_sum(db, asked.season)
    source, given = _lots_from(asked)
    row = db.execute(
        f"""SELECT count(*) AS lots,
                   coalesce(sum(CASE WHEN confection = '' THEN jars END), 0) AS jars,
                   coalesce(sum(volume_ml), 0) AS volume_ml FROM {source}""",
        given,
    ).fetchone()
    return ShelfSum(row["lots"], row["jars"], row["volume_ml"])


def shelf_sum(db: Connection, season: int | None = None) -> ShelfSum:
    """What stands on the shelf: of a season, or in all."""
    row = db.execute(
        """SELECT coalesce(sum(lots), 0) AS lots, coalesce(sum(jars), 0) AS jars,
                  coalesce(sum(volume_ml), 0) AS volume_ml
           FROM shelf_now WHERE ?1 IS NULL OR season = ?1""",
        (season,),
    ).fetchone()
    return ShelfSum(row["lots"], row["jars"], row["volume_ml"])


def seasons(db: Connection) -> list[int]:
    """Seasons that have lots, newest first."""
    rows = db.execute("SELECT season FROM shelf_now ORDER BY season DESC")
    return [row["season"] for row in rows]

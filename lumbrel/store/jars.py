"""Lots: whose they are, what was filled under them, and what moved in and out of their jars."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.store.db import instant
from lumbrel.store.flow import Jar, lot_id
from lumbrel.store.rows import mapper


def lot_owner(db: Connection, code: str) -> str | None:
    """Id of the batch that has a lot code, while any of its lines carries it."""
    row = db.execute(
        """SELECT parcel.batch_id FROM parcel JOIN lot_now ON lot_now.parcel_id = parcel.id
           WHERE parcel.kind IN ('lot', 'confection') AND parcel.code = ?""",
        (code,),
    ).fetchone()
    return row["batch_id"] if row else None


def lot_codes(db: Connection, batch_id: str) -> list[str]:
    """Lots of a batch, in the order of their codes."""
    rows = db.execute("SELECT code FROM lot_now WHERE batch_id = ? ORDER BY code", (batch_id,))
    return [row["code"] for row in rows]


def last_sizes(db: Connection, lots: int) -> list[float]:
    """Sizes of jars that the newest so many lots of syrup were packed in, ml, the largest first."""
    rows = db.execute(
        """SELECT DISTINCT pack_ml FROM flow
           WHERE target_id IN (SELECT parcel_id FROM lot_now WHERE confection = ''
                               ORDER BY taken_at DESC LIMIT ?)
           AND pack_ml IS NOT NULL ORDER BY pack_ml DESC""",
        (lots,),
    )
    return [row["pack_ml"] for row in rows]


def jars_filled(db: Connection, lot_code: str) -> list[Jar]:
    """The jars a lot was packed in, the largest first, whether they still stand there or not."""
    return filled_of(db, [lot_code])[lot_code]


def filled_of(db: Connection, lot_codes: Sequence[str]) -> dict[str, list[Jar]]:
    """The same of several lots."""
    return _by_lot(
        db,
        lot_codes,
        """SELECT target_id AS lot, pack_ml, sum(packs) AS packs FROM flow
           WHERE target_id IN ({}) AND source_id IS NOT NULL AND packs IS NOT NULL
           GROUP BY target_id, pack_ml ORDER BY pack_ml DESC""",
    )


def jars_of(db: Connection, lot_code: str) -> list[Jar]:
    """Jars of a lot that are on the shelf, the largest first."""
    return standing_of(db, [lot_code])[lot_code]


def standing_of(db: Connection, lot_codes: Sequence[str]) -> dict[str, list[Jar]]:
    """The same of several lots."""
    return _by_lot(
        db,
        lot_codes,
        """SELECT parcel_id AS lot, pack_ml, packs FROM stock
           WHERE parcel_id IN ({}) AND packs > 0 ORDER BY pack_ml DESC""",
    )


def _by_lot(db: Connection, lot_codes: Sequence[str], asked: str) -> dict[str, list[Jar]]:
    found: dict[str, list[Jar]] = {lot_id(code): [] for code in lot_codes}
    for row in db.execute(asked.format(", ".join("?" * len(found))), list(found)):
        found[row["lot"]].append(Jar(row["pack_ml"], row["packs"]))
    return {code: found[lot_id(code)] for code in lot_codes}


@dataclass(frozen=True, kw_only=True)
class PackMove:
    """Packs that came into a lot, or left it."""

    at: datetime
    lot: str
    kind: str
    batch_code: str
    came: bool
    other_id: str | None
    """From which parcel, or into which; None for outside."""
    packs: int
    pack_ml: float
    """Content; of a confection what one weighs, g."""
    mass_kg: float
    brix: float
    reason: str
    for_woodlot_id: str | None


_pack_move = mapper(PackMove)


def pack_moves(db: Connection, since: datetime, until: datetime) -> list[PackMove]:
    """What packs came into and left the lots opened between two moments, oldest first."""
    rows = db.execute(
        """WITH lots AS (SELECT parcel.*, batch.code AS batch_code FROM parcel
                         JOIN batch ON batch.id = parcel.batch_id
                         WHERE parcel.kind IN ('lot', 'confection')
                             AND parcel.opened_at >= ? AND parcel.opened_at < ?)
           SELECT lots.code AS lot, lots.kind, lots.batch_code, 1 AS came,
                  flow.source_id AS other_id, flow.*, entry.at, entry.seq AS written
           FROM lots JOIN flow ON flow.target_id = lots.id
           JOIN line AS entry ON entry.id = flow.entry_id WHERE flow.packs IS NOT NULL
           UNION ALL
           SELECT lots.code, lots.kind, lots.batch_code, 0,
                  flow.target_id, flow.*, entry.at, entry.seq
           FROM lots JOIN flow ON flow.source_id = lots.id
           JOIN line AS entry ON entry.id = flow.entry_id WHERE flow.packs IS NOT NULL
           ORDER BY at, written""",
        (instant(since), instant(until)),
    )
    return [_pack_move(row) for row in rows]

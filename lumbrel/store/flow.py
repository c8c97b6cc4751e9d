"""What batches became: lots and their jars."""

from dataclasses import dataclass
from sqlite3 import Connection

from lumbrel.store.record import Batch, batch_of


@dataclass(frozen=True)
class Jar:
    """So many jars of one size in a lot."""

    size_ml: float
    count: int


def add_lot(db: Connection, code: str, batch_id: str) -> None:
    """Name the lot a batch becomes; the same name again is harmless."""
    db.execute("INSERT INTO lot VALUES (?, ?) ON CONFLICT (code) DO NOTHING", (code, batch_id))


def lot_owner(db: Connection, code: str) -> str | None:
    """Id of the batch that has a lot code."""
    row = db.execute("SELECT batch_id FROM lot WHERE code = ?", (code,)).fetchone()
    return row["batch_id"] if row else None


def lot_of(db: Connection, batch_id: str) -> str | None:
    """Lot code of a batch."""
    row = db.execute("SELECT code FROM lot WHERE batch_id = ?", (batch_id,)).fetchone()
    return row["code"] if row else None


def add_jars(db: Connection, entry_id: str, lot_code: str, jars: list[Jar]) -> None:
    """Write the jars of a jarring."""
    db.executemany(
        "INSERT INTO jar VALUES (?, ?, ?, ?)",
        [(entry_id, lot_code, jar.size_ml, jar.count) for jar in jars],
    )


def jars_of(db: Connection, lot_code: str) -> list[Jar]:
    """Jars of a lot as they stand: those of superseded jarrings do not count."""
    rows = db.execute(
        """SELECT size_ml, sum(count) AS count FROM jar
           WHERE lot_code = ? AND NOT EXISTS
               (SELECT 1 FROM entry WHERE entry.supersedes = jar.entry_id)
           GROUP BY size_ml ORDER BY size_ml DESC""",
        (lot_code,),
    )
    return [Jar(row["size_ml"], row["count"]) for row in rows]


def lots(db: Connection) -> list[tuple[str, Batch]]:
    """All lots with their batches, newest first."""
    rows = db.execute(
        """SELECT lot.code AS lot_code, batch.* FROM lot JOIN batch ON batch.id = lot.batch_id
           ORDER BY batch.opened_at DESC"""
    )
    return [(row["lot_code"], batch_of(row)) for row in rows]

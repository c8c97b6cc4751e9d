"""Alarms of batches: raised, and acknowledged."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.store.db import instant
from lumbrel.store.rows import mapper


@dataclass(frozen=True, kw_only=True)
class Alarm:
    """An alarm; `acknowledged_at` is None while it rings."""

    id: int
    batch_id: str
    kind: str
    raised_at: datetime
    words: str
    acknowledged_at: datetime | None
    acknowledged_by: str


_alarm = mapper(Alarm)


def raise_alarm(db: Connection, batch_id: str, kind: str, at: datetime, words: str) -> None:
    """Write an alarm that begins to ring."""
    db.execute(
        "INSERT INTO alarm (batch_id, kind, raised_at, words) VALUES (?, ?, ?, ?)",
        (batch_id, kind, instant(at), words),
    )


def of_batch(db: Connection, batch_id: str) -> list[Alarm]:
    """All alarms of a batch, oldest first."""
    rows = db.execute("SELECT * FROM alarm WHERE batch_id = ? ORDER BY id", (batch_id,))
    return [_alarm(row) for row in rows]


def ringing(db: Connection) -> list[Alarm]:
    """Alarms nobody has acknowledged, oldest first."""
    rows = db.execute("SELECT * FROM alarm WHERE acknowledged_at IS NULL ORDER BY id")
    return [_alarm(row) for row in rows]


def alarm(db: Connection, alarm_id: int) -> Alarm | None:
    row = db.execute("SELECT * FROM alarm WHERE id = ?", (alarm_id,)).fetchone()
    return _alarm(row) if row else None


def acknowledge(db: Connection, alarm_id: int, at: datetime, by: str) -> bool:
    """Stop an alarm's ringing; False when somebody had already."""
    cursor = db.execute(
        """UPDATE alarm SET acknowledged_at = ?, acknowledged_by = ?
           WHERE id = ? AND acknowledged_at IS NULL""",
        (instant(at), by, alarm_id),
    )
    return cursor.rowcount == 1

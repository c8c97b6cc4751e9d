"""Devices that send: their tokens, and what of theirs was not believed."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.store.db import instant
from lumbrel.store.rows import mapper


@dataclass(frozen=True)
class Trouble:
    """Samples of a device that were not believed, for one reason."""

    reason: str
    first_at: datetime
    last_at: datetime
    count: int


def add_token(db: Connection, token_hash: str, instrument_id: str, at: datetime) -> None:
    """Keep a token's hash for an instrument; older ones stop working."""
    db.execute(
        "UPDATE device_token SET revoked_at = ? WHERE instrument_id = ? AND revoked_at IS NULL",
        (instant(at), instrument_id),
    )
    db.execute(
        "INSERT INTO device_token (hash, instrument_id, made_at) VALUES (?, ?, ?)",
        (token_hash, instrument_id, instant(at)),
    )


def token_holder(db: Connection, token_hash: str) -> str | None:
    """The instrument a token's hash belongs to, while it works."""
    row = db.execute(
        "SELECT instrument_id FROM device_token WHERE hash = ? AND revoked_at IS NULL",
        (token_hash,),
    ).fetchone()
    return row["instrument_id"] if row else None


def note_trouble(db: Connection, instrument_id: str, reason: str, at: datetime, count: int) -> None:
    """Count samples that were not believed."""
    db.execute(
        """INSERT INTO sample_trouble VALUES (?, ?, ?, ?, ?)
           ON CONFLICT (instrument_id, reason) DO UPDATE
           SET last_at = excluded.last_at, count = count + excluded.count""",
        (instrument_id, reason, instant(at), instant(at), count),
    )


_trouble = mapper(Trouble)


def troubles(db: Connection, instrument_id: str, since: datetime) -> list[Trouble]:
    """What was not believed since a moment, the most recent first."""
    rows = db.execute(
        """SELECT * FROM sample_trouble WHERE instrument_id = ? AND last_at >= ?
           ORDER BY last_at DESC""",
        (instrument_id, instant(since)),
    )
    return [_trouble(row) for row in rows]

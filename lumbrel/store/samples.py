"""What devices send: temperatures of probes, pressures of barometers."""

from collections.abc import Iterable
from datetime import datetime
from sqlite3 import Connection
from typing import NamedTuple

from lumbrel.store.db import milliseconds, of_milliseconds

_DEVICE = "(SELECT number FROM device WHERE instrument_id = ?)"


class Sample(NamedTuple):
    """One value from a device: degC for a probe, Pa for a barometer."""

    at: datetime
    value: float


def add_samples(db: Connection, instrument_id: str, samples: Iterable[Sample]) -> int:
    """Write what a device sent; a sample of the same instant is written once.

    Returns:
        How many were new.
    """
    cursor = db.executemany(
        f"INSERT INTO sample (device, at, value) VALUES ({_DEVICE}, ?, ?) ON CONFLICT DO NOTHING",
        [(instrument_id, milliseconds(sample.at), sample.value) for sample in samples],
    )
    return cursor.rowcount


def latest_sample(db: Connection, instrument_id: str, until: datetime) -> Sample | None:
    """The newest sample of a device up to a moment."""
    row = db.execute(
        f"SELECT at, value FROM sample WHERE device = {_DEVICE} AND at <= ? ORDER BY at DESC LIMIT 1",
        (instrument_id, milliseconds(until)),
    ).fetchone()
    return Sample(of_milliseconds(row["at"]), row["value"]) if row else None


def samples(db: Connection, instrument_id: str, since: datetime, until: datetime) -> list[Sample]:
    """A device's samples between two moments, oldest first."""
    rows = db.execute(
        f"SELECT at, value FROM sample WHERE device = {_DEVICE} AND at BETWEEN ? AND ? ORDER BY at",
        (instrument_id, milliseconds(since), milliseconds(until)),
    )
    return [Sample(of_milliseconds(row["at"]), row["value"]) for row in rows]


def sample_arrays(
    db: Connection, instrument_id: str, since: datetime, until: datetime
) -> tuple[list[float], list[float]]:
    """A device's samples after a moment up to another, as seconds of the epoch and values."""
    rows = db.execute(
        f"""SELECT at / 1000.0, value FROM sample
           WHERE device = {_DEVICE} AND at > ? AND at <= ? ORDER BY at""",
        (instrument_id, milliseconds(since), milliseconds(until)),
    ).fetchall()
    return [row[0] for row in rows], [row[1] for row in rows]


def minute_samples(
    db: Connection, instrument_id: str, since: datetime, until: datetime
) -> list[Sample]:
    """A device's samples between two moments, the last of each minute."""
    rows = db.execute(
        f"""SELECT max(at) AS at, value FROM sample
           WHERE device = {_DEVICE} AND at BETWEEN ? AND ?
           GROUP BY at / 60000 ORDER BY at""",
        (instrument_id, milliseconds(since), milliseconds(until)),
    )
    return [Sample(of_milliseconds(row["at"]), row["value"]) for row in rows]

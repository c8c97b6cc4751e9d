"""What devices send: temperatures of probes, pressures of barometers."""

from collections.abc import Iterable
from datetime import datetime
from sqlite3 import Connection
from typing import NamedTuple

from lumbrel.store.db import instant, moment


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
        "INSERT INTO sample VALUES (?, ?, ?) ON CONFLICT DO NOTHING",
        [(instrument_id, instant(sample.at), sample.value) for sample in samples],
    )
    return cursor.rowcount


def latest_sample(db: Connection, instrument_id: str, until: datetime) -> Sample | None:
    """The newest sample of a device up to a moment."""
    row = db.execute(
        "SELECT at, value FROM sample WHERE instrument_id = ? AND at <= ? ORDER BY at DESC LIMIT 1",
        (instrument_id, instant(until)),
    ).fetchone()
    return Sample(moment(row["at"]), row["value"]) if row else None


def samples(db: Connection, instrument_id: str, since: datetime, until: datetime) -> list[Sample]:
    """A device's samples between two moments, oldest first."""
    rows = db.execute(
        "SELECT at, value FROM sample WHERE instrument_id = ? AND at BETWEEN ? AND ? ORDER BY at",
        (instrument_id, instant(since), instant(until)),
    )
    return [Sample(moment(row["at"]), row["value"]) for row in rows]


def sample_arrays(
    db: Connection, instrument_id: str, since: datetime, until: datetime
) -> tuple[list[float], list[float]]:
    """A device's samples after a moment up to another, as seconds of the epoch and values."""
    rows = db.execute(
        """SELECT CAST(strftime('%s', at) AS INTEGER) + substr(at, 21, 3) / 1000.0, value
           FROM sample
           WHERE instrument_id = ? AND at > ? AND at <= ? ORDER BY at""",
        (instrument_id, instant(since), instant(until)),
    ).fetchall()
    return [row[0] for row in rows], [row[1] for row in rows]


def minute_samples(
    db: Connection, instrument_id: str, since: datetime, until: datetime
) -> list[Sample]:
    """A device's samples between two moments, the last of each minute."""
    rows = db.execute(
        """SELECT max(at) AS at, value FROM sample
           WHERE instrument_id = ? AND at BETWEEN ? AND ?
           GROUP BY substr(at, 1, 16) ORDER BY at""",
        (instrument_id, instant(since), instant(until)),
    )
    return [Sample(moment(row["at"]), row["value"]) for row in rows]

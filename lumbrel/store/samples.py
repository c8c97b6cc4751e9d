"""What devices send: temperatures of probes, pressures of barometers."""

from collections.abc import Iterable
from datetime import datetime
from sqlite3 import Connection
from typing import NamedTuple

from lumbrel.store.db import instant, milliseconds, of_milliseconds

PUT_ONCE = """INSERT INTO sample SELECT ?1, ?2, ?3, ?4, ?5
    WHERE NOT EXISTS (SELECT 1 FROM sample WHERE device = ?1 AND at = ?2)"""
"""A sample or a mean: device, at, value, spread, count. One that is there stays."""
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
        """INSERT INTO sample (device, at, value) SELECT number, ?2, ?3 FROM device
           WHERE instrument_id = ?1
             AND NOT EXISTS (SELECT 1 FROM sample WHERE device = number AND at = ?2)""",
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


def newest_samples(db: Connection) -> tuple[int, ...]:
    """When each device sent last, in milliseconds: another as soon as any sends."""
    each = "SELECT coalesce((SELECT max(at) FROM sample WHERE device = number), 0) FROM device"
    return tuple(row[0] for row in db.execute(each))


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


def minute_samples(db: Connection, instrument_id: str, since: datetime, until: datetime) -> list[Sample]:
    """A device's samples between two moments, the last of each minute."""
    rows = db.execute(
        f"""SELECT max(at) AS at, value FROM sample
           WHERE device = {_DEVICE} AND at BETWEEN ? AND ?
           GROUP BY at / 60000 ORDER BY at""",
        (instrument_id, milliseconds(since), milliseconds(until)),
    )
    return [Sample(of_milliseconds(row["at"]), row["value"]) for row in rows]


def minute_means(db: Connection, instrument_id: str, since: datetime, until: datetime) -> list[Sample]:
    """A device's samples between two moments, the mean of each minute at its last moment."""
    rows = db.execute(
        f"""SELECT max(at) AS at, avg(value) AS value FROM sample
           WHERE device = {_DEVICE} AND at BETWEEN ? AND ?
           GROUP BY at / 60000 ORDER BY at""",
        (instrument_id, milliseconds(since), milliseconds(until)),
    )
    return [Sample(of_milliseconds(row["at"]), row["value"]) for row in rows]


def first_to_thin(db: Connection, instrument_id: str, before: datetime) -> datetime | None:
    """The first sample of a device that is not thinned yet, of those before a moment."""
    row = db.execute(
        f"""SELECT min(at) AS at FROM sample
            WHERE device = {_DEVICE} AND at < ?
              AND at >= coalesce((SELECT until FROM thinned WHERE device = {_DEVICE}), -1e18)""",
        (instrument_id, milliseconds(before), instrument_id),
    ).fetchone()
    return of_milliseconds(row["at"]) if row["at"] is not None else None


def thinned_until(db: Connection, device: int) -> int:
    """Up to when a device's samples are means, ms since 1970; before all time where none are."""
    row = db.execute("SELECT until FROM thinned WHERE device = ?", (device,)).fetchone()
    return int(row["until"]) if row else -(2**62)


MINUTE_MS = 60_000


def thin(db: Connection, instrument_id: str, since: datetime, until: datetime) -> int:
    """Put one mean a minute in the place of a device's samples between two moments, with their
    spread (one sigma) and of how many it is; it stands in the middle of its minute.

    Returns:
        How many samples became means.
    """
    low, high = milliseconds(since) // MINUTE_MS * MINUTE_MS, milliseconds(until)
    device = db.execute("SELECT number FROM device WHERE instrument_id = ?", (instrument_id,)).fetchone()[
        "number"
    ]
    rows = db.execute(
        """SELECT at / ?1 AS minute, count(*) AS n, avg(value) AS mean, avg(value * value) AS square
           FROM sample WHERE device = ?2 AND at >= ?3 AND at < ?4 AND count IS NULL
           GROUP BY at / ?1""",
        (MINUTE_MS, device, low, high),
    ).fetchall()
    db.execute(
        """INSERT INTO thinned VALUES (?, ?)
           ON CONFLICT (device) DO UPDATE SET until = max(until, excluded.until)""",
        (device, high),
    )
    db.execute(
        "DELETE FROM sample WHERE device = ? AND at >= ? AND at < ? AND count IS NULL", (device, low, high)
    )
    db.executemany(
        PUT_ONCE,
        [
            (
                device,
                row["minute"] * MINUTE_MS + MINUTE_MS // 2,
                round(row["mean"], 4),
                round(max(row["square"] - row["mean"] ** 2, 0.0) ** 0.5, 4),
                row["n"],
            )
            for row in rows
        ],
    )
    return sum(row["n"] for row in rows)


def keep_run(db: Connection, batch_id: str, probe_id: str, until: datetime, told: str) -> None:
    """Keep what a probe's run told of a batch up to a moment, as JSON."""
    db.execute(
        """INSERT INTO kept_run SELECT ?1, ?2, ?3, ?4
           WHERE NOT EXISTS (SELECT 1 FROM kept_run WHERE batch_id = ?1)""",
        (batch_id, probe_id, instant(until), told),
    )


def kept_run(db: Connection, batch_id: str, probe_id: str, until: datetime) -> str | None:
    """What was kept of a batch's run up to a moment; None when nothing was, or of another end."""
    row = db.execute(
        "SELECT points FROM kept_run WHERE batch_id = ? AND probe_id = ? AND until = ?",
        (batch_id, probe_id, instant(until)),
    ).fetchone()
    return row["points"] if row else None

"""Kept of vessels and instruments: which readings made pairs, what was used and for how long, where a boil stood."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.store.db import AFTER_ALL, BEFORE_ALL, instant, moment
from lumbrel.store.rows import mapper


@dataclass(frozen=True)
class Pair:
    """A hot reading and the cold one after it, of one draw and one hydrometer."""

    instrument_id: str
    hot_id: str
    cold_id: str
    cold_at: datetime


_pair = mapper(Pair)


@dataclass(frozen=True)
class Use:
    """How often a batch read an instrument, and when last."""

    instrument_id: str
    times: int
    last_at: datetime


def keep_pairs(db: Connection, batch_id: str, pairs: list[Pair]) -> set[Pair]:
    """The hot and cold pairs of a batch; which of them came or went."""
    rows = db.execute("SELECT * FROM pair WHERE batch_id = ?", (batch_id,))
    changed = {_pair(row) for row in rows} ^ set(pairs)
    if not changed:
        return changed
    db.execute("DELETE FROM pair WHERE batch_id = ?", (batch_id,))
    db.executemany(
        "INSERT INTO pair VALUES (?, ?, ?, ?, ?)",
        [(p.instrument_id, instant(p.cold_at), batch_id, p.hot_id, p.cold_id) for p in pairs],
    )
    return changed


def keep_uses(db: Connection, batch_id: str, uses: list[Use]) -> None:
    """Which instruments a batch was read with."""
    db.execute("DELETE FROM used WHERE batch_id = ?", (batch_id,))
    db.executemany(
        "INSERT INTO used VALUES (?, ?, ?, ?)",
        [(u.instrument_id, instant(u.last_at), batch_id, u.times) for u in uses],
    )


def pairs(db: Connection, instrument_id: str, until: datetime, limit: int) -> list[Pair]:
    """A hydrometer's hot and cold pairs whose cold reading is from a moment or before: the newest
    so many, the newest first."""
    rows = db.execute(
        """SELECT * FROM pair WHERE instrument_id = ? AND cold_at <= ?
           ORDER BY cold_at DESC, batch_id LIMIT ?""",
        (instrument_id, instant(until), limit),
    )
    return [_pair(row) for row in rows]


def pair_around(db: Connection, instrument_id: str, at: datetime) -> tuple[datetime, datetime]:
    """When a hydrometer's last pair up to a moment was read cold, and when the next one is."""
    wanted = (instrument_id, instant(at))
    of = "cold_at) FROM pair WHERE instrument_id = ? AND cold_at"
    before = db.execute(f"SELECT max({of} <= ?", wanted).fetchone()[0]
    after = db.execute(f"SELECT min({of} > ?", wanted).fetchone()[0]
    return (moment(before) if before else BEFORE_ALL, moment(after) if after else AFTER_ALL)


def uses_of(db: Connection, batch_id: str) -> list[Use]:
    """Which instruments a batch was read with."""
    rows = db.execute("SELECT * FROM used WHERE batch_id = ?", (batch_id,))
    return [Use(row["instrument_id"], row["times"], moment(row["last_at"])) for row in rows]


def times_used(db: Connection, instrument_id: str) -> tuple[int, datetime | None]:
    """How often an instrument was read on any slip, and when last."""
    total = db.execute("SELECT times FROM used_in_all WHERE instrument_id = ?", (instrument_id,)).fetchone()
    last = db.execute(
        "SELECT last_at FROM used WHERE instrument_id = ? ORDER BY last_at DESC LIMIT 1", (instrument_id,)
    ).fetchone()
    return (total["times"] if total else 0, moment(last["last_at"]) if last else None)

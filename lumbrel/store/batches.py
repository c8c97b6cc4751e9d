"""Batches, their slips, and the lots they became."""

import json
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from itertools import groupby
from sqlite3 import Connection, Row
from typing import Any

from lumbrel.store.db import instant, moment


@dataclass(frozen=True)
class Batch:
    """A batch as it was opened. The target and the schools in force are kept with it."""

    id: str
    code: str
    opened_at: datetime
    woodlot_id: str
    vessel_id: str
    sugar_kind: str
    target_brix: float
    draw_margin_brix: float
    schools: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Entry:
    """One line of a slip: `typed` as it was typed, `facts` in SI as understood or decided.

    `superseded` is set when loaded: a later entry amends this one.
    """

    id: str
    batch_id: str
    kind: str
    at: datetime
    noted_at: datetime
    typed: dict[str, str] = field(default_factory=dict)
    facts: dict[str, Any] = field(default_factory=dict)
    supersedes: str | None = None
    why: str = ""
    initials: str = ""
    superseded: bool = False


@dataclass(frozen=True)
class Jar:
    """So many jars of one size in a lot."""

    size_ml: float
    count: int


def next_code(db: Connection, year: int) -> str:
    """The next batch code of a year, as 26-041."""
    prefix = f"{year % 100:02d}-"
    row = db.execute(
        "SELECT max(CAST(substr(code, 4) AS INTEGER)) AS last FROM batch WHERE code LIKE ?",
        (prefix + "%",),
    ).fetchone()
    return f"{prefix}{(row['last'] or 0) + 1:03d}"


def add_batch(db: Connection, batch: Batch) -> None:
    """Open a batch."""
    db.execute(
        "INSERT INTO batch VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            batch.id, batch.code, instant(batch.opened_at), batch.woodlot_id, batch.vessel_id,
            batch.sugar_kind, batch.target_brix, batch.draw_margin_brix,
            json.dumps(batch.schools),
        ),
    )  # fmt: skip


def _batch(row: Row) -> Batch:
    return Batch(
        row["id"], row["code"], moment(row["opened_at"]), row["woodlot_id"], row["vessel_id"],
        row["sugar_kind"], row["target_brix"], row["draw_margin_brix"],
        json.loads(row["schools"]),
    )  # fmt: skip


def batch_by(db: Connection, *, code: str = "", id: str = "") -> Batch | None:
    """A batch by its code or its id."""
    row = db.execute("SELECT * FROM batch WHERE code = ? OR id = ?", (code, id)).fetchone()
    return _batch(row) if row else None


def batches(db: Connection) -> list[Batch]:
    """All batches, oldest first."""
    return [_batch(row) for row in db.execute("SELECT * FROM batch ORDER BY opened_at, code")]


def batches_at(db: Connection, done: tuple[str, ...], wanting: str) -> list[Batch]:
    """Batches whose slips hold standing entries of all kinds in `done` and none of `wanting`.

    Oldest first. "Standing" means not superseded.
    """
    marks = ", ".join("?" * len(done))
    rows = db.execute(
        f"""WITH standing AS (
                SELECT batch_id, kind FROM entry AS e
                WHERE NOT EXISTS (SELECT 1 FROM entry AS later WHERE later.supersedes = e.id))
            SELECT * FROM batch
            WHERE (SELECT count(DISTINCT kind) FROM standing
                   WHERE batch_id = batch.id AND kind IN ({marks})) = ?
              AND NOT EXISTS (SELECT 1 FROM standing WHERE batch_id = batch.id AND kind = ?)
            ORDER BY opened_at""",
        (*done, len(done), wanting),
    )
    return [_batch(row) for row in rows]


def add_entry(db: Connection, entry: Entry) -> bool:
    """Put an entry on a slip. Returns False, and writes nothing, when its id is there already."""
    cursor = db.execute(
        "INSERT INTO entry VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (id) DO NOTHING",
        (
            entry.id, entry.batch_id, entry.kind, instant(entry.at), instant(entry.noted_at),
            json.dumps(entry.typed), json.dumps(entry.facts), entry.supersedes, entry.why,
            entry.initials,
        ),
    )  # fmt: skip
    return cursor.rowcount == 1


_ENTRY = """SELECT e.*, EXISTS (SELECT 1 FROM entry AS later WHERE later.supersedes = e.id)
                AS superseded FROM entry AS e """


def _entry(row: Row) -> Entry:
    return Entry(
        row["id"], row["batch_id"], row["kind"], moment(row["at"]), moment(row["noted_at"]),
        json.loads(row["typed"]), json.loads(row["facts"]), row["supersedes"], row["why"],
        row["initials"], bool(row["superseded"]),
    )  # fmt: skip


def entries(db: Connection, batch_id: str) -> list[Entry]:
    """The whole slip of a batch in order of time, superseded lines included."""
    rows = db.execute(_ENTRY + "WHERE batch_id = ? ORDER BY at, noted_at, rowid", (batch_id,))
    return [_entry(row) for row in rows]


def entry_by_id(db: Connection, entry_id: str) -> Entry | None:
    """One entry."""
    row = db.execute(_ENTRY + "WHERE id = ?", (entry_id,)).fetchone()
    return _entry(row) if row else None


def standing_of_kind(
    db: Connection, kind: str, *, vessel_id: str = "", limit: int = 1000
) -> list[Entry]:
    """Standing entries of a kind over all batches (of a vessel), newest first."""
    rows = db.execute(
        _ENTRY
        + """JOIN batch ON batch.id = e.batch_id
           WHERE e.kind = ? AND ? IN ('', batch.vessel_id) AND NOT superseded
           ORDER BY e.at DESC LIMIT ?""",
        (kind, vessel_id, limit),
    )
    return [_entry(row) for row in rows]


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
    return [(row["lot_code"], _batch(row)) for row in rows]


def demo_state(db: Connection) -> tuple[datetime, dict[str, Any]] | None:
    """Where the demo's clock and simulator stood."""
    row = db.execute("SELECT * FROM demo_state").fetchone()
    return (moment(row["at"]), json.loads(row["state"])) if row else None


def save_demo_state(db: Connection, at: datetime, state: dict[str, Any]) -> None:
    """Keep where the demo's clock and simulator stand."""
    db.execute(
        """INSERT INTO demo_state VALUES (1, ?, ?)
           ON CONFLICT (only) DO UPDATE SET at = excluded.at, state = excluded.state""",
        (instant(at), json.dumps(state)),
    )


def hot_and_cold(
    db: Connection,
    instrument_id: str,
    hot_from_c: float,
    cold_c: tuple[float, float],
    same_draw: timedelta,
) -> list[tuple[str, Entry, Entry]]:
    """Draws that a hydrometer read both hot and cold: batch code, hot line, first cold line.

    The hot reading is the last one no earlier than `same_draw` before the draw and before the
    cold one; nothing was put in after the hot reading and before the cold one. Assumed cups and
    readings below the scale teach nothing. Oldest first.
    """
    pairs = []
    rows = db.execute(
        _ENTRY
        + """WHERE e.kind IN ('draw', 'added', 'hydrometer') AND NOT superseded
           ORDER BY e.batch_id, e.at, e.noted_at"""
    )
    for batch_id, group in groupby((_entry(row) for row in rows), key=lambda e: e.batch_id):
        slip = list(group)
        drawn = next((e for e in slip if e.kind == "draw"), None)
        if drawn is None:
            continue
        hot: Entry | None = None
        for entry in slip:
            if entry.kind == "added":
                hot = None
            elif entry.kind == "hydrometer" and _teaches(entry, instrument_id):
                cup = entry.facts["cup_c"]
                if cup >= hot_from_c and entry.at >= drawn.at - same_draw:
                    hot = entry
                elif hot is not None and cold_c[0] <= cup <= cold_c[1]:
                    pairs.append((batch_id, hot, entry))
                    break
    codes = {b.id: b.code for b in batches(db)}
    pairs.sort(key=lambda pair: pair[1].at)
    return [(codes[batch_id], hot, cold) for batch_id, hot, cold in pairs]


def _teaches(entry: Entry, instrument_id: str) -> bool:
    facts = entry.facts
    plain = not facts.get("below_scale") and not facts.get("cup_assumed")
    return facts["instrument_id"] == instrument_id and plain

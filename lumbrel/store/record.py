"""Batches and their slips."""

import json
from dataclasses import dataclass, field
from datetime import datetime
from sqlite3 import Connection, Row
from typing import Any

from lumbrel.store.db import instant, moment


@dataclass(frozen=True, kw_only=True)
class Batch:
    """A batch as it was opened. The target and the methods in force are kept with it."""

    id: str
    code: str
    opened_at: datetime
    woodlot_id: str
    vessel_id: str
    sugar_kind: str
    target_brix: float
    draw_margin_brix: float
    methods: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class EntryRow:
    """One line of a slip: `typed` as it was typed, `facts` in SI as understood or decided, in
    the version of its kind that it was written in.

    `superseded` is set when loaded: a later line corrects or strikes this one.
    """

    id: str
    batch_id: str
    kind: str
    at: datetime
    noted_at: datetime
    typed: dict[str, str] = field(default_factory=dict)
    facts: dict[str, Any] = field(default_factory=dict)
    facts_version: int = 1
    supersedes: str | None = None
    why: str = ""
    initials: str = ""
    superseded: bool = False


def next_code(db: Connection, year: int) -> str:
    """The next batch code of a year, as 26-041."""
    prefix = f"{year % 100:02d}-"
    row = db.execute(
        """SELECT max(CAST(substr(code, 4) AS INTEGER)) AS last FROM batch
           WHERE code >= ? AND code < ?""",
        (prefix, prefix + ":"),
    ).fetchone()
    return f"{prefix}{(row['last'] or 0) + 1:03d}"


def add_batch(db: Connection, batch: Batch) -> None:
    """Open a batch."""
    db.execute(
        "INSERT INTO batch VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            batch.id,
            batch.code,
            instant(batch.opened_at),
            batch.woodlot_id,
            batch.vessel_id,
            batch.sugar_kind,
            batch.target_brix,
            batch.draw_margin_brix,
            json.dumps(batch.methods),
        ),
    )


def batch_of(row: Row) -> Batch:
    """A row of the batch table."""
    return Batch(
        id=row["id"],
        code=row["code"],
        opened_at=moment(row["opened_at"]),
        woodlot_id=row["woodlot_id"],
        vessel_id=row["vessel_id"],
        sugar_kind=row["sugar_kind"],
        target_brix=row["target_brix"],
        draw_margin_brix=row["draw_margin_brix"],
        methods=json.loads(row["methods"]),
    )


def batch_by(db: Connection, *, code: str = "", id: str = "") -> Batch | None:
    """A batch by its code or its id."""
    row = db.execute("SELECT * FROM batch WHERE code = ? OR id = ?", (code, id)).fetchone()
    return batch_of(row) if row else None


def batch_ids(db: Connection) -> list[str]:
    """Every batch, oldest first, for what looks at the whole record."""
    return [row["id"] for row in db.execute("SELECT id FROM batch ORDER BY opened_at, code")]


def add_entry(db: Connection, entry: EntryRow) -> bool:
    """Put an entry on a slip. Returns False, and writes nothing, when its id is there already."""
    if db.execute("SELECT 1 FROM entry WHERE id = ?", (entry.id,)).fetchone():
        return False
    db.execute(
        """INSERT INTO entry (id, batch_id, kind, at, noted_at, typed, facts, facts_version,
                              supersedes, why, initials)
           VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)""",
        (
            entry.id,
            entry.batch_id,
            entry.kind,
            instant(entry.at),
            instant(entry.noted_at),
            json.dumps(entry.typed),
            json.dumps(entry.facts),
            entry.facts_version,
            entry.supersedes,
            entry.why,
            entry.initials,
        ),
    )
    return True


_ENTRY = """SELECT e.*, EXISTS (SELECT 1 FROM entry AS later WHERE later.supersedes = e.id)
                AS superseded FROM entry AS e """


def entry_of(row: Row) -> EntryRow:
    """A row of a slip."""
    return EntryRow(
        id=row["id"],
        batch_id=row["batch_id"],
        kind=row["kind"],
        at=moment(row["at"]),
        noted_at=moment(row["noted_at"]),
        typed=json.loads(row["typed"]),
        facts=json.loads(row["facts"]),
        facts_version=row["facts_version"],
        supersedes=row["supersedes"],
        why=row["why"],
        initials=row["initials"],
        superseded=bool(row["superseded"]),
    )


def slip_rows(db: Connection, batch_id: str) -> list[Row]:
    """The whole slip of a batch in order of time, superseded lines included, as it is stored."""
    order = "WHERE batch_id = ? ORDER BY at, noted_at, rowid"
    return db.execute(_ENTRY + order, (batch_id,)).fetchall()


def entries(db: Connection, batch_id: str) -> list[EntryRow]:
    """The whole slip of a batch in order of time, superseded lines included."""
    return [entry_of(row) for row in slip_rows(db, batch_id)]


def written_so_far(db: Connection) -> int:
    """A number that grows with every line put on any slip."""
    row = db.execute("SELECT max(rowid) AS last FROM entry").fetchone()
    return int(row["last"] or 0)


def stamp(db: Connection) -> tuple[object, ...]:
    """What is another as soon as anything is written that a figure can rest on, samples apart:
    lines, settings, instruments, pressures, boils, checks."""
    row = db.execute(
        """SELECT (SELECT max(rowid) FROM entry), (SELECT max(seq) FROM setting),
                  (SELECT max(rowid) FROM instrument), (SELECT max(retired_at) FROM instrument),
                  (SELECT count(retired_at) FROM instrument), (SELECT max(rowid) FROM test_boil),
                  (SELECT max(rowid) FROM ice_point), (SELECT max(rowid) FROM scale_check),
                  (SELECT max(rowid) FROM pressure_note), (SELECT count(*) FROM registered)"""
    ).fetchone()
    return tuple(row)


def lines_on(db: Connection, batch_id: str) -> int:
    """How many lines a slip holds, superseded ones included."""
    row = db.execute("SELECT count(*) AS lines FROM entry WHERE batch_id = ?", (batch_id,))
    return int(row.fetchone()["lines"])


def entry_by_id(db: Connection, entry_id: str) -> EntryRow | None:
    """One entry."""
    row = db.execute(_ENTRY + "WHERE id = ?", (entry_id,)).fetchone()
    return entry_of(row) if row else None


def current_of_kind(db: Connection, kind: str, limit: int = 1000) -> list[EntryRow]:
    """Standing entries of a kind over all batches, newest first."""
    rows = db.execute(
        _ENTRY
        + """WHERE e.kind = ? AND NOT superseded
           ORDER BY e.at DESC LIMIT ?""",
        (kind, limit),
    )
    return [entry_of(row) for row in rows]

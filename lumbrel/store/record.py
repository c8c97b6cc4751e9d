"""Batches."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from sqlite3 import Connection

from lumbrel.store.book import written_so_far
from lumbrel.store.registered import register
from lumbrel.store.rows import columns_of, mapper


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


batch_of = mapper(Batch)


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
    register(db, "batch", columns_of(batch), ("code",))


def batch_by(db: Connection, *, code: str = "", id: str = "") -> Batch | None:
    row = db.execute("SELECT * FROM batch WHERE code = ? OR id = ?", (code, id)).fetchone()
    return batch_of(row) if row else None


def batch_ids(db: Connection) -> list[str]:
    """Every batch, oldest first, for what looks at the whole record."""
    return [row["id"] for row in db.execute("SELECT id FROM batch ORDER BY opened_at, code")]


def codes_of(db: Connection, batch_ids: Sequence[str]) -> dict[str, str]:
    """The codes of some batches, by their ids."""
    marks = ", ".join("?" * len(batch_ids))
    return dict(db.execute(f"SELECT id, code FROM batch WHERE id IN ({marks})", batch_ids))


def any_batch(db: Connection) -> bool:
    """Whether a batch was ever opened."""
    return db.execute("SELECT max(opened_at) FROM batch").fetchone()[0] is not None


def stamp(db: Connection) -> tuple[object, ...]:
    """What is another as soon as anything is written that a figure can rest on, samples apart:
    lines, settings, instruments."""
    return (written_so_far(db),)

"""The instruments of a kitchen, each with what its kind needs."""

import json
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.store.db import instant, moment


@dataclass(frozen=True)
class Instrument:
    """A registered instrument; `detail` holds what its kind needs (scale, glass, sort ...).

    `vessel_id` is set for a probe that stands in a vessel.
    """

    id: str
    kind: str
    name: str
    detail: dict[str, Any]
    vessel_id: str | None = None
    retired_at: datetime | None = None


def add_instrument(db: Connection, instrument: Instrument) -> None:
    """Register an instrument; the same id twice is written once."""
    db.execute(
        """INSERT INTO instrument (id, kind, name, detail, vessel_id) VALUES (?, ?, ?, ?, ?)
           ON CONFLICT (id) DO NOTHING""",
        (
            instrument.id, instrument.kind, instrument.name, json.dumps(instrument.detail),
            instrument.vessel_id,
        ),
    )  # fmt: skip


def instruments(db: Connection, kind: str = "", *, retired: bool = False) -> list[Instrument]:
    """Instruments of a kind, or all, in the order they were registered.

    Those in use only, unless `retired` asks for the others as well.
    """
    rows = db.execute(
        """SELECT * FROM instrument WHERE ? IN ('', kind) AND (? OR retired_at IS NULL)
           ORDER BY rowid""",
        (kind, retired),
    )
    return [
        Instrument(
            row["id"], row["kind"], row["name"], json.loads(row["detail"]), row["vessel_id"],
            moment(row["retired_at"]) if row["retired_at"] else None,
        )
        for row in rows
    ]  # fmt: skip


def retire_instrument(db: Connection, instrument_id: str, at: datetime | None) -> None:
    """Retire an instrument, or with None take it into use again."""
    db.execute(
        "UPDATE instrument SET retired_at = ? WHERE id = ?",
        (instant(at) if at else None, instrument_id),
    )

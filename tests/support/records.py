"""What tests of the record say of it."""

import json
import sqlite3
from datetime import UTC, datetime, timedelta
from typing import Any

from lumbrel.exchange import batch_files
from lumbrel.services.base import batch as contexts
from tests.support.kitchen import NOON

AFTERNOON = datetime(2026, 4, 18, 14, 25, tzinfo=UTC)
"""On the demonstration's last day."""
SURE = {"reading_confirmed": "1", "pressure_confirmed": "1"}


def lines(db: sqlite3.Connection, code: str) -> list[dict[str, Any]]:
    """A batch's slip as its file gives it."""
    context = contexts.load(db, code, NOON + timedelta(days=30))
    slip: list[dict[str, Any]] = json.loads(batch_files.as_json(context))["slip"]
    return slip


def figures(db: sqlite3.Connection, code: str) -> list[tuple[str, float | None]]:
    """What each of its lines says of density."""
    return [(line["id"], line["corrected_brix"]) for line in lines(db, code)]

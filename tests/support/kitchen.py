"""Kitchens for tests: an equipped one, and the demonstration made once for all that read it."""

import atexit
import os
import shutil
import tempfile
import unittest
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from pathlib import Path
from sqlite3 import Connection
from typing import Any

from lumbrel import demo
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import StruckFacts
from lumbrel.services.base.form import CONFIRMED
from lumbrel.services.kitchen import example
from lumbrel.services.record.kept import ready, write
from lumbrel.services.record.sums import SUMS
from lumbrel.services.stations import slip
from lumbrel.services.take_in import opening
from lumbrel.store.db import connect, transaction

NOON = datetime(2026, 3, 18, 12, 0, tzinfo=UTC)


class KitchenCase(unittest.TestCase):
    """A test with the example kitchen equipped and nothing in it."""

    db: Connection
    folder: Path

    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)
        self.path = self.folder / "lumbrel.sqlite3"
        self.db = connect(self.path)
        self.addCleanup(self.db.close)
        ready(self.db)
        example.load_example(self.db, NOON)

    def take_in(self, at: datetime = NOON, **other: str) -> str:
        """Open a batch of 30 kg at 45 Brix in Finisher 2; returns its code."""
        fields = {
            "vessel": "finisher-2",
            "sugar_kind": "maple",
            "woodlot": "north-kiln",
            "amount_by": "mass",
            "amount": "30 kg",
            "brix": "45",
            "temperature": "60 C",
            **other,
        }
        return opening.open_batch(self.db, at, fields)

    def put(self, code: str, kind: str, minutes: float, **fields: str) -> Entry[Any]:
        """Put an entry on a slip so many minutes after noon."""
        return slip.put(self.db, code, kind, fields, NOON + timedelta(minutes=minutes))


SEASON = "LUMBREL_TESTS_SEASON"
"""The environment's name for the season that was made for all processes of tests."""


def make_season(folder: Path) -> Path:
    """The demonstration's database, made in a folder."""
    path = demo.database(folder)
    demo.make(path)
    return path


@lru_cache(maxsize=1)
def _season() -> Path:
    made = os.environ.get(SEASON, "")
    if made:
        return Path(made)
    folder = Path(tempfile.mkdtemp())
    atexit.register(shutil.rmtree, folder)
    return make_season(folder)


def season_copy(folder: Path) -> Path:
    """A copy of the demonstration's database, to be written in."""
    folder.mkdir(parents=True, exist_ok=True)
    return Path(shutil.copy(_season(), demo.database(folder)))


def struck_as_before(db: Connection, line: Entry[Any]) -> None:
    """Strike a line as versions before did, whatever rests on it."""
    struck = Entry(
        id=f"struck-{line.id}",
        about_id=line.batch_id,
        at=line.at,
        noted_at=line.noted_at,
        facts=StruckFacts(),
        typed={f"{SUMS}{CONFIRMED}": "1"},
        supersedes=line.id,
        why="wrong pan",
    )
    with transaction(db):
        write(db, struck)

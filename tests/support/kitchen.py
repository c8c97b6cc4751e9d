"""Kitchens for tests: an equipped one, and the demonstration made once for all that read it."""

import hashlib
import shutil
import tempfile
import unittest
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from pathlib import Path
from sqlite3 import Connection
from typing import Any

import lumbrel
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


SOURCE = Path(lumbrel.__file__).parent
SEASONS = Path(tempfile.gettempdir()) / "lumbrel-seasons"


@lru_cache(maxsize=1)
def season() -> Path:
    """The demonstration's database, made once for each state of the source and shared by all processes."""
    mine = SEASONS / _state_of_the_source()
    if not mine.exists():
        SEASONS.mkdir(exist_ok=True)
        for older in sorted(SEASONS.iterdir(), key=lambda path: path.stat().st_mtime)[:-KEPT]:
            shutil.rmtree(older, ignore_errors=True)
        making = Path(tempfile.mkdtemp(dir=SEASONS))
        demo.make(demo.database(making))
        try:
            making.rename(mine)
        except OSError:  # another process was first
            shutil.rmtree(making)
    return demo.database(mine)


KEPT = 4
"""So many states of the source are kept: of one now, and of those that others try."""


def _state_of_the_source() -> str:
    found = hashlib.sha256()
    for path in sorted(SOURCE.rglob("*")):
        if path.suffix in (".py", ".sql", ".csv", ".json"):
            found.update(path.read_bytes())
    return found.hexdigest()[:24]


def season_copy(folder: Path) -> Path:
    """A copy of the demonstration's database, to be written in."""
    folder.mkdir(parents=True, exist_ok=True)
    return Path(shutil.copy(season(), demo.database(folder)))


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

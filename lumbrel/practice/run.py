"""What every practice has: its own clock and record, and a thread in which its world goes on."""

import random
import tempfile
import threading
import time
from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from sqlite3 import Connection

from lumbrel.practice.faults import Fault
from lumbrel.services.kitchen import example
from lumbrel.services.record.kept import ready
from lumbrel.store import safe
from lumbrel.store import samples as samples_store
from lumbrel.store.db import opened
from lumbrel.store.instruments import BarometerDetail, Instrument, add_instrument
from lumbrel.store.kitchen import Kitchen, save_kitchen
from lumbrel.words import _

STARTS_AT = datetime(2026, 3, 14, 19, 0, tzinfo=UTC)
SPEEDS = (1, 5, 20, 60)
TICK_S = 0.2
BAROMETER = Instrument(id="barometer", name=_("Kitchen barometer"), detail=BarometerDetail(shows="station"))


class PracticeClock:
    """A clock that runs as many times faster as it is told."""

    def __init__(self, speed: float) -> None:
        self._at, self._since, self.speed = STARTS_AT, time.monotonic(), speed

    def __call__(self) -> datetime:
        """Now, in the practice kitchen."""
        return self._at + timedelta(seconds=(time.monotonic() - self._since) * self.speed)

    def run_at(self, speed: float) -> None:
        """Go on from now at another speed."""
        self._at, self._since, self.speed = self(), time.monotonic(), speed


@dataclass(frozen=True)
class Seen:
    """What is seen when a person looks: at what, and in words."""

    kind: str
    words: str
    title: str
    then: str
    """Where it is typed."""


class PracticeRun(ABC):
    """One practice: its record, its clock, and what it hides.

    Args:
        speed: 1 to 60 times real time.
        known: the faults that it can hide.
        faults: keys of those it hides.
        seed: of everything random in it.
    """

    name: str

    def __init__(self, speed: float, known: Sequence[Fault], faults: Sequence[str], seed: int) -> None:
        self.faults = tuple(f.key for f in known if f.key in faults)
        self.clock = PracticeClock(speed)
        self.began: dict[str, datetime] = {}
        self.boiled_over = False
        self._folder = tempfile.TemporaryDirectory(prefix="lumbrel-practice-")
        self.database = Path(self._folder.name) / "practice.sqlite3"
        self._rng = random.Random(seed)
        self._lock = threading.Lock()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="practice-pan", daemon=True)
        self._last = STARTS_AT

    @property
    @abstractmethod
    def home(self) -> str:
        """The address of its page."""

    @property
    @abstractmethod
    def looks(self) -> tuple[tuple[str, str], ...]:
        """What can be looked at now, each with what the button says."""

    @abstractmethod
    def advance(self, db: Connection, now: datetime) -> None:
        """Let its world go on to a moment."""

    @abstractmethod
    def look(self, at_what: str) -> Seen:
        """What a person sees who looks at one of `looks`."""

    def start(self) -> None:
        """Light the burner."""
        self.clock.run_at(self.clock.speed)
        self._thread.start()

    def stop(self) -> None:
        """End it and forget its record."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(timeout=5)
        self._folder.cleanup()

    def _run(self) -> None:
        with opened(self.database) as db:
            while not self._stop.wait(TICK_S):
                self.advance(db, self.clock())

    @staticmethod
    def _equip(db: Connection, pressure_pa: float, since: datetime = STARTS_AT) -> None:
        """A kitchen with the example's vessels and instruments, and a barometer."""
        ready(db)
        safe.set_nature(db, "practice")
        example.load_example(db, since)
        kitchen = Kitchen(name=_("Practice"), elevation_m=example.EXAMPLE_ELEVATION_M, time_zone="UTC")
        save_kitchen(db, kitchen, since)
        add_instrument(db, BAROMETER)
        samples_store.add_samples(db, BAROMETER.id, [samples_store.Sample(STARTS_AT, pressure_pa)])

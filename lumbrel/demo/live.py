"""The demonstration while it runs: a clock of its own, and one vessel that really boils."""

import random
import threading
import time
from datetime import datetime, timedelta
from pathlib import Path
from sqlite3 import Connection

from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.demo.at_the_pan import PROBE_OFFSET_K, SEED, STARTS_AT
from lumbrel.demo.season import BAROMETER, CUP_PROBE
from lumbrel.devices.protocols import Barometer, Probe
from lumbrel.services.base import batch as contexts
from lumbrel.services.kitchen import example
from lumbrel.services.stations import waiting
from lumbrel.store import demo as demo_store
from lumbrel.store import record
from lumbrel.store import samples as samples_store
from lumbrel.store.db import opened
from lumbrel.store.samples import Sample
from lumbrel.worlds.air import SimulatedBarometer
from lumbrel.worlds.book import SimulatedCup, SimulatedFinisher, SimulatedProbe

TICK_SECONDS = 1.0


class DemoClock:
    """The demo's time: it goes on from where it stopped, and stands still while it is off."""

    def __init__(self, at: datetime, frozen: bool = False) -> None:
        self._at, self._started, self._frozen = at, time.monotonic(), frozen

    def __call__(self) -> datetime:
        """Now, in the kitchen."""
        if self._frozen:
            return self._at
        return self._at + timedelta(seconds=time.monotonic() - self._started)


def clock(path: Path, frozen: bool = False) -> DemoClock:
    """The demo's clock from where its database stopped."""
    with opened(path) as db:
        stopped = demo_store.demo_state(db)
    return DemoClock(stopped[0] if stopped else STARTS_AT, frozen)


class LiveVessel(threading.Thread):
    """Finisher 1 while the demo runs: its probe streams, its barometer reports."""

    def __init__(self, path: Path, now: DemoClock) -> None:
        super().__init__(name="live-vessel", daemon=True)
        self._path, self._now = path, now
        self._stop_event = threading.Event()
        self._noise = random.Random(SEED + 1)
        self._barometer: Barometer = SimulatedBarometer(example.EXAMPLE_ELEVATION_M)
        self._pot: SimulatedFinisher | None = None
        self._batch_id = ""
        self._last: datetime | None = None

    def stop(self) -> None:
        """End the thread and wait for it."""
        self._stop_event.set()
        self.join(timeout=5)

    def run(self) -> None:
        """A step a second until stopped."""
        with opened(self._path) as db:
            stopped = demo_store.demo_state(db)
            if stopped:
                self._last, state = stopped
                self._batch_id = state["batch"]
                self._pot = SimulatedFinisher(**state["pot"]) if state["pot"] else None
            while not self._stop_event.wait(TICK_SECONDS):
                self.tick(db, self._now())

    def tick(self, db: Connection, now: datetime) -> None:
        """Advance to `now`, send what the devices show, and keep the state."""
        burning = next((b for b in waiting(db)["pan"] if b.vessel_id == "finisher-1"), None)
        pressure = self._barometer.station_pressure_pa(now)
        if burning is None:
            self._pot, self._batch_id = None, ""
        elif burning.id != self._batch_id:
            self._light(db, burning, now)
        with_probe = self._pot is not None
        if self._pot is not None:
            behind = (now - (self._last or now)).total_seconds()
            while behind > 0:
                self._pot.step(min(behind, 5.0), pressure)
                behind -= 5.0
        self._last = now
        if with_probe and self._pot:
            probe: Probe = SimulatedProbe(self._pot, self._noise)
            samples_store.add_samples(db, "probe-1", [Sample(now, probe.indicated_c())])
            cup = SimulatedCup(self._pot)
            samples_store.add_samples(db, CUP_PROBE.id, [Sample(now, cup.indicated_c(now))])
        if now.second % 30 == 0:
            samples_store.add_samples(db, BAROMETER.id, [Sample(now, pressure)])
        demo_store.save_demo_state(
            db, now, {"batch": self._batch_id, "pot": self._pot.state() if self._pot else None}
        )

    def _light(self, db: Connection, batch: record.Batch, now: datetime) -> None:
        """A new batch was taken in: put on the fire what its take-in says, give or take."""
        taken = contexts.of(db, batch, now).taken_in.facts
        self._batch_id = batch.id
        self._pot = SimulatedFinisher(
            mass_kg=taken.mass_kg,
            brix=taken.brix + self._noise.gauss(0, 0.2),
            temperature_c=taken.temperature_c,
            invert_fraction=DEFAULT_INVERT_FRACTION[batch.sugar_kind],
            probe_c=taken.temperature_c,
            probe_offset_k=PROBE_OFFSET_K,
        )

"""A practice batch while it runs: its own clock and record, the pan, and what it hides."""

import random
import tempfile
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from sqlite3 import Connection

from lumbrel.core.bench import cup, refractometer
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.physics import air
from lumbrel.devices.harsh import Departures, HarshPan
from lumbrel.practice.faults import FAULTS
from lumbrel.services.kitchen import example
from lumbrel.services.probes import intake
from lumbrel.services.record.kept import ready
from lumbrel.services.take_in import opening
from lumbrel.store import day as day_store
from lumbrel.store import record, safe
from lumbrel.store import samples as samples_store
from lumbrel.store.db import opened
from lumbrel.store.instruments import BarometerDetail, Instrument, add_instrument
from lumbrel.store.kitchen import Kitchen, save_kitchen

STARTS_AT = datetime(2026, 3, 14, 19, 0, tzinfo=UTC)
SPEEDS = (1, 5, 20, 60)
TICK_S, STEP_S, LOG_EVERY_S = 0.2, 1.0, 10.0
BAROMETER = Instrument(
    id="barometer", name="Kitchen barometer", detail=BarometerDetail(shows="station")
)
WRONG_BY_K, AIR_FALLS_PA, CUP_WAITS_MIN = 2 / 1.8, 900.0, 10.0
FOAM_BRIX, FOAM_PATIENCE, FOAM_TAKES = 60.0, timedelta(seconds=90), 1 / 12
SAG_AT_BRIX, SAG_TO = 57.0, 0.55
RUN_MINUTES = 60.0


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
class Truth:
    """How it really stood at a moment."""

    at: datetime
    brix: float
    temperature_c: float
    mass_kg: float


@dataclass(frozen=True)
class Seen:
    """What an instrument shows when a person looks: kind of entry, and its fields."""

    kind: str
    words: str


class PracticePan:
    """One practice batch.

    Args:
        speed: 1 to 60 times real time.
        faults: keys of the faults it hides.
        seed: of everything random in it.
    """

    def __init__(self, speed: float, faults: Sequence[str], seed: int) -> None:
        self.faults = tuple(f.key for f in FAULTS if f.key in faults)
        self.clock = PracticeClock(speed)
        self.truth: list[Truth] = []
        self.began: dict[str, datetime] = {}
        self.boiled_over = False
        self._folder = tempfile.TemporaryDirectory(prefix="lumbrel-practice-")
        self.database = Path(self._folder.name) / "practice.sqlite3"
        self._rng = random.Random(seed)
        self._lock = threading.Lock()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="practice-pan", daemon=True)
        air_pa = air.pressure_at_elevation_pa(example.EXAMPLE_ELEVATION_M)
        self._last = STARTS_AT
        self._offset = self._rng.uniform(-0.4, 0.4)
        # As kitchens are, not as the book has it: its curve, its burner and its probe depart.
        self.pot = HarshPan(
            mass_kg=self._rng.uniform(24, 30),
            brix=self._rng.uniform(48, 52),
            temperature_c=85.0,
            rate_kg_per_min=0.226,
            pressure_pa=air_pa + self._rng.gauss(0, 600),
            departs=Departures.drawn(self._rng),
            rng=random.Random(self._rng.random()),
        )
        self.code = self._make()

    def _make(self) -> str:
        boils = self.pot.water_c
        wrong = WRONG_BY_K if "thermometer" in self.faults else 0.0
        with opened(self.database) as db:
            ready(db)
            safe.set_nature(db, "practice")
            example.load_example(db, STARTS_AT)
            save_kitchen(
                db,
                Kitchen(name="Practice", elevation_m=example.EXAMPLE_ELEVATION_M, time_zone="UTC"),
                STARTS_AT,
            )
            add_instrument(db, BAROMETER)
            self._report_pressure(db, STARTS_AT)
            # The day check as it was found: of the probe, with what it hides.
            day_store.add_test_boil(
                db,
                day_store.TestBoil(
                    id="practice-boil",
                    at=STARTS_AT,
                    instrument_id="probe-1",
                    typed="",
                    reading_c=boils + self._offset - wrong,
                    station_pressure_pa=self.pot.pressure_pa,
                    pressure_sigma_pa=air.BAROMETER_SIGMA_PA,
                    basis="barometer",
                ),
            )
            for fault in ("thermometer", "cup"):
                if fault in self.faults:
                    self.began[fault] = STARTS_AT
            return opening.open_batch(
                db,
                STARTS_AT,
                {
                    "vessel": "finisher-1",
                    "sugar_kind": "maple",
                    "woodlot": "north-kiln",
                    "amount_by": "mass",
                    "amount": f"{self.pot.mass_kg:.1f} kg",
                    "brix": f"{self.pot.brix + self._rng.gauss(0, 0.3):.1f}",
                    "temperature": "85 C",
                },
            )

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

    def advance(self, db: Connection, now: datetime) -> None:
        """Let the pan go on to a moment, its probe and barometer sending."""
        batch = record.batch_by(db, code=self.code)
        assert batch is not None
        slip = record.entries(db, batch.id)
        if any(entry.kind == "draw" for entry in slip):
            return
        foamed = any(e.kind == "foam" for e in slip)
        sent = []
        with self._lock:
            while self._last + timedelta(seconds=STEP_S) <= now:
                self._last += timedelta(seconds=STEP_S)
                self._mishaps(foamed)
                self.pot.step(STEP_S)
                shown = self.pot.probe_c + self._offset
                sent.append((self._last, round(shown, 2)))
                if (
                    not self.truth
                    or (self._last - self.truth[-1].at).total_seconds() >= LOG_EVERY_S
                ):
                    pot = self.pot
                    self.truth.append(Truth(self._last, pot.brix, pot.temperature_c, pot.mass_kg))
        if sent:
            intake.take(db, "probe-1", sent[-600:], now)
            self._report_pressure(db, now)

    def _report_pressure(self, db: Connection, at: datetime) -> None:
        """The barometer; with its fault it stands where it stood at the start."""
        if "barometer" not in self.faults or at == STARTS_AT:
            self._shown_pa = self.pot.pressure_pa
        samples_store.add_samples(db, BAROMETER.id, [samples_store.Sample(at, self._shown_pa)])

    def _mishaps(self, foamed: bool) -> None:
        at, brix = self._last, self.pot.brix
        if "barometer" in self.faults:
            self.began.setdefault("barometer", at)
            gone = (at - self.began["barometer"]).total_seconds() / 60
            if gone <= RUN_MINUTES:
                self.pot.pressure_pa -= AIR_FALLS_PA / RUN_MINUTES / 60 * STEP_S
        if "burner" in self.faults and brix >= SAG_AT_BRIX and "burner" not in self.began:
            self.began["burner"] = at
            self.pot.turn(SAG_TO)
        if "foam" in self.faults and brix >= FOAM_BRIX:
            self.began.setdefault("foam", at)
            late = at - self.began["foam"] > FOAM_PATIENCE
            if late and not foamed and not self.boiled_over:
                self.boiled_over = True
                self.pot.mass_kg *= 1 - FOAM_TAKES

    def look(self, at_what: str) -> Seen:
        """What an instrument shows now, for the person to type: "cup" or "drop"."""
        with self._lock:
            brix, boils = self.pot.brix, self.pot.temperature_c
        if at_what == "drop":
            sample = self._rng.uniform(19, 25)
            shown = brix - refractometer.INVERT_BRIX_PER_PERCENT * 0.01 * brix
            shown += self._rng.gauss(0, refractometer.SIGMA) - refractometer.temperature_correction(
                shown, sample
            )
            words = f"The prism shows {shown:.1f}, the drop is at {sample:.1f} °C."
            return Seen("refractometer", words)
        filled = boils - 5.0
        stands = cup.cooled(filled, CUP_WAITS_MIN if "cup" in self.faults else 0.3).temperature_c
        told = filled if "cup" in self.faults else stands
        floats = Hydrometer().mark(brix, min(stands, 99.9)) + self._rng.gauss(0, 0.25)
        if floats < 45:
            return Seen(
                "hydrometer",
                f"The stem lies on the floor of the cup: it does not float yet. The cup is at {told:.1f} °C.",
            )
        return Seen(
            "hydrometer",
            f"The stem floats at {floats:.1f}, the cup’s thermometer says {told:.1f} °C.",
        )

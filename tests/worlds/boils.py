"""Simulated boils with a known truth: every error drawn with the sigma that is stated for it."""

import random
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from math import exp, sqrt
from sqlite3 import Connection

from lumbrel.core.bench import refractometer
from lumbrel.core.bench.hydrometer import HOT_SIGMA, Hydrometer
from lumbrel.core.bench.thermometer import SIGMA_K
from lumbrel.core.pan.fit import TAKE_IN_SIGMA_BRIX
from lumbrel.core.physics import air, water
from lumbrel.services.base.book import Draft, note
from lumbrel.services.base.form import BadInput
from lumbrel.services.day.checks import boiled
from lumbrel.services.day.facts import PressureFacts
from lumbrel.services.kitchen import example
from lumbrel.services.pan import board as boards
from lumbrel.services.record.kept import ready
from lumbrel.services.stations import slip
from lumbrel.services.take_in import opening
from lumbrel.store import samples as samples_store
from lumbrel.store.book import KITCHEN
from lumbrel.store.db import connect
from lumbrel.store.kitchen import Kitchen, VesselRow, add_vessel, save_kitchen
from lumbrel.store.registered import ALWAYS, change
from lumbrel.worlds.book import SimulatedFinisher

START = datetime(2026, 3, 18, 9, 0, tzinfo=UTC)
STEP_S = 5.0
WANDER_S, BURNER_WANDERS = 240.0, 0.03
WANDER_SIGMA_K = 0.015


@dataclass
class Told:
    """What the page said when a third of the water was left, and what came of it."""

    left: float
    low: float
    high: float | None
    truth: float

    @property
    def close(self) -> bool:
        """Within 2 minutes or 15 % of the time left, the larger."""
        return abs(self.left - self.truth) <= max(2.0, 0.15 * self.truth)

    @property
    def covered(self) -> bool:
        """Whether the stated range holds the truth."""
        return self.low <= self.truth and (self.high is None or self.truth <= self.high)


class SimulatedBoil:
    """One boil played against the services in a database of its own."""

    def __init__(self, seed: int, misread_brix: float = 0.0) -> None:
        self.rng = rng = random.Random(seed)
        self.db: Connection = connect(":memory:")
        ready(self.db)
        example.load_example(self.db, START)
        elevation = rng.uniform(0, 1200)
        save_kitchen(self.db, Kitchen(name="Test", elevation_m=elevation, time_zone="UTC"), START)
        self.pressure = air.pressure_at_elevation_pa(elevation) + rng.gauss(0, 800)
        air_here = PressureFacts(basis="station", station_pressure_pa=self.pressure)
        note(self.db, Draft(air_here, KITCHEN, KITCHEN), "p", START)
        size = rng.uniform(350, 900)
        add_vessel(
            self.db,
            VesselRow(id="pan", name="Pan", shape="rectangular", sizes_mm=(size, size * 0.7)),
        )
        stands = {"vessel_id": "pan"}
        change(self.db, "instrument", "probe-1", stands, since=ALWAYS, noted_at=START)
        area = size * size * 0.7 * 1e-6
        rate = 0.75 * area * min(max(rng.gauss(1, 0.4), 0.35), 1.9)
        self.pot = SimulatedFinisher(
            mass_kg=area * rng.uniform(70, 150),
            brix=rng.uniform(30, 58),
            temperature_c=rng.uniform(15, 80),
            burner_kw=rate * 2257 / 60 / 0.5,
            efficiency=0.5,
        )
        # The thermometer errs once for all, as a test-boiled digital one, and so does the curve.
        self.offset = rng.uniform(-1.5, 1.5)
        shows = water.boiling_point_c(self.pressure) + self.offset + rng.gauss(0, SIGMA_K["digital"])
        boiled(self.db, "b", "probe-1", START, reading_c=shows, pressure_pa=self.pressure)
        self.curve_error = rng.gauss(0, 0.1)
        self.at = START + timedelta(minutes=1)
        told = self.pot.brix + misread_brix + rng.gauss(0, TAKE_IN_SIGMA_BRIX)
        self.code = opening.open_batch(
            self.db,
            self.at,
            {
                "vessel": "pan",
                "sugar_kind": "maple",
                "woodlot": "north-kiln",
                "amount_by": "mass",
                "amount": f"{self.pot.mass_kg:.3f} kg",
                "brix": f"{told:.3f}",
                "temperature": f"{self.pot.temperature_c:.1f} C",
            },
        )
        self.solids = self.pot.mass_kg * self.pot.brix / 100
        self.boiling_at: datetime | None = None
        self.heat, self.wander = self.pot.efficiency, 0.0
        self.air = random.Random(seed + 1)

    def _gust(self, seconds: float) -> None:
        """No burner is quite steady, nor is a probe: both wander slowly."""
        kept = exp(-seconds / WANDER_S)
        fresh = sqrt(1 - kept**2)
        share = self.pot.efficiency / self.heat - 1
        self.pot.efficiency = self.heat * (1 + kept * share + fresh * self.air.gauss(0, BURNER_WANDERS))
        self.wander = kept * self.wander + fresh * self.air.gauss(0, WANDER_SIGMA_K)

    def put(self, kind: str, **fields: str) -> None:
        """Put on the slip; what is asked about is confirmed."""
        try:
            slip.put(self.db, self.code, kind, fields, self.at)
        except BadInput as question:
            if question.errors:
                raise
            sure = {f"{k}_confirmed": "1" for k in question.asks}
            slip.put(self.db, self.code, kind, fields | sure, self.at)

    def run(self, until_brix: float, most_s: float = 1e9) -> None:
        """Boil on, the probe sending every 5 s, until a density or for so long."""
        samples, ran = [], 0.0
        while self.pot.brix < until_brix and ran < most_s:
            self._gust(STEP_S)
            self.pot.step(STEP_S, self.pressure)
            self.at += timedelta(seconds=STEP_S)
            ran += STEP_S
            noise = self.rng.gauss(0, self.pot.probe_noise_k)
            shown = self.pot.probe_c + self.offset + self.curve_error + self.wander + noise
            samples.append(samples_store.Sample(self.at, round(shown, 2)))
            boil = self.pot.boiling_point_c(self.pressure)
            if self.boiling_at is None and self.pot.temperature_c >= boil - 0.01:
                self.boiling_at = self.at
                self.put("boiling")
        samples_store.add_samples(self.db, "probe-1", samples)

    def read_hydrometer(self) -> None:
        """A hydrometer reading in a measured hot cup."""
        cup = self.pot.temperature_c - self.rng.uniform(5, 12)
        true = self.pot.brix + self.rng.gauss(0, HOT_SIGMA)
        floats = Hydrometer().mark(true, min(cup, 99.0))
        below = {"below": "1"} if floats < 45 else {"reading": f"{floats:.2f}"}
        self.put(
            "hydrometer",
            instrument="long-stem",
            dipped_ago="0",
            cup=f"{min(cup, 99.0):.1f} C",
            **below,
        )

    def read_drop(self) -> None:
        """A cooled drop on the prism."""
        true = self.pot.brix + self.rng.gauss(0, refractometer.SIGMA)
        shown = true - refractometer.INVERT_BRIX_PER_PERCENT * 0.01 * true
        shown -= refractometer.temperature_correction(shown, 21.0)
        self.put("refractometer", dipped_ago="0", reading=f"{shown:.3f}", sample="21 C")

    def board(self) -> boards.Board:
        """The page's board now."""
        return boards.board(self.db, self.code, self.at)

    def brix_with_water_left(self, share: float) -> float:
        """The density at which such a share of the water to drive off is left."""
        first, last = self.pot.mass_kg, self.solids / 0.669
        return 100 * self.solids / (last + share * (first - last))

    def told_at_a_third(self) -> Told:
        """Boil to a third of the water left, reading the hydrometer twice, and ask when."""
        marks = [self.brix_with_water_left(s) for s in (0.5, 0.34, 1 / 3)]
        for mark in marks[:2]:
            self.run(mark)
            self.read_hydrometer()
        self.run(marks[2])
        board = self.board()
        asked = self.at
        here, air_then = self.pot.state(), self.air.getstate()
        while self.pot.brix < 66.9:
            self._gust(STEP_S)
            self.pot.step(STEP_S, self.pressure)
            asked += timedelta(seconds=STEP_S)
        self.pot = SimulatedFinisher(**here)
        self.air.setstate(air_then)
        truth = (asked - self.at) / timedelta(minutes=1)
        return Told(board.minutes_left, board.low_left, board.high_left, truth)

    def drawn_brix(self, with_drop: bool) -> float:
        """Boil on and draw when the verdict says so; the true density at that moment."""
        read_at = self.at - timedelta(hours=1)
        dropped = read = False
        while True:
            call, left = (board := self.board()).verdict.call.value, board.minutes_left
            if call in ("draw_now", "over") or self.pot.brix > 72:
                return self.pot.brix
            asked = call in ("check_again", "disagree") and self.at - read_at >= timedelta(minutes=1)
            if (not read and left < 6) or (asked and not with_drop):
                self.read_hydrometer()
                read, read_at = True, self.at
            elif with_drop and (asked or (not dropped and left < 3)):
                self.read_drop()
                dropped, read_at = True, self.at
            else:
                self.run(99, max(min(left * 20, 120), 15))

"""A practice batch while it runs: its own clock and record, the pan, and what it hides."""

import random
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.bench import cup, refractometer
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.physics import air
from lumbrel.practice.faults import FAULTS
from lumbrel.practice.run import BAROMETER, STARTS_AT, PracticeRun, Seen
from lumbrel.services.base.entry import Entry, slip_of
from lumbrel.services.base.facts import DrawFacts, Facts, JarFacts, ReheatFacts
from lumbrel.services.base.standing import current, of_kind
from lumbrel.services.day.checks import boiled
from lumbrel.services.kitchen import example
from lumbrel.services.probes import intake
from lumbrel.services.take_in import opening
from lumbrel.store import record
from lumbrel.store import samples as samples_store
from lumbrel.store.db import opened
from lumbrel.store.kitchen import VesselRow, add_vessel
from lumbrel.words import _, number
from lumbrel.worlds.kettle import STEP_MIN, HarshKettle
from lumbrel.worlds.pan import Departures, HarshPan

STEP_S, LOG_EVERY_S = 1.0, 10.0
WRONG_BY_K, AIR_FALLS_PA, CUP_WAITS_MIN = 2 / 1.8, 900.0, 10.0
FOAM_BRIX, FOAM_PATIENCE, FOAM_TAKES = 60.0, timedelta(seconds=90), 1 / 12
SAG_AT_BRIX, SAG_TO = 57.0, 0.55
RUN_MINUTES = 60.0
OUT_AT_BRIX, OUT_MINUTES = 58.0, 9.0
TOPPED_AT_BRIX, TOPPED_SHARE, TOPPED_BRIX, TOPPED_C = 59.0, 0.25, 30.0, 15.0
SMALL_POT = VesselRow(id="small-pot", name=_("Small pot"), shape="round", sizes_mm=(220.0,))
SMALL_POT_KG, SMALL_POT_KG_PER_MIN = 2.4, 0.075
KETTLE_READ_K = 0.2
CUP = _("You fill the cup"), _("on the slip, Cup")


@dataclass(frozen=True)
class Truth:
    """How it really stood at a moment."""

    at: datetime
    brix: float
    temperature_c: float
    mass_kg: float


class PracticePan(PracticeRun):
    """One practice batch.

    Args:
        speed: 1 to 60 times real time.
        faults: keys of the faults it hides.
        seed: of everything random in it.
    """

    name = _("Practice pan")

    def __init__(self, speed: float, faults: Sequence[str], seed: int) -> None:
        super().__init__(speed, FAULTS, faults, seed)
        self.truth: list[Truth] = []
        self.kettle: HarshKettle | None = None
        self._done: set[str] = set()
        """Lines that the kettle knows of."""
        air_pa = air.pressure_at_elevation_pa(example.EXAMPLE_ELEVATION_M)
        self._offset = self._rng.uniform(-0.4, 0.4)
        self._small = "small" in self.faults
        # As kitchens are, not as the book has it: its curve, its burner and its probe depart.
        self.pot = HarshPan(
            mass_kg=SMALL_POT_KG if self._small else self._rng.uniform(24, 30),
            brix=self._rng.uniform(48, 52),
            temperature_c=85.0,
            rate_kg_per_min=SMALL_POT_KG_PER_MIN if self._small else 0.226,
            pressure_pa=air_pa + self._rng.gauss(0, 600),
            departs=Departures.drawn(self._rng),
            rng=random.Random(self._rng.random()),
        )
        self.code = self._make()

    def _make(self) -> str:
        boils = self.pot.water_c
        wrong = WRONG_BY_K if "thermometer" in self.faults else 0.0
        with opened(self.database) as db:
            self._shown_pa = self.pot.pressure_pa
            self._equip(db, self._shown_pa)
            # The day check as it was found: of the probe, with what it hides.
            boiled(
                db,
                "practice-boil",
                "probe-1",
                STARTS_AT,
                reading_c=boils + self._offset - wrong,
                pressure_pa=self.pot.pressure_pa,
            )
            if self._small:
                add_vessel(db, SMALL_POT)
            for fault in ("thermometer", "cup", "unit", "small"):
                if fault in self.faults:
                    self.began[fault] = STARTS_AT
            return opening.open_batch(
                db,
                STARTS_AT,
                {
                    "vessel": SMALL_POT.id if self._small else "finisher-1",
                    "sugar_kind": "maple",
                    "woodlot": "north-kiln",
                    "amount_by": "mass",
                    "amount": _("{mass} kg", mass=number(self.pot.mass_kg, 2)),
                    "brix": f"{self.pot.brix + self._rng.gauss(0, 0.3):.1f}",
                    "temperature": "85 C",
                },
            )

    @property
    def home(self) -> str:
        """The address of its page."""
        return f"/pan/{self.code}"

    @property
    def looks(self) -> tuple[tuple[str, str], ...]:
        """What can be looked at: the pan, and once it is drawn the kettle."""
        if self.kettle:
            return (("kettle", _("Read the kettle")),)
        return (("cup", _("Fill the cup")), ("drop", _("Cool a drop")))

    def advance(self, db: Connection, now: datetime) -> None:
        """Let the pan go on to a moment, its probe and barometer sending; once it is drawn, the kettle."""
        batch = record.batch_by(db, code=self.code)
        assert batch is not None
        slip = current(slip_of(db, batch.id))
        drawn = of_kind(slip, DrawFacts)
        if drawn:
            with self._lock:
                self._cool_kettle(drawn[0].facts.mass_kg, slip, now)
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
                if not self.truth or (self._last - self.truth[-1].at).total_seconds() >= LOG_EVERY_S:
                    pot = self.pot
                    self.truth.append(Truth(self._last, pot.brix, pot.temperature_c, pot.mass_kg))
        if sent and not self._small:
            intake.take(db, "probe-1", sent[-600:], now)
        if sent:
            self._report_pressure(db, now)

    def _cool_kettle(self, drawn_kg: float, slip: Sequence[Entry[Facts]], now: datetime) -> None:
        if self.kettle is None:
            self.kettle = HarshKettle(random.Random(self._rng.random()), drawn_kg)
        while self._last + timedelta(minutes=STEP_MIN) <= now:
            self._last += timedelta(minutes=STEP_MIN)
            taken = 0.0
            for line in slip:
                if line.at <= self._last and line.id not in self._done:
                    self._done.add(line.id)
                    taken += line.facts.mass_kg if isinstance(line.facts, JarFacts) else 0.0
                    if isinstance(line.facts, ReheatFacts):
                        self.kettle.reheat()
            self.kettle.cool(taken)

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
        if "out" in self.faults and brix >= OUT_AT_BRIX:
            self.began.setdefault("out", at)
            self.pot.on = (at - self.began["out"]).total_seconds() / 60 > OUT_MINUTES
        if "topped" in self.faults and brix >= TOPPED_AT_BRIX and "topped" not in self.began:
            self.began["topped"] = at
            self.pot.add(TOPPED_SHARE * self.pot.mass_kg, TOPPED_BRIX, TOPPED_C)
        if "foam" in self.faults and brix >= FOAM_BRIX:
            self.began.setdefault("foam", at)
            late = at - self.began["foam"] > FOAM_PATIENCE
            if late and not foamed and not self.boiled_over:
                self.boiled_over = True
                self.pot.mass_kg *= 1 - FOAM_TAKES

    def look(self, at_what: str) -> Seen:
        """What an instrument shows now, for the person to type: "cup" or "drop", or "kettle" once it is drawn."""
        with self._lock:
            brix, boils = self.pot.brix, self.pot.temperature_c
            if self.kettle:
                warm = number(self.kettle.at_c + self._rng.gauss(0, KETTLE_READ_K), 1)
                words = _("Its thermometer shows {warm} °C.", warm=warm)
                return Seen(at_what, words, _("The kettle"), _("on the jar page, kettle"))
        if at_what == "drop":
            sample = self._rng.uniform(19, 25)
            shown = brix - refractometer.INVERT_BRIX_PER_PERCENT * 0.01 * brix
            shown += self._rng.gauss(0, refractometer.SIGMA) - refractometer.temperature_correction(
                shown, sample
            )
            words = _(
                "The prism shows {shown}, the drop is at {sample} °C.",
                shown=number(shown, 1),
                sample=number(sample, 1),
            )
            return Seen("refractometer", words, _("A cooled drop on the prism"), _("on the slip, Drop"))
        filled = boils - 5.0
        stands = cup.cooled(filled, CUP_WAITS_MIN if "cup" in self.faults else 0.3).temperature_c
        told = filled if "cup" in self.faults else stands
        cup_shows = f"{told * 1.8 + 32:.0f}" if "unit" in self.faults else f"{told:.1f} °C"
        floats = Hydrometer().mark(brix, min(stands, 99.9)) + self._rng.gauss(0, 0.25)
        if floats < 45:
            return Seen(
                "hydrometer",
                _(
                    "The stem lies on the floor of the cup: it does not float yet. The cup’s thermometer "
                    "says {cup_shows}.",
                    cup_shows=cup_shows,
                ),
                *CUP,
            )
        return Seen(
            "hydrometer",
            _(
                "The stem floats at {floats}, the cup’s thermometer says {cup_shows}.",
                floats=number(floats, 1),
                cup_shows=cup_shows,
            ),
            *CUP,
        )

"""A practice cook: a lot on the shelf, a candy pot with a probe in it, and what it hides."""

import random
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.candy.signs import likely_sign
from lumbrel.core.physics import air, water
from lumbrel.practice.faults import POT_FAULTS
from lumbrel.practice.run import BAROMETER, STARTS_AT, PracticeRun, Seen
from lumbrel.services.base.entry import Entry, slip_of
from lumbrel.services.base.facts import (
    BathFacts,
    CookedFacts,
    CookFacts,
    Facts,
    FoamFacts,
    MadeFacts,
    StirFacts,
)
from lumbrel.services.base.standing import current, of_kind
from lumbrel.services.day.checks import boiled
from lumbrel.services.kitchen import example
from lumbrel.services.probes import intake
from lumbrel.services.stations import slip
from lumbrel.services.take_in import opening
from lumbrel.store import kept, kept_lots, record
from lumbrel.store import samples as samples_store
from lumbrel.store.db import opened
from lumbrel.store.instruments import Instrument, ThermometerDetail, add_instrument
from lumbrel.words import _, number
from lumbrel.worlds.pan import Departures
from lumbrel.worlds.pot import HarshCandyPot

STEP_S, LOG_EVERY_S = 1.0, 5.0
BENT_K, DARK_INVERT, HELPER_AT = 1.8, 5.0, 0.45
"""A bent thermometer shows so much too little; so much invert sugar is in dark syrup; a helper stirs when
so much of the warmth is gone."""
HOLDS_MIN = 1.2
WARM_L, WARM_C = 6.0, 29.0
"""A sink that was used before: so little water, and so warm."""
FOAM_ABOVE_K, FOAM_PATIENCE, FOAM_TAKES = 5.0, timedelta(seconds=60), 1 / 8
PROBE = Instrument(
    id="pot-probe", name=_("Pot probe"), detail=ThermometerDetail(sort="digital"), vessel_id="candy-pot"
)
LOT_OPENED = STARTS_AT - timedelta(days=12)


@dataclass(frozen=True)
class PotTruth:
    """How a pot really stood at a moment."""

    at: datetime
    brix: float
    temperature_c: float
    above_k: float


class PracticePot(PracticeRun):
    """One practice cook.

    Args:
        speed: 1 to 60 times real time.
        faults: keys of the faults it hides.
        seed: of everything random in it.
    """

    name = _("Practice pot")
    looks = (
        ("cold-water", _("Drop in cold water")),
        ("spoon", _("Look at the spoon")),
        ("meter", _("Glucose meter")),
    )

    def __init__(self, speed: float, faults: Sequence[str], seed: int) -> None:
        super().__init__(speed, POT_FAULTS, faults, seed)
        self.truth: list[PotTruth] = []
        self.pot: HarshCandyPot | None = None
        self.turned_at: datetime | None = None
        self.code = ""
        self._moved: set[str] = set()
        """Lines that put the pot somewhere, as far as they are done."""
        self._offset = self._rng.uniform(-0.4, 0.4)
        self._pressure_pa = air.pressure_at_elevation_pa(example.EXAMPLE_ELEVATION_M)
        self._pressure_pa += self._rng.gauss(0, 600)
        dark = "dark" in self.faults
        self.invert_percent = DARK_INVERT if dark else self._rng.uniform(0.5, 1.6)
        if dark:
            self.began["dark"] = STARTS_AT
        self.lot = self._make(dark)

    @property
    def home(self) -> str:
        """The address of its page: the plan before it is begun."""
        cooled = "piece=cream&bath=water" if "warm" in self.faults else "piece=moulded-sugar-soft&bath=bench"
        plan = f"/candy?lot={self.lot}&{cooled}&by=pieces&pieces=60&each=25+g"
        return f"/candy/cook/{self.code}" if self.code else plan

    def _make(self, dark: bool) -> str:
        """A kitchen with one lot of jars on its shelf, and a day check of the probe."""
        with opened(self.database) as db:
            self._equip(db, self._pressure_pa, LOT_OPENED)
            add_instrument(db, PROBE)
            boils = water.boiling_point_c(self._pressure_pa)
            boiled(
                db,
                "practice-boil",
                PROBE.id,
                STARTS_AT,
                reading_c=boils + self._offset,
                pressure_pa=self._pressure_pa,
            )
            if "bent" in self.faults:
                # It was bent after its test boil.
                self.began["bent"] = STARTS_AT
                self._offset -= BENT_K
            return self._jarred(db, dark)

    @staticmethod
    def _jarred(db: Connection, dark: bool) -> str:
        """Twenty-four jars, taken in, drawn, filtered, graded and filled some days ago."""
        at = LOT_OPENED + timedelta(hours=1)
        code = opening.open_batch(
            db,
            at,
            {
                "id": "practice-take-in",
                "vessel": "finisher-1",
                "sugar_kind": "maple",
                "woodlot": "old-quarry" if dark else "upper-fold",
                "amount_by": "mass",
                "amount": _("20 kg"),
                "brix": "50",
                "temperature": "60 C",
            },
        )
        lines: tuple[tuple[str, int, dict[str, str]], ...] = (
            ("boiling", 20, {}),
            ("thermometer", 46, {"instrument": "dial-a", "reading": "102.6 C"}),
            ("draw", 47, {"mass": _("14.9 kg"), "mass_confirmed": "1", "kind_confirmed": "1"}),
            ("filter", 60, {"method": "felt", "temperature": "94 C"}),
            ("colour", 70, {"by": "meter", "transmittance": "18" if dark else "78", "path": "10 mm"}),
            ("jar", 80, {"fill": "85 C", "lot": code, "size_1": "500 ml", "count_1": "20"}),
        )
        for i, (kind, minutes, fields) in enumerate(lines):
            sent = {"id": f"practice-lot-{i}", **fields}
            slip.put(db, code, kind, sent, at + timedelta(minutes=minutes))
        return kept_lots.newest_lots(db, limit=1)[0].code

    def _lines(self, db: Connection) -> list[Entry[Facts]]:
        """The slip of its cook; nothing before it is begun."""
        if not self.code:
            waits = kept.waiting(db, "candy")
            self.code = waits[-1].code if waits else ""
        batch = record.batch_by(db, code=self.code) if self.code else None
        return current(slip_of(db, batch.id)) if batch else []

    def advance(self, db: Connection, now: datetime) -> None:
        """Let the pot go on to a moment, its probe and barometer sending."""
        lines = self._lines(db)
        if of_kind(lines, MadeFacts):
            return
        sent = []
        with self._lock:
            while self._last + timedelta(seconds=STEP_S) <= now:
                self._last += timedelta(seconds=STEP_S)
                self._go_on(lines)
                shown = (self.pot.probe_c if self.pot else 20.0) + self._offset
                sent.append((self._last, round(shown + self._rng.gauss(0, 0.03), 2)))
        if sent:
            intake.take(db, PROBE.id, sent[-600:], now)
            pressure = samples_store.Sample(now, self._pressure_pa)
            samples_store.add_samples(db, BAROMETER.id, [pressure])

    def _go_on(self, lines: Sequence[Entry[Facts]]) -> None:
        begun = of_kind(lines, CookFacts)
        if not begun:
            return
        if self.pot is None:
            self.pot = self._filled(begun[0].facts)
        pot, at = self.pot, self._last
        puts: list[Entry[CookedFacts] | Entry[BathFacts]] = [
            *of_kind(lines, CookedFacts),
            *of_kind(lines, BathFacts),
        ]
        for put in puts:
            if put.at <= at and put.id not in self._moved:
                self._moved.add(put.id)
                self._put(pot, put)
        stirs = of_kind(lines, StirFacts)
        if stirs and stirs[0].at <= at:
            self._stir(stirs[0], begun[0].facts.piece)
        self._mishaps(lines, begun[0].facts)
        pot.step(STEP_S)
        if not self.truth or (at - self.truth[-1].at).total_seconds() >= LOG_EVERY_S:
            above = pot.temperature_c - pot.water_c
            self.truth.append(PotTruth(at, pot.brix, pot.temperature_c, above))

    def _put(self, pot: HarshCandyPot, put: Entry[CookedFacts] | Entry[BathFacts]) -> None:
        """Into its bath, which may have been used before."""
        told = put.facts
        litres, bath_c = told.litres, told.around_c
        if "warm" in self.faults and told.bath == "water" and isinstance(told, CookedFacts):
            self.began["warm"] = put.at
            litres, bath_c = WARM_L, WARM_C
        pot.take_off(told.bath, running=told.running, litres=litres, bath_c=bath_c)

    def _filled(self, cook: CookFacts) -> HarshCandyPot:
        return HarshCandyPot(
            mass_kg=cook.mass_kg,
            brix=cook.brix + self._rng.gauss(0, 0.2),
            temperature_c=20.0,
            rate_kg_per_min=self._rng.uniform(0.03, 0.045),
            pressure_pa=self._pressure_pa,
            departs=Departures.drawn(self._rng),
            rng=random.Random(self._rng.random()),
            invert_fraction=self.invert_percent / cook.brix,
            invert_percent=self.invert_percent,
            bend_sigma=self._rng.gauss(0, 0.7),
        )

    def _stir(self, began: Entry[StirFacts], piece: str) -> None:
        pot = self.pot
        assert pot is not None
        if pot.stirs_since is None:
            pot.stirs_since = 0.0
            pot.stir(piece)
        after = pot.turns_after_s
        if after is not None and self.turned_at is None:
            turns = began.at + timedelta(seconds=after)
            if turns <= self._last:
                self.turned_at = turns

    def _mishaps(self, lines: Sequence[Entry[Facts]], cook: CookFacts) -> None:
        pot, at = self.pot, self._last
        assert pot is not None
        if "foam" in self.faults and pot.where == "fire":
            if pot.temperature_c - pot.water_c >= FOAM_ABOVE_K:
                self.began.setdefault("foam", at)
            climbs = "foam" in self.began and at - self.began["foam"] > FOAM_PATIENCE
            if climbs and not of_kind(lines, FoamFacts) and not self.boiled_over:
                self.boiled_over = True
                pot.mass_kg *= 1 - FOAM_TAKES
        if "impatient" in self.faults and pot.where != "fire" and cook.stir_c is not None:
            gone = (pot.hot_c - pot.temperature_c) / max(pot.hot_c - cook.stir_c, 1.0)
            if gone >= HELPER_AT and "impatient" not in self.began:
                self.began["impatient"] = at
                pot.disturb()

    def look(self, at_what: str) -> Seen:
        """What a person sees: a drop in cold water, the spoon, a glucose meter."""
        with self._lock:
            pot = self.pot
            if at_what == "meter":
                return self._meter()
            if pot is None:
                return Seen(at_what, _("Nothing is in the pot yet."), _("The pot is empty"), "nowhere")
            if at_what == "cold-water":
                above = pot.temperature_c - pot.water_c + self._rng.gauss(0, 0.7)
                sign = likely_sign(above)
                return Seen(
                    at_what,
                    sign.looks,
                    _("In cold water: {lower}", lower=sign.name.lower()),
                    _("by its button"),
                )
            return Seen(at_what, self._spoon(pot), _("The spoon"), _("nowhere: press when it turns"))

    def _meter(self) -> Seen:
        shown = self.invert_percent / 2 * 1000 / 10 * self._rng.uniform(0.93, 1.07)
        words = _("One part of syrup in ten: the meter shows {shown} mg/dL.", shown=number(shown, 0))
        return Seen("meter", words, _("A glucose meter"), _("in the plan, glucose meter shows"))

    def _spoon(self, pot: HarshCandyPot) -> str:
        if pot.where == "fire":
            return _("It boils. Leave the spoon out of it.")
        if pot.stirs_since is None:
            return _("The surface lies still and clear.")
        if pot.turns_after_s is None:
            return _("It is glossy still, and stays so.")
        if self.turned_at is not None:
            late = (self._last - self.turned_at) / timedelta(minutes=1)
            return _("It has clouded, and thickens.") if late < HOLDS_MIN else _("It is setting.")
        return _("It grows paler, the spoon begins to drag.")

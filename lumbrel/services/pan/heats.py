"""When a boil was on the fire, and how hot."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from math import hypot, sqrt

from lumbrel.core.pan.solids import MassStep, heat_up_minutes, unboiled_kg
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import READINGS
from lumbrel.services.base.facts import (
    DepthFacts,
    Facts,
    HeatFacts,
    PartDrawFacts,
    PouredFacts,
    PutInFacts,
    ScaleFacts,
    StageFacts,
    WeighedFacts,
)
from lumbrel.services.pan.probe_points import RunPoint
from lumbrel.services.pan.rate import Rate
from lumbrel.services.pan.unsaid import Jump, ScaleTold

While = tuple[datetime, datetime]
REHEATS = timedelta(minutes=1)
"""How long it takes to boil again once the heat is on."""
DRAWN_SIGMA, ADDED_SIGMA, ADDED_SIGMA_BRIX, HELD_SIGMA = 0.003, 0.02, 0.7, 0.4
DRAWN_AS_SIGMA_BRIX = 0.5
"""How well the density is known at which a part was drawn."""
MASS_SIGMA = 0.03
"""What was weighed at the take-in and at a draw is known so well: of what is left that is a bigger share."""
PROBE_SETTLES = timedelta(minutes=3)
"""A probe lags, and the boil takes a moment to become one: while it warms through it speaks of
thinner syrup than was ever put in."""
JUST_AFTER_MINUTES = 1e-6
MOST_TAKEN = 0.97
"""Of the sugar in a pan no more is taken out, whatever was weighed: something always stays."""
STEADY_K = 1.5
"""A boil never moves so far within one point of a run: what does was cold in between."""


def heat_off(
    context: BatchContext, start: datetime, until: datetime, rate: Rate | None = None
) -> list[While]:
    """When there was no heat under it, by the slip: the burner off, or the fire banked for the night.

    Args:
        rate: of the vessel; with it, what has grown cold takes its time to boil again.
    """
    found: list[While] = []
    since: datetime | None = None
    for entry in context.of_kind(HeatFacts, StageFacts):
        if entry.at > until:
            break
        on = _heats(entry.facts)
        if on is False and since is None:
            since = max(entry.at, start)
        elif on and since is not None:
            again = max(entry.at, since)
            found.append((since, again + _reheats(context, again - since, rate)))
            since = None
    if since is not None:
        found.append((since, max(until, since) + timedelta(days=1)))
    return found


def _heats(facts: Facts) -> bool | None:
    """Whether from here on there is heat; None where it stays as it was."""
    if isinstance(facts, HeatFacts):
        return facts.on
    step = facts.step if isinstance(facts, StageFacts) else ""
    return {"banked": False, "on_again": True}.get(step)


def _reheats(context: BatchContext, cold: timedelta, rate: Rate | None) -> timedelta:
    """How long it takes to boil again: a moment, or as long as warming all of it, by how far it cooled."""
    if rate is None or cold < COOLS:
        return REHEATS
    taken = context.taken_in.facts
    cooled = 80.0 * min(cold / GROWN_COLD, 1.0)
    minutes = heat_up_minutes(taken.mass_kg, taken.brix, 98.0 - cooled, 98.0, rate.kg_per_min)
    return max(REHEATS, timedelta(minutes=minutes))


COOLS, GROWN_COLD = timedelta(minutes=20), timedelta(hours=8)


@dataclass(kw_only=True)
class Steps:
    """What was put in and drawn as steps of the balance, and the whiles in which it did not boil.

    What is put in stops the boil until it boils too: as if that much water had come with it. A
    reading on the slip before it was of what was there before, at the same moment too.
    """

    context: BatchContext
    start: datetime
    until: datetime
    boils_c: float
    rate: Rate
    weight: ScaleTold
    jumps: Sequence[Jump] = ()
    steps: list[MassStep] = field(default_factory=list)
    sigmas_kg: list[float] = field(default_factory=list)
    rates: list[tuple[datetime, float]] = field(default_factory=list)
    unsettled: list[While] = field(default_factory=list)

    def walk(self) -> None:
        """Along the slip, oldest line first."""
        self.unsettled = [(self.start, self.start)]
        read: set[datetime] = set()
        taken = self.context.taken_in.facts
        self._mass, self._solids = taken.mass_kg, taken.mass_kg * taken.brix / 100
        for entry in self.context.current:
            if entry.at > self.until:
                continue
            if isinstance(entry.facts, (*READINGS, DepthFacts, WeighedFacts, ScaleFacts)):
                read.add(entry.at)
            elif _leaves_the_pan(entry.facts) and entry.at < self.until:
                assert isinstance(entry.facts, PartDrawFacts | PouredFacts)
                known = self.weight.weighed.get(entry.id, entry.facts)
                self._drawn(entry.at, known.mass_kg, known.brix)
            elif isinstance(entry.facts, PutInFacts):
                self._added(entry.at, entry.facts, entry.at in read)
        for one in self.weight.taken:
            if self.start < one.at < self.until:
                self._drawn(one.at, one.mass_kg, one.brix)
        for jump in self.jumps:
            self.steps.append(MassStep(self._minute(jump.at), 0.0, 0.0))
            self.sigmas_kg.append(jump.share * self._mass)
            self.rates.append((jump.at, jump.rate_sigma))
        order = sorted(range(len(self.steps)), key=lambda k: self.steps[k].minute)
        self.steps = [self.steps[k] for k in order]
        self.sigmas_kg = [self.sigmas_kg[k] for k in order]

    def _drawn(self, at: datetime, kg: float, brix: float) -> None:
        taken = min(kg, MOST_TAKEN * self._solids / (brix / 100))
        before = self._solids
        self._solids -= taken * brix / 100
        self.steps.append(MassStep(self._minute(at), -taken, brix))
        self.sigmas_kg.append(taken * hypot(DRAWN_SIGMA, DRAWN_AS_SIGMA_BRIX / brix))
        self.rates.append((at, MASS_SIGMA * before / self._solids))

    def _added(self, at: datetime, facts: PutInFacts, after_reading: bool) -> None:
        kg, brix, held = facts.mass_kg, facts.brix, 0.0
        if at > self.start:
            warm = facts.temperature_c
            if warm is None:
                warm = self.context.taken_in.facts.temperature_c
            held = unboiled_kg(kg, brix, warm, self.boils_c)
            slow = max(self.rate.kg_per_min - self.rate.sigma_kg_per_min, self.rate.kg_per_min / 3)
            self.unsettled.append((at, at + timedelta(minutes=held / slow)))
        # How wrong it may be, as water: its sugar by its Brix, its mass by the scale.
        sugar = kg * sqrt(ADDED_SIGMA_BRIX**2 + (ADDED_SIGMA * brix) ** 2) / 100
        self._solids += kg * brix / 100
        self.sigmas_kg.append(
            sqrt(
                (self._mass * sugar / self._solids) ** 2 + (ADDED_SIGMA * kg) ** 2 + (HELD_SIGMA * held) ** 2
            )
        )
        minute = self._minute(at) + (JUST_AFTER_MINUTES if after_reading else 0.0)
        self.steps.append(MassStep(minute, kg + held, kg * brix / (kg + held)))

    def _minute(self, at: datetime) -> float:
        return max((at - self.start) / timedelta(minutes=1), 0.0)


def _leaves_the_pan(facts: Facts) -> bool:
    """Whether a part of what boils went; what a kettle gave was drawn before."""
    poured = isinstance(facts, PouredFacts) and facts.stage == "charge"
    return poured or isinstance(facts, PartDrawFacts)


def settled(points: list[RunPoint], start: datetime, unsettled: list[While]) -> list[RunPoint]:
    """The points of a run in which it boiled all the while."""
    return [
        p
        for p in points
        if p.begins >= start
        and p.spread_k <= STEADY_K
        and not any(p.begins < to + PROBE_SETTLES and p.ends > at for at, to in unsettled)
    ]

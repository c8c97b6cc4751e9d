"""A boil's run: when it boiled and when it did not, and its probe's temperatures as evidence."""

from bisect import bisect_left
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from math import ceil, hypot, sqrt

from lumbrel.core.pan.boil_lines import Heat
from lumbrel.core.pan.continuous import Climb
from lumbrel.core.pan.probe_noise import mean_sigma_k, power_k2s
from lumbrel.core.pan.probe_trace import FIRST_WIDTH_S
from lumbrel.core.pan.solids import Step, heat_up_minutes, unboiled_kg
from lumbrel.core.physics import sucrose
from lumbrel.core.physics.air import STANDARD_PA
from lumbrel.core.physics.boil_curve import boil_curves
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import READINGS
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    BoilingFacts,
    BurnerFacts,
    DepthFacts,
    Facts,
    HeatFacts,
    OpenedFacts,
    PartDrawFacts,
    PouredFacts,
    PutInFacts,
    ScaleFacts,
    StageFacts,
    WeighedFacts,
)
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.day.thermometers import ThermometerToday
from lumbrel.services.pan.probe_points import RunPoint, RunTold
from lumbrel.services.pan.rate import Rate, learned_rate
from lumbrel.services.pan.unsaid import RELIT_SIGMA, Away, Jump

While = tuple[datetime, datetime]

HOTTEST_BRIX = 90.0
REHEATS = timedelta(minutes=1)
"""How long it takes to boil again once the heat is on."""
DRAWN_SIGMA, ADDED_SIGMA, ADDED_SIGMA_BRIX, HELD_SIGMA = 0.003, 0.02, 0.7, 0.4
DRAWN_AS_SIGMA_BRIX = 0.5
"""How well the density is known at which a part was drawn."""
MASS_SIGMA = 0.03
"""What was weighed at the take-in and at a draw is known so well: of what is left that is a bigger share."""
TAKE_IN_SIGMA_BRIX = 0.7
"""One sigma of the Brix that is taken in: told by a woodlot, or read in a hurry."""
PROBE_SETTLES = timedelta(minutes=3)
"""A probe lags, and the boil takes a moment to become one: while it warms through it speaks of
thinner syrup than was ever put in."""
JUST_AFTER_MINUTES = 1e-6
MOST_TAKEN = 0.97
"""Of the sugar in a pan no more is taken out, whatever was weighed: something always stays."""
STEADY_K = 1.5
"""A boil never moves so far within one point of a run: what does was cold in between."""


@dataclass(frozen=True, kw_only=True)
class Boil:
    """What is known of a boil before any reading: when it began, what was put in, how long."""

    start: datetime
    start_sigma: float
    """Minutes by which its beginning may be off."""
    mass_kg: float
    brix: float
    brix_sigma: float
    """What it began with, and one sigma of that."""
    until: datetime
    """Now, or the draw."""
    rate: Rate
    steps: list[Step]
    step_sigmas_kg: list[float]
    unsettled: list[While]
    """When it did not boil, oldest first; the first is its beginning."""
    off: list[While]
    """Those in which there was no heat."""
    turned: list[datetime]
    """When somebody turned the burner."""
    turned_sigmas: list[tuple[datetime, float]] = field(default_factory=list)
    """When its rate may have become another, and by how much, one sigma of the logarithm."""
    counts_from: datetime | None = None
    """What was read before says nothing of it any more."""
    climbs_from: datetime | None = None
    """Since when the draw-off of a continuous pan climbs."""
    climb: Climb | None = None
    """As it was expected then."""
    drawn_from: datetime | None = None
    """When it stood hottest before it fell so."""
    unsaid_at: datetime | None = None
    """When it fell cold, as if something had been drawn that nobody noted."""

    def minute(self, at: datetime) -> float:
        """A moment on the fit's clock, 0 before it boiled."""
        return max((at - self.start) / timedelta(minutes=1), 0.0)


NOTED_SIGMA_MINUTES, SEEN_SIGMA_MINUTES, WARMING_SIGMA = 0.5, 0.7, 0.25
FULL_BOIL_BELOW_K = 0.5
SLOWEST_WARMING, MOST_LATE, NOT_YET = 3.0, timedelta(minutes=10), timedelta(minutes=1)
"""So near to where the take-in boils a probe shows that it does."""


FirstAt = Callable[[float], datetime | None]


def boil_of(
    context: BatchContext,
    first_at: FirstAt | None = None,
    speaks: bool = False,
    gone: Sequence[Away] = (),
    jumps: Sequence[Jump] = (),
) -> Boil:
    """A batch's boil: from when it was noted, or its probe shows it, or as long after as it takes to warm.

    Args:
        first_at: says when its probe first was so hot, degC; None without a probe.
        speaks: whether the probe sends just now.
        gone: whiles in which it was off the boil.
        jumps: where what is in it may have become another.
    """
    taken = context.taken_in
    until = context.left_at or context.now
    rate = learned_rate(context.db, context.vessel, taken.at)
    pressure = pressure_at(context.db, context.kitchen, taken.at)
    pa = pressure.pa if pressure else STANDARD_PA
    boils_c = sucrose.boiling_point_c(taken.facts.brix, pa, context.invert_fraction)
    # What nobody measured may be much thinner, and boils sooner.
    thinnest = max(taken.facts.brix - 2 * (taken.facts.brix_sigma or 0.0), 1.0)
    full_c = sucrose.boiling_point_c(thinnest, pa, context.invert_fraction) - FULL_BOIL_BELOW_K
    noted = context.first(BoilingFacts)
    seen = first_at(full_c) if first_at and not noted else None
    if noted:
        start, sigma = noted.at, NOTED_SIGMA_MINUTES
    elif seen:
        start, sigma = seen, SEEN_SIGMA_MINUTES
    else:
        start, sigma = _warmed(taken, boils_c, rate, until if speaks else None)
    away = [one for one in gone if one.began >= start]
    gone = [one for one in away if not one.said]
    heat = _merged(
        [*_until_it_boils(heat_off(context, start, until, rate), gone), *_off(gone, until)]
    )
    jumped = [*_jumps_of(gone), *(jump for jump in jumps if start < jump.at < until)]
    steps = _Steps(
        context=context, start=start, until=until, boils_c=boils_c, rate=rate, jumps=jumped
    )
    steps.walk()
    return Boil(
        start=start,
        start_sigma=sigma,
        mass_kg=taken.facts.mass_kg,
        brix=taken.facts.brix,
        brix_sigma=TAKE_IN_SIGMA_BRIX if taken.facts.brix_sigma is None else taken.facts.brix_sigma,
        until=until,
        rate=rate,
        steps=steps.steps,
        step_sigmas_kg=steps.sigmas_kg,
        unsettled=sorted([*steps.unsettled, *heat, *_off(away, until)]),
        off=heat,
        turned=[
            *(e.at for e in context.of_kind(BurnerFacts) if e.at <= until),
            *(at for at, _ in steps.rates),
        ],
        turned_sigmas=steps.rates,
    )


def _warmed(
    taken: Entry[OpenedFacts], boils_c: float, rate: Rate, shown_until: datetime | None
) -> tuple[datetime, float]:
    """When it must boil by the arithmetic, and one sigma of that, minutes.

    Args:
        shown_until: up to when a probe in it has shown that it does not.
    """
    warms = _warming(taken.facts, boils_c, rate)
    start = taken.at + warms
    if shown_until and shown_until < taken.at + SLOWEST_WARMING * warms + MOST_LATE:
        # It has not reached its boil yet, whatever the arithmetic says; but a probe that lies
        # beside the pan for ever is not asked.
        start = max(start, shown_until + NOT_YET)
    doubt = sqrt(WARMING_SIGMA**2 + (rate.sigma_kg_per_min / rate.kg_per_min) ** 2)
    return start, doubt * (warms / timedelta(minutes=1))


def _off(gone: Sequence[Away], until: datetime) -> list[While]:
    """A pan under its boiling point does not boil, whatever the clock says."""
    return [(one.began, one.ended or max(until, one.began) + timedelta(days=1)) for one in gone]


def _until_it_boils(off: Sequence[While], gone: Sequence[Away]) -> list[While]:
    """Whiles without heat by the slip: one that nobody ended is over when its probe boils again."""
    found = []
    for began, ended in off:
        back = [
            one.ended
            for one in gone
            if one.ended and one.began < ended and one.ended > began + REHEATS
        ]
        found.append((began, min([ended, *back])))
    return found


def _merged(whiles: Sequence[While]) -> list[While]:
    found: list[While] = []
    for began, ended in sorted(whiles):
        if found and began <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], ended))
        else:
            found.append((began, ended))
    return found


def _jumps_of(gone: Sequence[Away]) -> list[Jump]:
    """What may be another after a while off the boil: little, where it came back as it left."""
    return [
        Jump(one.ended) if one.thinner else Jump(one.ended, COOLED_SHARE, RELIT_SIGMA)
        for one in gone
        if one.ended
    ]


COOLED_SHARE = 0.008
"""What steams off while it cools, one sigma."""


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


def _warming(taken: OpenedFacts, boils_c: float, rate: Rate) -> timedelta:
    minutes = heat_up_minutes(
        taken.mass_kg, taken.brix, taken.temperature_c, boils_c, rate.kg_per_min
    )
    return timedelta(minutes=minutes)


@dataclass(kw_only=True)
class _Steps:
    """What was put in and drawn as steps of the balance, and the whiles in which it did not boil.

    What is put in stops the boil until it boils too: as if that much water had come with it. A
    reading on the slip before it was of what was there before, at the same moment too.
    """

    context: BatchContext
    start: datetime
    until: datetime
    boils_c: float
    rate: Rate
    jumps: Sequence[Jump] = ()
    steps: list[Step] = field(default_factory=list)
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
                self._drawn(entry.at, entry.facts)
            elif isinstance(entry.facts, PutInFacts):
                self._added(entry.at, entry.facts, entry.at in read)
        for jump in self.jumps:
            self.steps.append(Step(self._minute(jump.at), 0.0, 0.0))
            self.sigmas_kg.append(jump.share * self._mass)
            self.rates.append((jump.at, jump.rate_sigma))
        order = sorted(range(len(self.steps)), key=lambda k: self.steps[k].minute)
        self.steps = [self.steps[k] for k in order]
        self.sigmas_kg = [self.sigmas_kg[k] for k in order]

    def _drawn(self, at: datetime, facts: PartDrawFacts | PouredFacts) -> None:
        taken = min(facts.mass_kg, MOST_TAKEN * self._solids / (facts.brix / 100))
        before = self._solids
        self._solids -= taken * facts.brix / 100
        self.steps.append(Step(self._minute(at), -taken, facts.brix))
        self.sigmas_kg.append(taken * hypot(DRAWN_SIGMA, DRAWN_AS_SIGMA_BRIX / facts.brix))
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
                (self._mass * sugar / self._solids) ** 2
                + (ADDED_SIGMA * kg) ** 2
                + (HELD_SIGMA * held) ** 2
            )
        )
        minute = self._minute(at) + (JUST_AFTER_MINUTES if after_reading else 0.0)
        self.steps.append(Step(minute, kg + held, kg * brix / (kg + held)))

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


def _power(told: RunTold, points: list[RunPoint]) -> float:
    """A probe's own noise, from its newest means of a boil that boiled all the while."""
    # The newest quarter of a minute is not over yet.
    steps, since = told.means[:-1], told.since
    boiled: list[tuple[int, float]] = []
    for point in reversed(points):
        ends = (point.ends - since).total_seconds() / FIRST_WIDTH_S
        if not steps or ends <= steps[0][0]:
            break
        begins = (point.begins - since).total_seconds() / FIRST_WIDTH_S
        low, high = (bisect_left(steps, (ceil(at - 1e-6),)) for at in (begins, ends))
        boiled[:0] = steps[low:high]
    return power_k2s(tuple(boiled))


def heat_of(
    context: BatchContext,
    today: ThermometerToday,
    told: RunTold,
    points: list[RunPoint],
    start: datetime,
) -> list[Heat]:
    """A probe's run as evidence: corrected by its calibration of now, its offset shared.

    Args:
        told: of the whole run; `points` those of it in which it boiled.
    """
    known = [p for p in points if p.pressure_pa is not None]
    if not known:
        return []
    curves = boil_curves(
        tuple(p.pressure_pa for p in known if p.pressure_pa is not None),
        (context.invert_fraction,) * len(known),
    )
    least = (curves.water_c - 3 * today.sigma_k).tolist()
    most = curves.at(HOTTEST_BRIX)[0].tolist()
    noise, shift_k = _power(told, known), context.boil_shift.k
    heat = []
    for point, low, high in zip(known, least, most, strict=True):
        assert point.pressure_pa is not None
        true = today.calibration.true_c(point.shown_c) - shift_k
        if low < true < high:
            seconds = (point.ends - point.begins).total_seconds()
            heat.append(
                Heat(
                    minute=(point.at - start) / timedelta(minutes=1),
                    temperature_c=true,
                    sigma_k=mean_sigma_k(noise, seconds),
                    shared=today.instrument.id,
                    shared_sigma_k=today.sigma_k,
                    station_pressure_pa=point.pressure_pa,
                    invert_fraction=context.invert_fraction,
                )
            )
    return heat

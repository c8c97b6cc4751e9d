"""A boil's run: when it boiled and when it did not, and its probe's temperatures as evidence."""

from bisect import bisect_left
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from math import ceil, sqrt

from lumbrel.core.pan.boil_lines import Heat
from lumbrel.core.pan.continuous import Climb
from lumbrel.core.pan.probe_noise import mean_sigma_k, power_k2s
from lumbrel.core.pan.probe_trace import FIRST_WIDTH_S
from lumbrel.core.pan.solids import MassStep, heat_up_minutes
from lumbrel.core.physics import sucrose
from lumbrel.core.physics.air import STANDARD_PA
from lumbrel.core.physics.boil_curve import boil_curves
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import BoilingFacts, BurnerFacts, OpenedFacts
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.day.thermometers import ThermometerToday
from lumbrel.services.pan.heats import REHEATS, Steps, While, heat_off
from lumbrel.services.pan.probe_points import RunPoint, RunTold
from lumbrel.services.pan.rate import Rate, learned_rate
from lumbrel.services.pan.unsaid import RELIT_SIGMA, Away, Jump, ScaleTold
from lumbrel.words import _

HOTTEST_BRIX = 90.0
TAKE_IN_SIGMA_BRIX = 0.7
"""One sigma of the Brix that is taken in: told by a woodlot, or read in a hurry."""


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
    steps: list[MassStep]
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


NOTHING_TOLD = ScaleTold()
FirstAt = Callable[[float], datetime | None]


def _seen_to_begin(
    context: BatchContext, first_at: FirstAt | None, pressure_pa: float
) -> tuple[datetime, float] | None:
    """When it began, as it was noted or as its probe shows it, and how well that is known."""
    noted = context.first(BoilingFacts)
    if noted:
        return noted.at, NOTED_SIGMA_MINUTES
    # What nobody measured may be much thinner, and boils sooner.
    taken = context.taken_in.facts
    thinnest = max(taken.brix - 2 * (taken.brix_sigma or 0.0), 1.0)
    boils_c = sucrose.boiling_point_c(thinnest, pressure_pa, context.invert_fraction)
    seen = first_at(boils_c - FULL_BOIL_BELOW_K) if first_at else None
    return (seen, SEEN_SIGMA_MINUTES) if seen else None


def _pressure_pa(context: BatchContext, at: datetime) -> float:
    pressure = pressure_at(context.db, context.kitchen, at)
    return pressure.pa if pressure else STANDARD_PA


def boil_of(
    context: BatchContext,
    first_at: FirstAt | None = None,
    speaks: bool = False,
    gone: Sequence[Away] = (),
    jumps: Sequence[Jump] = (),
    weight: ScaleTold = NOTHING_TOLD,
) -> Boil:
    """A batch's boil: from when it was noted, or its probe shows it, or as long after as it takes to warm.

    Args:
        first_at: says when its probe first was so hot, degC; None without a probe.
        speaks: whether the probe sends just now.
        gone: whiles in which it was off the boil.
        jumps: where what is in it may have become another.
        weight: what a scale under it told.
    """
    taken = context.taken_in
    until = context.left_at or context.now
    rate = context.once(_("learned rate"), lambda: learned_rate(context.db, context.vessel, taken.at))
    pa = context.once(_("pressure at the take-in"), lambda: _pressure_pa(context, taken.at))
    boils_c = sucrose.boiling_point_c(taken.facts.brix, pa, context.invert_fraction)
    start, sigma = _seen_to_begin(context, first_at, pa) or _warmed(
        taken, boils_c, rate, until if speaks else None
    )
    away = [one for one in gone if one.began >= start]
    gone = [one for one in away if not one.said]
    slip = _until_it_boils(heat_off(context, start, until, rate), gone)
    heat = _merged([*slip, *_off(gone, until), *((max(a, start), b) for a, b in weight.stalls if b > start)])
    jumped = [*_jumps_of(gone), *(jump for jump in jumps if start < jump.at < until)]
    steps = Steps(
        context=context, start=start, until=until, boils_c=boils_c, rate=rate, jumps=jumped, weight=weight
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
        turned=[*_turned(context, until), *(at for at, _any in steps.rates)],
        turned_sigmas=steps.rates,
    )


def _turned(context: BatchContext, until: datetime) -> list[datetime]:
    return [e.at for e in context.of_kind(BurnerFacts) if e.at <= until]


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
        back = [one.ended for one in gone if one.ended and one.began < ended and one.ended > began + REHEATS]
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


def _warming(taken: OpenedFacts, boils_c: float, rate: Rate) -> timedelta:
    minutes = heat_up_minutes(taken.mass_kg, taken.brix, taken.temperature_c, boils_c, rate.kg_per_min)
    return timedelta(minutes=minutes)


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
    context: BatchContext, today: ThermometerToday, told: RunTold, points: list[RunPoint], start: datetime
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

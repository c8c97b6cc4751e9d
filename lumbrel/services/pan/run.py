"""A boil's run: when it boiled and when it did not, and its probe's temperatures as evidence."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from math import sqrt

from lumbrel.core.pan.fitted_boil import HeatReading, Step
from lumbrel.core.pan.solids import heat_up_minutes, unboiled_kg
from lumbrel.core.physics import sucrose
from lumbrel.core.physics.air import STANDARD_PA
from lumbrel.core.physics.boil_curve import boil_curves
from lumbrel.core.physics.sucrose import boiling_sigma_k
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import READINGS
from lumbrel.services.base.facts import (
    AddedFacts,
    BoilingFacts,
    DepthFacts,
    PartDrawFacts,
    PouredFacts,
    TakeInFacts,
)
from lumbrel.services.bench.correct import OWN_THERMOMETER_SIGMA_K
from lumbrel.services.day.pressure import pressure_at, pressure_by
from lumbrel.services.day.thermometers import DEFAULT_BOIL_BY, thermometer_today
from lumbrel.services.pan.probe_points import RunPoint
from lumbrel.services.pan.rate import Rate, learned_rate
from lumbrel.store.instruments import Instrument, ThermometerDetail

While = tuple[datetime, datetime]

HOTTEST_BRIX = 90.0
COLD_BY_K = 1.0
WANDER_SIGMA_K = 0.015
"""What is left of a probe's own error in the mean of many samples: lag, stirring, drift."""
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
    until: datetime
    """Now, or the draw."""
    rate: Rate
    steps: list[Step]
    unsettled: list[While]
    """When it did not boil, oldest first; the first is its beginning."""

    def minute(self, at: datetime) -> float:
        """A moment on the fit's clock, 0 before it boiled."""
        return max((at - self.start) / timedelta(minutes=1), 0.0)


def boil_of(context: BatchContext) -> Boil:
    """A batch's boil: from when it was noted, or as long after the take-in as it takes to warm."""
    taken = context.taken_in
    until = context.left_at or context.now
    rate = learned_rate(context.db, context.vessel, taken.at)
    pressure = pressure_at(context.db, context.kitchen, taken.at)
    pa = pressure.pa if pressure else STANDARD_PA
    boils_c = sucrose.boiling_point_c(taken.facts.brix, pa, context.invert_fraction)
    noted = context.first(BoilingFacts)
    start = noted.at if noted else taken.at + _warming(taken.facts, boils_c, rate)
    steps, unsettled = _additions(context, start, until, boils_c, rate)
    return Boil(start=start, until=until, rate=rate, steps=steps, unsettled=unsettled)


def _warming(taken: TakeInFacts, boils_c: float, rate: Rate) -> timedelta:
    minutes = heat_up_minutes(
        taken.mass_kg, taken.brix, taken.temperature_c, boils_c, rate.kg_per_min
    )
    return timedelta(minutes=minutes)


def _additions(
    context: BatchContext, start: datetime, until: datetime, boils_c: float, rate: Rate
) -> tuple[list[Step], list[While]]:
    """What was put in as steps of the balance, and the whiles in which it did not boil.

    What is put in stops the boil until it boils too: as if that much water had come with it. A
    reading on the slip before it was of what was there before, at the same moment too.
    """
    steps: list[Step] = []
    unsettled = [(start, start)]
    read: set[datetime] = set()
    solids = context.taken_in.facts.mass_kg * context.taken_in.facts.brix / 100
    for entry in context.current:
        if isinstance(entry.facts, (*READINGS, DepthFacts)):
            read.add(entry.at)
        if isinstance(entry.facts, PartDrawFacts | PouredFacts) and entry.at < until:
            minutes = max((entry.at - start) / timedelta(minutes=1), 0.0)
            taken = min(entry.facts.mass_kg, MOST_TAKEN * solids / (entry.facts.brix / 100))
            solids -= taken * entry.facts.brix / 100
            steps.append(Step(minutes, -taken, entry.facts.brix))
        if not isinstance(entry.facts, AddedFacts) or entry.at > until:
            continue
        kg, brix, held = entry.facts.mass_kg, entry.facts.brix, 0.0
        if entry.at > start:
            warm = entry.facts.temperature_c
            if warm is None:
                warm = context.taken_in.facts.temperature_c
            held = unboiled_kg(kg, brix, warm, boils_c)
            slow = max(rate.kg_per_min - rate.sigma_kg_per_min, rate.kg_per_min / 3)
            unsettled.append((entry.at, entry.at + timedelta(minutes=held / slow)))
        minutes = max((entry.at - start) / timedelta(minutes=1), 0.0)
        after = JUST_AFTER_MINUTES if entry.at in read else 0.0
        solids += kg * brix / 100
        steps.append(Step(minutes + after, kg + held, kg * brix / (kg + held)))
    return steps, unsettled


def settled(points: list[RunPoint], start: datetime, unsettled: list[While]) -> list[RunPoint]:
    """The points of a run in which it boiled all the while."""
    return [
        p
        for p in points
        if p.begins >= start
        and p.spread_k <= STEADY_K
        and not any(p.begins < to + PROBE_SETTLES and p.ends > at for at, to in unsettled)
    ]


def went_cold(points: list[RunPoint]) -> datetime | None:
    """When a boil stopped boiling: what boils only grows hotter, so one that has cooled by more
    than a kelvin since its hottest says nothing of density any more."""
    if len(points) < 3:
        return None
    hottest = max(points, key=lambda p: p.shown_c)
    if points[-1].shown_c < hottest.shown_c - COLD_BY_K:
        return hottest.at + timedelta(seconds=1)
    return None


def heat_of(
    context: BatchContext,
    probe: Instrument[ThermometerDetail],
    points: list[RunPoint],
    start: datetime,
    until: datetime,
) -> list[HeatReading]:
    """The probe's run as evidence: corrected by its calibration of now, its offset shared."""
    known = [p for p in points if p.pressure_pa is not None]
    boil_by = context.batch.methods.get("boil_by", DEFAULT_BOIL_BY)
    pressure = pressure_by(context.db, context.kitchen, until, boil_by)
    if not known or pressure is None:
        return []
    today = thermometer_today(context.db, probe, pressure, until, boil_by)
    shared = sqrt(today.sigma_k**2 + boiling_sigma_k(60.0) ** 2)
    curves = boil_curves(
        tuple(p.pressure_pa for p in known if p.pressure_pa is not None),
        (context.invert_fraction,) * len(known),
    )
    least = (curves.water_c - 3 * today.sigma_k).tolist()
    most = curves.at(HOTTEST_BRIX)[0].tolist()
    heat = []
    for point, low, high in zip(known, least, most, strict=True):
        assert point.pressure_pa is not None
        true = today.calibration.true_c(point.shown_c)
        if low < true < high:
            minute = (point.at - start) / timedelta(minutes=1)
            own = sqrt(OWN_THERMOMETER_SIGMA_K**2 / point.samples + WANDER_SIGMA_K**2)
            heat.append(
                HeatReading(
                    minute=minute,
                    temperature_c=true,
                    sigma_k=own,
                    shared=probe.id,
                    shared_sigma_k=shared,
                    station_pressure_pa=point.pressure_pa,
                    invert_fraction=context.invert_fraction,
                )
            )
    return heat

"""By when to look again, and how deep the stick must stand."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from math import isfinite

from lumbrel.core.bench.thermometer import Calibration
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import methods
from lumbrel.core.pan.fit import next_check_minutes
from lumbrel.core.pan.target import FOAM_ABOVE_WATER_K, FinishPoint, finish_point
from lumbrel.core.pan.verdict import Looks, Verdict
from lumbrel.core.pan.vessel import HOTTEST_VOLUME_C, done_depth_mm, hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import HydrometerFacts, RefractometerFacts
from lumbrel.services.day.ladder import today
from lumbrel.services.day.pressure import Pressure, pressure_by
from lumbrel.services.day.thermometers import (
    DEFAULT_BOIL_BY,
    DEFAULT_END_POINT,
    ThermometerToday,
    thermometer_today,
)
from lumbrel.services.pan.evidence import BoilEvidence
from lumbrel.store.instruments import HydrometerDetail, RefractometerDetail, ThermometerDetail, with_detail


@dataclass(frozen=True, kw_only=True)
class TimeLeft:
    """When it will be done, and when to look next."""

    left: float
    low: float
    high: float | None
    finish_at: datetime | None
    next_check_at: datetime
    heating: float
    """Minutes until it boils off; 0 once it does."""


@dataclass(frozen=True)
class _Dip:
    """What a kind of cup or drop can bring: the sigma that is sharp enough without a fresh one, that of
    a fresh one by itself, and how long one is fresh."""

    sharp_brix: float
    brings_brix: float
    fresh: timedelta


STEM = _Dip(0.42, 0.5, timedelta(minutes=2.5))
DROP = _Dip(0.19, 0.22, timedelta(minutes=3))


def looks_of(context: BatchContext, seen: BoilEvidence, time: TimeLeft) -> Looks:
    """What looking again could bring: who owns a hydrometer or a prism can."""
    drops = bool(context.instruments_of(RefractometerDetail))
    kind = RefractometerFacts if drops else HydrometerFacts
    best = DROP if drops else STEM
    dips = [r for r in seen.readings if r.kind == kind.key()]
    return Looks(
        # A draw-off is opened at the likeliest moment, and the cup is read in what comes.
        can=can_look(context) and not context.channels,
        fresh=bool(dips) and context.now - dips[-1].at <= best.fresh,
        due=context.now > time.next_check_at and time.heating == 0 and can_look(context),
        could_be=time.low < COULD_BE_MINUTES and time.heating == 0 and not seen.heat_is_off,
        sharp_brix=best.sharp_brix,
        brings_brix=best.brings_brix,
    )


COULD_BE_MINUTES = 1.0
"""So near the low end it could be done now."""


def can_look(context: BatchContext) -> bool:
    return any(context.instruments_of(d) for d in (HydrometerDetail, RefractometerDetail))


@dataclass(frozen=True, kw_only=True)
class Marks:
    """What tells done on the thermometer and the wall of the pan."""

    pressure: Pressure | None
    thermometer: ThermometerToday | None
    draw_shown_c: float | None = None
    depth_now_mm: float | None = None
    depth_done_mm: float | None = None
    foam: bool = False


def marks_of(
    context: BatchContext, seen: BoilEvidence, call: Verdict, *, mass_kg: float, brix: float, boils: bool
) -> Marks:
    boil_by = context.batch.methods.get("boil_by", DEFAULT_BOIL_BY)
    pressure = pressure_by(context.db, context.kitchen, context.now, boil_by)
    if pressure is None:
        return Marks(pressure=None, thermometer=None)
    glass = _thermometer(context, seen, pressure, boil_by)
    point = finish_point(pressure.pa, call.draw_at_brix, context.invert_fraction)
    boils_c = sucrose.boiling_point_c(min(brix, sucrose.MAX_BOIL_BRIX), pressure.pa, context.invert_fraction)
    now_mm, done_mm = _depths(
        context,
        mass_kg,
        brix,
        solids_kg=seen.fitted.solids_kg[-1],
        boil_c=boils_c,
        done_c=point.temperature_c,
    )
    return Marks(
        pressure=pressure,
        thermometer=glass,
        draw_shown_c=_draw_mark(context, glass, pressure, point),
        depth_now_mm=now_mm,
        depth_done_mm=done_mm,
        foam=boils and boils_c - point.boiling_point_c >= FOAM_ABOVE_WATER_K,
    )


def _draw_mark(
    context: BatchContext, glass: ThermometerToday | None, pressure: Pressure, point: FinishPoint
) -> float:
    """What the thermometer shows when it is done, by the batch's method of the end point."""
    held = glass.calibration if glass else Calibration(at_c=pressure.boil_c)
    rule = context.batch.methods.get("end_point", DEFAULT_END_POINT)
    if rule == DEFAULT_END_POINT:
        return held.indicated_c(point.temperature_c + context.boil_shift.k)
    return methods.shown_mark_c(rule, held.indicated_c(pressure.boil_c), point.above_water_c)


NOT_KNOWN_MINUTES = 60.0
"""So far away the low end is held to be where nothing boils off."""


def next_check_of(seen: BoilEvidence, low_minute: float) -> datetime:
    """When half of the way is gone from the last look to the low end of the range."""
    last = last_look(seen)
    left = low_minute - seen.minute(last) if isfinite(low_minute) else NOT_KNOWN_MINUTES
    return last + timedelta(minutes=next_check_minutes(left))


def last_look(seen: BoilEvidence) -> datetime:
    return max([seen.boil_start, *(reading.at for reading in seen.readings)])


def _thermometer(
    context: BatchContext, seen: BoilEvidence, pressure: Pressure, boil_by: str
) -> ThermometerToday | None:
    """The thermometer whose marks the board gives: a probe that speaks, else the one last read
    in this boil, else the day's."""
    typed = [t for r in seen.readings if (t := with_detail(r.instrument, ThermometerDetail))]
    used = seen.probe if seen.probe and seen.probe_samples else (typed[-1] if typed else None)
    if used:
        return thermometer_today(context.db, used, pressure, context.now, boil_by)
    return today(context.db, context.now).chosen


def _depths(
    context: BatchContext, mass_kg: float, brix: float, *, solids_kg: float, boil_c: float, done_c: float
) -> tuple[float | None, float | None]:
    """How deep it stands now, and how deep when it is done, mm; None where no depth tells."""
    syrup = min(brix, sucrose.MAX_DENSITY_BRIX)
    vessel, wanted_brix = context.geometry, context.batch.target_brix
    try:
        litres = mass_kg / sucrose.density_kg_m3(syrup, 20) * 1000
        now_mm = vessel.depth_mm(litres * hot_volume_ratio(syrup, min(boil_c, HOTTEST_VOLUME_C)))
        return now_mm, done_depth_mm(vessel, solids_kg, wanted_brix, done_c)
    except OutOfRange:
        return None, None

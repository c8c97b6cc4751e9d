"""The kettle that jars are filled from: how it cools, and how many jars this heat fills."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from math import inf, isfinite

from lumbrel.core.errors import OutOfRange
from lumbrel.core.jar import hot_pack
from lumbrel.core.jar.hot_pack import COLDEST_FILL_C, NEW_NITER_C
from lumbrel.core.jar.kettle import USUAL_RATE_PER_MIN, Heat, fit_heat
from lumbrel.core.jar.plan import Plan, plan
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawnFacts, JarFacts, KettleFacts, ReheatFacts
from lumbrel.services.pan.drawn import AfterDraw, after_draw
from lumbrel.store import flow

USUAL_KG, SLOWER_BY = 13.0, 0.35
"""A bigger kettle cools the slower, by that power of its mass."""
PACE_PER_MIN, PACE_KNOWN_AS_MIN = 1.5, 3.0
"""Jars a minute before any were filled in this heat; what is expected counts like so many minutes."""
Packed = list[Entry[JarFacts]]
STILL_THE_SAME = timedelta(minutes=90)
"""A heat of before that is over, whatever was not written down."""
AHEAD_MIN, BEHIND_MIN = 30.0, 2.0
FIRST_JAR_ML = 500.0


@dataclass(frozen=True)
class Shown:
    """What the kettle showed."""

    at: datetime
    temperature_c: float


@dataclass(frozen=True, kw_only=True)
class Kettle:
    """One heat of a kettle, as it stands now."""

    now: datetime
    shown: list[Shown]
    """In this heat, oldest first; none while it is on the fire or nobody read it."""
    on_fire: bool
    heat: Heat | None
    now_c: float | None
    sigma_k: float
    minutes_left: float | None
    """Until it is too cold to fill; None before it was read."""
    low: float | None
    high: float | None
    reheats: int
    left_ml: float
    """Still to be packed, at 20 degC."""
    filled: int
    """Jars filled of this batch."""
    in_this_heat: int | None
    """Jars of the size at hand that fit in the minutes left."""
    size_ml: float
    pace_per_min: float
    plan: Plan | None
    hot_ml: float
    """What such a jar takes at the kettle's heat, ml; `fill_g` what it then weighs more."""
    fill_g: float

    @property
    def cold_at(self) -> datetime | None:
        """When it is too cold to fill."""
        known = self.minutes_left is not None and isfinite(self.minutes_left)
        return self.now + timedelta(minutes=self.minutes_left or 0.0) if known else None

    @property
    def too_hot(self) -> bool:
        """So hot that new niter forms in the jar."""
        return self.now_c is not None and self.now_c > NEW_NITER_C

    def path(self) -> list[tuple[datetime, float]]:
        """Its cooling, from the first reading on, some way ahead."""
        if self.heat is None:
            return []
        start = self.shown[0].at
        last = (self.now - start) / timedelta(minutes=1) + AHEAD_MIN
        minutes = [last * i / 60 for i in range(61)]
        return [(start + timedelta(minutes=m), self.heat.temperature_c_at(m)) for m in minutes]


def kettle_of(context: BatchContext, size_ml: float | None = None) -> Kettle | None:
    """The kettle of a drawn batch; None before the draw.

    Args:
        size_ml: of the jars at hand; else those that were filled last.
    """
    if not context.of_kind(DrawnFacts):
        return None
    after = after_draw(context)
    packed = context.of_kind(JarFacts)
    size = size_ml or (packed[-1].facts.jars[0][0] if packed else FIRST_JAR_ML)
    reheats = context.of_kind(ReheatFacts)
    since = reheats[-1].at if reheats else after.draw.at
    since = max(since, context.now - STILL_THE_SAME)
    shown = [
        Shown(e.at, e.facts.temperature_c)
        for e in context.of_kind(KettleFacts)
        if since <= e.at <= context.now
    ]
    heat = _heat(shown, after)
    minute = (context.now - shown[0].at) / timedelta(minutes=1) if shown else 0.0
    left, low, high = heat.minutes_to(COLDEST_FILL_C, minute) if heat else (None, None, None)
    now_c = heat.temperature_c_at(minute) if heat else None
    left_ml = max(_left_ml(after, packed), 0.0)
    pace = _pace(context, shown)
    ratio = hot_pack.fill_volume_l(after.syrup_brix, min(now_c or 85.0, 99.0), 1.0)
    return Kettle(
        now=context.now,
        shown=shown,
        on_fire=bool(reheats) and not shown,
        heat=heat,
        now_c=now_c,
        sigma_k=heat.sigma_k_at(minute) if heat else 0.0,
        minutes_left=left,
        low=low,
        high=high if high is None or isfinite(high) else None,
        reheats=len(reheats),
        left_ml=left_ml,
        filled=sum(count for e in packed for _, count in e.facts.jars),
        in_this_heat=None if left is None else _in_heat(left, pace, left_ml, size),
        size_ml=size,
        pace_per_min=pace,
        plan=_plan(left_ml, size, context),
        hot_ml=size * ratio,
        fill_g=1000 * hot_pack.mass_kg(after.syrup_brix, size / 1000),
    )


def _heat(shown: list[Shown], after: AfterDraw) -> Heat | None:
    if not shown:
        return None
    first = shown[0].at
    usual = USUAL_RATE_PER_MIN * (USUAL_KG / max(after.mass_kg, 0.5)) ** SLOWER_BY
    readings = [((s.at - first) / timedelta(minutes=1), s.temperature_c) for s in shown]
    try:
        return fit_heat(readings, rate_per_min=usual)
    except OutOfRange:
        return None


def _left_ml(after: AfterDraw, packed: Packed) -> float:
    litre_kg = hot_pack.mass_kg(after.syrup_brix, 1.0)
    return 1000 * (after.mass_kg - sum(e.facts.mass_kg for e in packed)) / litre_kg


def _pace(context: BatchContext, shown: list[Shown]) -> float:
    """Jars a minute, by this heat."""
    if not shown:
        return PACE_PER_MIN
    filled = [e for e in context.of_kind(JarFacts) if e.at >= shown[0].at]
    jars = sum(count for e in filled for _, count in e.facts.jars)
    minutes = (filled[-1].at - shown[0].at) / timedelta(minutes=1) if filled else 0.0
    return (PACE_PER_MIN * PACE_KNOWN_AS_MIN + jars) / (PACE_KNOWN_AS_MIN + minutes)


def _in_heat(minutes: float, pace: float, left_ml: float, size_ml: float) -> int:
    fits = left_ml // size_ml
    return int(fits if minutes == inf else min(minutes * pace, fits))


def sizes_at_hand(context: BatchContext) -> list[float]:
    """Sizes of jars that this kitchen fills, ml: those of its last lots, and the usual ones."""
    packed = [size for e in context.of_kind(JarFacts) for size, _ in e.facts.jars]
    known = flow.last_sizes(context.db, LAST_LOTS)
    return sorted({*packed, *known, FIRST_JAR_ML, *SMALLER_ML}, reverse=True)[:MOST_SIZES]


def _plan(left_ml: float, size_ml: float, context: BatchContext) -> Plan | None:
    sizes = sorted({size_ml, *sizes_at_hand(context)}, reverse=True)
    return plan(left_ml, sizes) if left_ml >= min(sizes) else None


SMALLER_ML = (250.0,)
LAST_LOTS, MOST_SIZES = 12, 6
NEXT_DAY = timedelta(hours=10)

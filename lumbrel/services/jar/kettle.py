"""The kettle that jars are filled from: how it cools, and how many jars this heat fills."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import inf, isfinite
from typing import NamedTuple

from lumbrel.core.jar import hot_pack
from lumbrel.core.jar.hot_pack import COLDEST_FILL_C, NEW_NITER_C
from lumbrel.core.jar.plan import JarPlan, plan
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawnFacts, JarFacts
from lumbrel.services.pan.drawn import AfterDraw, after_draw
from lumbrel.services.pan.off_fire import OffFire, off_fire
from lumbrel.store import jars
from lumbrel.words import _

PACE_PER_MIN, PACE_KNOWN_AS_MIN = 1.5, 3.0
"""Jars a minute before any were filled in this heat; what is expected counts like so many minutes."""
Packed = list[Entry[JarFacts]]


@dataclass(frozen=True, kw_only=True)
class Kettle:
    """One heat of a kettle, as it stands now."""

    fire: OffFire
    minutes_left: float | None
    """Until it is too cold to fill; None before it was read."""
    low: float | None
    high: float | None
    left_ml: float
    """Still to be packed, at 20 degC."""
    filled: int
    """Jars filled of this batch."""
    in_this_heat: int | None
    """Jars of the size at hand that fit in the minutes left."""
    size_ml: float
    pace_per_min: float
    plan: JarPlan | None
    hot_ml: float
    """What such a jar takes at the kettle's heat, ml; `fill_g` what it then weighs more."""
    fill_g: float

    @property
    def cold_at(self) -> datetime | None:
        """When it is too cold to fill."""
        known = self.minutes_left is not None and isfinite(self.minutes_left)
        return self.fire.now + timedelta(minutes=self.minutes_left or 0.0) if known else None

    @property
    def too_hot(self) -> bool:
        """So hot that new niter forms in the jar."""
        return (self.fire.now_c or 0.0) > NEW_NITER_C


def kettle_of(
    context: BatchContext, size_ml: float | None = None, wished: Mapping[float, int] | None = None
) -> Kettle | None:
    """The kettle of a drawn batch; None before the draw.

    Args:
        size_ml: of the jars at hand; else those that were filled last.
        wished: how many of a size are to be filled first.
    Raises:
        OutOfRange: more is wished than there is syrup for.
    """
    if not context.of_kind(DrawnFacts):
        return None
    after = after_draw(context)
    packed = context.of_kind(JarFacts)
    size = size_ml or (packed[-1].facts.jars[0][0] if packed else usual_sizes(context)[0].ml)
    fire = off_fire(context, after, filling=True)
    left, low, high = fire.minutes_to(COLDEST_FILL_C) or (None, None, None)
    now_c = fire.now_c
    left_ml = max(_left_ml(after, packed), 0.0)
    pace = _pace(context, fire)
    ratio = hot_pack.fill_volume_l(after.syrup_brix, min(now_c or 85.0, 99.0), 1.0)
    return Kettle(
        fire=fire,
        minutes_left=left,
        low=low,
        high=high if high is None or isfinite(high) else None,
        left_ml=left_ml,
        filled=sum(count for e in packed for _any, count in e.facts.jars),
        in_this_heat=None if left is None else _in_heat(left, pace, left_ml, size),
        size_ml=size,
        pace_per_min=pace,
        plan=_plan(left_ml, size, context, wished),
        hot_ml=size * ratio,
        fill_g=1000 * hot_pack.mass_kg(after.syrup_brix, size / 1000),
    )


def _left_ml(after: AfterDraw, packed: Packed) -> float:
    litre_kg = hot_pack.mass_kg(after.syrup_brix, 1.0)
    return 1000 * (after.mass_kg - sum(e.facts.mass_kg for e in packed)) / litre_kg


def _pace(context: BatchContext, fire: OffFire) -> float:
    """Jars a minute, by this heat."""
    shown = fire.shown
    if not shown:
        return PACE_PER_MIN
    filled = [e for e in context.of_kind(JarFacts) if e.at >= shown[0].at]
    jars = sum(count for e in filled for _any, count in e.facts.jars)
    minutes = (filled[-1].at - shown[0].at) / timedelta(minutes=1) if filled else 0.0
    return (PACE_PER_MIN * PACE_KNOWN_AS_MIN + jars) / (PACE_KNOWN_AS_MIN + minutes)


def _in_heat(minutes: float, pace: float, left_ml: float, size_ml: float) -> int:
    fits = left_ml // size_ml
    return int(fits if minutes == inf else min(minutes * pace, fits))


def sizes_at_hand(context: BatchContext) -> list[float]:
    """Sizes of jars that this kitchen fills, ml: those of its last lots, and the usual ones."""
    packed = [size for e in context.of_kind(JarFacts) for size, _any in e.facts.jars]
    known = jars.last_sizes(context.db, LAST_LOTS)
    usual = [size.ml for size in usual_sizes(context)]
    return sorted({*packed, *known, *usual}, reverse=True)[:MOST_SIZES]


class JarSize(NamedTuple):
    """A size of jar: what it holds at 20 degC, ml, and as it is typed."""

    ml: float
    typed: str


FLUID_OUNCE_ML = 29.5735295625
USUAL = (JarSize(500.0, "500 ml"), JarSize(250.0, "250 ml"))
USUAL_FLOZ = (JarSize(16 * FLUID_OUNCE_ML, _("16 floz")), JarSize(8 * FLUID_OUNCE_ML, _("8 floz")))


def usual_sizes(context: BatchContext) -> tuple[JarSize, ...]:
    """The usual sizes, in the unit that this kitchen knows its jars by."""
    return USUAL_FLOZ if context.kitchen.units.get("jar") == "floz" else USUAL


def _plan(
    left_ml: float, size_ml: float, context: BatchContext, wished: Mapping[float, int] | None
) -> JarPlan | None:
    sizes = sorted({size_ml, *sizes_at_hand(context)}, reverse=True)
    return plan(left_ml, sizes, wished) if left_ml >= min(sizes) else None


LAST_LOTS, MOST_SIZES = 12, 6
NEXT_DAY = timedelta(hours=10)

"""Where a trunk may be tapped: how many taps it bears, how far a new hole stays from the old ones,
and when a trunk is full.

The trunk is seen unrolled: across, the way round it; up, the height above the ground. A hole keeps its
bearing while the trunk grows, so the wood between two holes widens with the girth. Each old hole
leaves dead wood around it; a new one keeps a box clear of every old one until so much new wood
has grown over it that a new hole ends before it.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import pi

import numpy as np
from numpy.typing import NDArray

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.words import _

Floats = NDArray[np.float64]
TAPS_FROM_MM: dict[str, tuple[float, ...]] = {
    "conservative": (300.0, 450.0),
    "small": (250.0, 450.0),
    "older": (250.0, 450.0, 650.0),
}
"""By rule: through the trunk at breast height from where it bears one tap, two, three; mm."""
DEAD_WIDER = 2.0
"""The dead wood round a hole is so many times as wide as the hole."""
DEAD_UP_MM = 500.0
"""And reaches so far up and down."""
GROWTH_MM_A_YEAR = 2.0
"""Wood that a year puts on, on every side, where nobody measured it; from 1 to 4."""
SLACK_MM = 20.0
"""A drill is not set down to the millimetre: so much more where there is room."""
LEAST_GIRTH_MM, MOST_GIRTH_MM = 200.0, 6000.0


@dataclass(frozen=True, kw_only=True)
class Rule:
    """How a trunk is tapped, by a school of the trade; lengths in mm."""

    taps: str = "conservative"
    """One of `TAPS_FROM_MM`."""
    beside_mm: float = 300.0
    """From an old hole round the trunk."""
    above_mm: float = 600.0
    """Or up and down from it."""
    lowest_mm: float = 1000.0
    highest_mm: float = 1500.0
    height_mm: float = 1200.0
    hole_mm: float = 8.0
    depth_mm: float = 45.0
    """Under the bark."""
    slope_deg: float = 5.0
    sunny_deg: float = 180.0
    """The compass bearing of the sunny side."""
    sunny_only: bool = False
    """Nearest to the sunny side each year, instead of on round the trunk."""


@dataclass(frozen=True)
class Hole:
    """A hole in a trunk."""

    bearing_deg: float
    """Compass bearing from the middle of the trunk."""
    height_mm: float
    year: int
    girth_mm: float = 0.0
    """Round the trunk when it was drilled; 0 where nobody measured it."""


@dataclass(frozen=True)
class Place:
    """Where a new hole goes."""

    bearing_deg: float
    height_mm: float


@dataclass(frozen=True)
class Trunk:
    """A trunk as it stands in a year."""

    girth_mm: float
    year: int
    holes: tuple[Hole, ...] = ()
    growth_mm: float = GROWTH_MM_A_YEAR
    """Wood put on in a year, on every side."""


def through_mm(girth_mm: float) -> float:
    """A trunk's diameter by its girth, mm."""
    return girth_mm / pi


def require_girth(girth_mm: float) -> float:
    """The girth, when a trunk can have it.

    Raises:
        OutOfRange: below 0.2 m, or above 6 m.
    """
    if not LEAST_GIRTH_MM <= girth_mm <= MOST_GIRTH_MM:
        raise OutOfRange(
            _(
                "The girth is measured round the trunk at breast height, 1.3 m up: between 0.2 and 6 "
                "m (8 and 236 in)."
            ),
            "girth",
        )
    return girth_mm


def taps_borne(girth_mm: float, rule: Rule) -> int:
    """How many taps a trunk of this girth bears in a year.

    Args:
        girth_mm: at breast height, 200 to 6000.
        rule: its `taps` decides.
    Source: schools of forestry extension; the default never gives more than two.
    """
    through = through_mm(require_girth(girth_mm))
    return sum(through >= least for least in TAPS_FROM_MM[rule.taps])


def girth_to_bear_mm(rule: Rule) -> float:
    """The girth from which a trunk bears its first tap, mm."""
    return TAPS_FROM_MM[rule.taps][0] * pi


def covered_mm(hole: Hole, trunk: Trunk) -> float:
    """How much wood has grown over a hole since it was drilled, mm.

    By the girths of then and now where both were measured, else by the years at the trunk's growth.
    """
    years = trunk.year - hole.year
    if hole.girth_mm and years > 0:
        return max(0.0, (trunk.girth_mm - hole.girth_mm) / (2 * pi))
    return max(0.0, years * trunk.growth_mm)


def counts(hole: Hole, trunk: Trunk, rule: Rule) -> bool:
    """Whether an old hole still keeps new ones away: until a new one would end in new wood."""
    return covered_mm(hole, trunk) < rule.depth_mm


def apart_mm(one_deg: float, other_deg: float, girth_mm: float) -> float:
    """The way round the trunk between two bearings, mm, the shorter one."""
    between = abs(one_deg - other_deg) % 360.0
    return min(between, 360.0 - between) / 360.0 * girth_mm


_HAIR_MM = 1e-6


def is_clear(place: Place | Hole, old: Place | Hole, girth_mm: float, rule: Rule) -> bool:
    """Whether a place keeps the rule's distance from a hole; bearings from 0 to 360."""
    between = abs(place.bearing_deg - old.bearing_deg)
    if between > 180.0:
        between = 360.0 - between
    beside = between / 360.0 * girth_mm >= rule.beside_mm - _HAIR_MM
    return beside or abs(place.height_mm - old.height_mm) >= rule.above_mm - _HAIR_MM


def in_dead_wood(place: Place, trunk: Trunk, rule: Rule) -> Hole | None:
    """The old hole whose dead wood a new one would be drilled into, if any."""
    reach = rule.hole_mm * (1 + DEAD_WIDER) / 2
    return next(
        (
            hole
            for hole in trunk.holes
            if counts(hole, trunk, rule)
            and abs(hole.height_mm - place.height_mm) <= DEAD_UP_MM
            and apart_mm(hole.bearing_deg, place.bearing_deg, trunk.girth_mm) < reach
        ),
        None,
    )


NEARLY_MM = 5.0
"""A hole that was drilled is taken to be where it should be when it is so near."""


def too_near(place: Place, trunk: Trunk, rule: Rule) -> Hole | None:
    """The nearest old hole that a place does not keep clear of, if any, by as well as a drill is set."""
    nearly = replace(rule, beside_mm=rule.beside_mm - NEARLY_MM, above_mm=rule.above_mm - NEARLY_MM)
    near = [
        hole
        for hole in trunk.holes
        if counts(hole, trunk, rule) and not is_clear(place, hole, trunk.girth_mm, nearly)
    ]
    return min(
        near, key=lambda hole: apart_mm(hole.bearing_deg, place.bearing_deg, trunk.girth_mm), default=None
    )


def places(trunk: Trunk, rule: Rule, wanted: int | None = None) -> tuple[Place, ...]:
    """Where this year's holes go, the one to drill first in front.

    Never breaks the rule, and finds as many as the trunk bears whenever so many exist: a set of
    free places can be slid sideways and up or down until each touches a box, another place or an
    end of the heights, and all such places are looked at.

    Args:
        trunk: girth 200 to 6000 mm.
        rule: the school that is followed.
        wanted: how many; what the trunk bears, less what was drilled this year, if left out.
    Returns:
        Empty where the trunk is too thin, or full.
    """
    if wanted is None:
        drilled = sum(hole.year == trunk.year for hole in trunk.holes)
        wanted = max(0, taps_borne(trunk.girth_mm, rule) - drilled)
    old = [hole for hole in trunk.holes if counts(hole, trunk, rule)]
    roomy = replace(rule, beside_mm=min(rule.beside_mm + SLACK_MM, _even_mm(trunk, rule)))
    for count in range(wanted, 0, -1):
        for held in (roomy, rule):
            if found := _placed(trunk, held, old, count):
                return found
    return ()


def _even_mm(trunk: Trunk, rule: Rule) -> float:
    """How far apart as many holes as fit round the trunk stand when none is wasted, mm."""
    fit = int(require_girth(trunk.girth_mm) // rule.beside_mm)
    return trunk.girth_mm / fit if fit else rule.beside_mm


def _placed(trunk: Trunk, rule: Rule, old: Sequence[Hole], count: int) -> tuple[Place, ...]:
    """So many places clear of the old holes and of each other, the best first; none if there are
    not so many."""
    newest = max(old, key=lambda hole: hole.year, default=None)
    x, y = _free(trunk, rule, old, count)
    order = np.lexsort(_ranks(x, y, trunk, rule, newest)[::-1])
    return _together(x[order], y[order], count, trunk.girth_mm, rule)


def _together(x: Floats, y: Floats, count: int, girth_mm: float, rule: Rule) -> tuple[Place, ...]:
    """The first so many of these places that are clear of each other; none if there are none."""
    if count == 1:
        return tuple(Place(float(x[i]), float(y[i])) for i in range(min(len(x), 1)))
    for i in range(len(x) - 1):
        beside = _round(x[i + 1 :], x[i : i + 1], girth_mm)[:, 0]
        above = abs(y[i + 1 :] - y[i])
        later = i + 1 + np.flatnonzero(~_within(beside, rule.beside_mm) | ~_within(above, rule.above_mm))
        if others := _together(x[later], y[later], count - 1, girth_mm, rule):
            return (Place(float(x[i]), float(y[i])), *others)
    return ()


def _round(x: Floats, others: Floats, girth_mm: float) -> Floats:
    """The way round the trunk from each bearing to each of others, mm."""
    between = abs(x[:, None] - others)
    way: Floats = np.minimum(between, 360.0 - between) / 360.0 * girth_mm
    return way


def _within(apart: Floats, least_mm: float) -> NDArray[np.bool_]:
    """Whether less than the rule wants lies between."""
    return apart < least_mm - _HAIR_MM


def _free(trunk: Trunk, rule: Rule, old: Sequence[Hole], count: int) -> tuple[Floats, Floats]:
    """The free places among those where one touches a box, another new hole or an end: bearings, heights."""
    step = rule.beside_mm / trunk.girth_mm * 360.0
    times = [k for k in range(-count, count + 1) if k]
    from_here = [hole.bearing_deg for hole in old]
    bearings = {rule.sunny_deg % 360.0} | {
        (start + k * step) % 360.0 for start in [*from_here, rule.sunny_deg] for k in times
    }
    ends = {rule.height_mm, rule.lowest_mm, rule.highest_mm}
    heights = ends | {
        start + k * rule.above_mm for start in [*ends, *(h.height_mm for h in old)] for k in times
    }
    low, high = rule.lowest_mm - _HAIR_MM, rule.highest_mm + _HAIR_MM
    within = [height for height in sorted(heights) if low <= height <= high]
    x, y = np.array(sorted(bearings)), np.array(within)
    # Where a place is too near to a hole both ways.
    above = _within(abs(y[:, None] - np.array([h.height_mm for h in old])), rule.above_mm)
    beside = _within(_round(x, np.array(from_here), trunk.girth_mm), rule.beside_mm)
    taken = above.astype(float) @ beside.T.astype(float)
    free = np.nonzero(taken == 0)
    return x[free[1]], y[free[0]]


def _ranks(x: Floats, y: Floats, trunk: Trunk, rule: Rule, newest: Hole | None) -> tuple[Floats, ...]:
    """Lower goes first: the usual height, then on round the trunk or to the sun."""
    off = np.abs(y - rule.height_mm)
    far = (off > NEARLY_AS_HIGH_MM).astype(float)
    if rule.sunny_only or newest is None:
        between = np.abs(x - rule.sunny_deg) % 360.0
        return far, np.minimum(between, 360.0 - between) / 360.0 * trunk.girth_mm, off
    return far, (x - newest.bearing_deg) % 360.0, off


NEARLY_AS_HIGH_MM = 150.0


def grown(trunk: Trunk, years: int) -> Trunk:
    """The trunk so many years on, at its growth."""
    girth = min(trunk.girth_mm + 2 * pi * trunk.growth_mm * years, MOST_GIRTH_MM)
    return replace(trunk, girth_mm=girth, year=trunk.year + years)


def require_place(bearing_deg: float, height_mm: float) -> Place:
    """A place that a drill can reach.

    Args:
        bearing_deg: 0 to 360, compass.
        height_mm: 200 to 2500 above the ground.
    """
    require_between(bearing_deg, 0.0, 360.0, field="bearing", what=_("The bearing"), unit="degrees")
    require_between(height_mm, 200.0, 2500.0, field="height", what=_("The height"), unit="mm")
    return Place(bearing_deg % 360.0, height_mm)

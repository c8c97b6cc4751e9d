"""How a trunk grows, and how long until a place or all of it is free."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from math import pi

from lumbrel.core.sap.trunk import GROWTH_MM_A_YEAR, Hole, Rule, Trunk, grown, places, taps_borne

LOOK_AHEAD_YEARS = 40


def years_until_a_place(trunk: Trunk, rule: Rule) -> int | None:
    """How many years a trunk rests until it has a place again; 0 when it has one now, None when
    not within 40 years."""
    for years in range(LOOK_AHEAD_YEARS + 1):
        if places(grown(trunk, years), rule, 1 if _bears(trunk, rule, years) else 0):
            return years
    return None


def _bears(trunk: Trunk, rule: Rule, years: int) -> bool:
    return taps_borne(grown(trunk, years).girth_mm, rule) > 0


def years_until_full(trunk: Trunk, rule: Rule) -> int | None:
    """For how many years from now on it can be tapped as it bears, until it is full; None when it
    is not full within 40 years. 0 for a trunk that bears no tap now."""
    for years, now in enumerate(_tapped_on(trunk, rule)):
        if not now:
            return years
    return None


def _tapped_on(trunk: Trunk, rule: Rule) -> Iterator[bool]:
    """Year after year, whether it found a place for each tap it bears."""
    held = trunk
    for _ in range(LOOK_AHEAD_YEARS):
        bears = taps_borne(held.girth_mm, rule)
        done = sum(hole.year == held.year for hole in held.holes)
        found = places(held, rule)
        yield bool(bears) and len(found) + done >= bears
        drilled = tuple(Hole(place.bearing_deg, place.height_mm, held.year, held.girth_mm) for place in found)
        held = grown(replace(held, holes=held.holes + drilled), 1)


def growth_mm_a_year(girths: Sequence[tuple[int, float]]) -> tuple[float, bool]:
    """Wood that a year puts on, mm on every side, and whether it was measured.

    Args:
        girths: years with the girth measured then, mm.
    Returns:
        The slope of a line through them where they span two years and more; else the usual.
        Between 0.5 and 8: a tape is read to some millimetres.
    """
    if not girths:
        return GROWTH_MM_A_YEAR, False
    years = [year for year, _ in girths]
    if max(years) - min(years) < 2:
        return GROWTH_MM_A_YEAR, False
    middle = sum(years) / len(years)
    mean = sum(girth for _, girth in girths) / len(girths)
    up = sum((year - middle) * (girth - mean) for year, girth in girths)
    across = sum((year - middle) ** 2 for year in years)
    return min(max(up / across / (2 * pi), 0.5), 8.0), True

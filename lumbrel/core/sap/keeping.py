"""How long sap keeps: every hour uses up a share of its life, by how warm it was.

What spoils sap is alive and doubles: where old sap meets fresh, the counts add up, not the ages, so
that a small old rest ages the whole tank by far more than its share.
"""

from bisect import bisect_right
from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta
from math import exp, log

LIFE_DAYS = ((0.0, 7.0), (4.0, 3.0), (10.0, 1.0), (15.0, 0.5), (20.0, 0.25))
"""degC and days, of trade practice; between them the logarithm is a straight line."""
GROWS = log(1000.0)
"""Over its life what is alive in sap grows about a thousandfold, from fresh to sour."""
WARMEST_C = 45.0
FRESH = 0.0
SPOILT = 1.0


def life_hours(temperature_c: float) -> float:
    """How long fresh sap keeps at a steady temperature, hours.

    Args:
        temperature_c: held within 0 to 45. Under 0 as at 0: it is ice and sap, and thaws at 0.
    Uncertainty: a factor of 1.5 either way, by how clean the gear is.
    """
    t = min(max(temperature_c, LIFE_DAYS[0][0]), WARMEST_C)
    i = min(max(bisect_right([c for c, _ in LIFE_DAYS], t) - 1, 0), len(LIFE_DAYS) - 2)
    (low_c, low), (high_c, high) = LIFE_DAYS[i], LIFE_DAYS[i + 1]
    share = (t - low_c) / (high_c - low_c)
    return 24.0 * exp(log(low) + share * (log(high) - log(low)))


def used(spans: Iterable[tuple[float, float]]) -> float:
    """The share of its life that sap has used up: the sum over its hours.

    Args:
        spans: hours, each with the temperature in them, degC.
    Returns:
        0 fresh, 1 spoilt; above it long spoilt.
    """
    return sum(hours / life_hours(temperature_c) for hours, temperature_c in spans)


def mixed(parts: Sequence[tuple[float, float]]) -> float:
    """The share of its life that a mixture has used up.

    Args:
        parts: litres, each with the share that it has used up.
    Returns:
        What the counts of all together come to: at least the mean by volume, at most the oldest.
    """
    whole = sum(litres for litres, _ in parts)
    if whole <= 0:
        return FRESH
    # Off the largest, so that no exponential grows out of bounds.
    oldest = max(share for litres, share in parts if litres > 0)
    alive = sum(litres * exp(GROWS * (share - oldest)) for litres, share in parts) / whole
    return max(FRESH, oldest + log(alive) / GROWS)


Course = Sequence[tuple[datetime, float]]
"""Temperatures in order of time, degC; each holds on a straight line to the next, the last from then on."""


def temperature_at(course: Course, at: datetime) -> float:
    """The temperature at a moment, degC; the first before, the last after.

    Args:
        course: at least one.
    """
    i = bisect_right(course, at, key=_when)
    if i == 0:
        return course[0][1]
    if i == len(course):
        return course[-1][1]
    (before, low), (after, high) = course[i - 1], course[i]
    return low + (high - low) * ((at - before) / (after - before))


def _when(point: tuple[datetime, float]) -> datetime:
    return point[0]


STEP = timedelta(minutes=30)


def used_between(course: Course, start: datetime, end: datetime) -> float:
    """The share of its life that sap uses up from one moment to another, by the midpoints of half hours."""
    total, at = 0.0, start
    while at < end:
        step = min(STEP, end - at)
        middle = temperature_at(course, at + step / 2)
        total += step.total_seconds() / 3600 / life_hours(middle)
        at += step
    return total


def boil_by(course: Course, now: datetime, used_up: float, days: float = 10.0) -> datetime | None:
    """When sap has used up its life, by the temperatures to come.

    Args:
        course: degC, from now on.
        used_up: share used by now.
        days: how far it looks.
    Returns:
        `now` for sap that is past it; None when it keeps for longer than it looks.
    """
    if used_up >= SPOILT:
        return now
    at, left = now, SPOILT - used_up
    while at < now + timedelta(days=days):
        spent = STEP.total_seconds() / 3600 / life_hours(temperature_at(course, at + STEP / 2))
        if spent >= left:
            return at + STEP * (left / spent)
        left -= spent
        at += STEP
    return None

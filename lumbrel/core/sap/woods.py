"""Woods as they may be: how their frost stores and their thaw lets out, a few hundred at once.

What drives a run is the last frost: how far under nought and for how long; then how far and how long it is above. A
hole gives less as it ages; without frost what is stored fades within days; under vacuum it runs without frost too. How much
of each nobody knows of a woodlot: its own days say which of these woods it is like. All woodlots under one weather
share what these woods make of it.
"""

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from lumbrel.core.physics.boil_curve import Floats
from lumbrel.core.sap.running import Weather

WOODS = 400
HOUR_AT = (np.arange(24) + 0.5) / 24
RUNS_OVER_C, RUNS_TO_C = 0.4, 10.0
"""Sap runs from the first on, and no faster above the second."""
FREEZES_C = -0.4
LEAST_FROST_KH = 2.0


class DegreeHours(NamedTuple):
    """Of a night and its day: under nought and over it, K h; and the mean of both, degC."""

    under: Floats
    over: Floats
    mean: Floats


class _Woods(NamedTuple):
    """One number a wood."""

    frost_kh: Floats
    thaw_kh: Floats
    kept: Floats
    """Of what is stored so much is still there after a day without frost."""
    spent: Floats
    """Of what runs so much is taken off what is stored."""
    hole_days: Floats
    """In which a hole gives half as much."""
    vacuum: Floats
    wakes_kh: Floats
    """Of a birch: how warm it must have been before it runs."""


@lru_cache(1)
def _woods() -> _Woods:
    rng = np.random.default_rng(418)

    def about(middle: float, sigma: float) -> Floats:
        found: Floats = middle * np.exp(sigma * rng.standard_normal(WOODS))
        return found

    # Half of them give away what they store: it fades the less, the more it is spent.
    spends = rng.random(WOODS) < 0.5
    return _Woods(
        frost_kh=about(28.0, 0.5),
        thaw_kh=about(35.0, 0.6),
        kept=np.where(spends, rng.uniform(0.65, 1.0, WOODS), rng.uniform(0.55, 0.85, WOODS)),
        spent=np.where(spends, rng.uniform(0.4, 1.0, WOODS), 0.0),
        hole_days=about(32.0, 0.35),
        vacuum=np.where(rng.random(WOODS) < 0.25, rng.uniform(0.2, 0.8, WOODS), 0.0),
        wakes_kh=about(2400.0, 0.5),
    )


def degree_hours(nights: Floats, days: Floats, before: Floats) -> DegreeHours:
    """What nights and days are under and over nought.

    Args:
        nights, days: lowest and highest, degC.
        before: the highest of the day before each.
    """
    night, day, last = nights[..., None], days[..., None], before[..., None]
    # From the highest of the day before down to the lowest, and up to the next: half of each in a day.
    falls = night + (last - night) * (0.5 + 0.5 * np.cos(np.pi * HOUR_AT))
    rises = night + (day - night) * (0.5 - 0.5 * np.cos(2 * np.pi * HOUR_AT))
    under = (
        np.maximum(FREEZES_C - falls, 0.0).sum(axis=-1) / 2
        + np.maximum(FREEZES_C - rises, 0.0).sum(axis=-1) / 4
    )
    over = np.clip(rises - RUNS_OVER_C, 0.0, RUNS_TO_C - RUNS_OVER_C).sum(axis=-1) * 0.6
    return DegreeHours(under, over, (nights + days) / 2)


class Run(NamedTuple):
    """What each wood has stored, and how warm it has been since the first day known."""

    stored: Floats
    warmed: Floats


AT_FIRST = 0.5


def begun() -> Run:
    """Where nobody knows the weather before."""
    return Run(np.full(WOODS, AT_FIRST), np.zeros(WOODS))


def day_of(
    run: Run, hours: DegreeHours, hole_age: float, birch: bool, which: slice | Floats = slice(None)
) -> tuple[Run, Floats]:
    """A night and its day in every wood: what it has stored then, and what it gives of its best.

    Args:
        run: on the evening before.
        hours: of this night and day, one for all woods or one each.
        hole_age: days since it was tapped.
        which: of the woods, where not all are asked.
    """
    woods = _Woods(*(part[which] for part in _woods()))
    warmed = run.warmed + 24 * np.maximum(hours.mean, 0.0)
    aged = 0.5 ** (hole_age / woods.hole_days)
    if birch:
        awake = np.clip((warmed - woods.wakes_kh) / 400.0, 0.0, 1.0)
        return Run(run.stored, warmed), awake * np.clip((hours.mean - 1.0) / 7.0, 0.0, 1.0)
    frost = 1 - np.exp(-hours.under / woods.frost_kh)
    freezes = hours.under > LEAST_FROST_KH
    faded = run.stored * np.where(freezes, 1.0, woods.kept)
    # What the last frost stored, or what every frost adds to what is left.
    adds = np.where(woods.spent > 0, faded + (1 - faded) * frost, np.maximum(faded, frost))
    full = np.where(freezes, adds, faded)
    thaw = 1 - np.exp(-hours.over / woods.thaw_kh)
    gives = full * thaw
    return Run(full - woods.spent * gives, warmed), (gives + woods.vacuum * thaw) * aged


@lru_cache(64)
def made_of(weather: tuple[Weather, ...], ages: tuple[float, ...], birch: bool) -> tuple[Floats, Run]:
    """What every wood makes of a spell of weather: a row a day, and how it stands after it.

    Args:
        weather: days that follow each other.
        ages: of the holes on each, days.
    """
    nights, days = (np.array([one[i] for one in weather]) for i in (0, 1))
    before = np.concatenate([days[:1], days[:-1]])
    hours = degree_hours(nights, days, before)
    run, rows = begun(), []
    for i, age in enumerate(ages):
        run, gives = day_of(run, DegreeHours(*(part[i] for part in hours)), age, birch)
        rows.append(gives)
    return np.array(rows), run


def simple_hours(weather: Sequence[Weather]) -> Floats:
    """Degree-hours over and under nought, a row a day, K h / 24."""
    nights, days = (np.array([one[i] for one in weather]) for i in (0, 1))
    air = nights[:, None] + (days - nights)[:, None] * (0.5 - 0.5 * np.cos(2 * np.pi * HOUR_AT))
    return np.stack([np.maximum(air, 0.0).mean(axis=1), np.maximum(-air, 0.0).mean(axis=1)], axis=1)

"""A candy pot that cools undisturbed: how likely pots fit what was read of it, and when they are cold enough.

Likely pots are drawn of all that is held before it is read (`PotPlace`), weighed by how well each explains the readings, and
drawn anew near those that do. What is left of them at the end is the answer, with its doubt.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import exp, inf, log
from typing import NamedTuple

import numpy as np

from lumbrel.core.candy.bath import (
    CORE,
    FILM,
    GAP,
    GRID,
    HORIZON_MIN,
    LITRES,
    WAYS,
    PotPlace,
    minutes_until,
)
from lumbrel.core.errors import OutOfRange
from lumbrel.core.likely import after, together
from lumbrel.core.numeric import outlook
from lumbrel.core.physics.boil_curve import Floats
from lumbrel.words import _, number

HOTTEST_C, COLDEST_C = 300.0, -20.0
ALIKE_K, ALIKE_MIN = 0.12, 0.15
"""What no law knows better, of a pot that nobody stirs: so much, and what it cools in so many minutes."""
MANY = 8
"""More readings than that tell no more: what the law leaves out is in all of them."""
NEAR = 0.15
"""Who is told a wait so well plans by it."""
STARTS = (1.0, 0.8)
"""One sigma of the core and of the gap where a boil has just stirred it."""


class Start(NamedTuple):
    """A pot where it was put: its core, degC, how much colder its wall is, K, and one sigma of both."""

    core_c: float
    sigma_k: float = STARTS[0]
    gap_k: float = 0.0
    gap_sigma_k: float = STARTS[1]


class CoolingRead(NamedTuple):
    """A reading: minutes since it was put there, degC, one sigma of the reading alone."""

    minute: float
    shown_c: float
    sigma_k: float


@dataclass(frozen=True, kw_only=True)
class PotCooling:
    """A pot's cooling as its readings have it: likely pots, each with its weight; minutes since it was put there."""

    drawn: Floats
    weights: Floats
    cores: Floats
    walls: Floats

    @property
    def film(self) -> tuple[float, float]:
        """W/m2K from its wall, and one sigma of the logarithm."""
        return self._logged(FILM)

    @property
    def litres(self) -> tuple[float, float]:
        """Of its bath, and one sigma of the logarithm."""
        return self._logged(LITRES)

    def _logged(self, which: int) -> tuple[float, float]:
        mean = float(self.weights @ self.drawn[:, which])
        return exp(mean), float(np.sqrt(self.weights @ (self.drawn[:, which] - mean) ** 2))

    def _of(self, paths: Floats, minute: float) -> Floats:
        at = min(max(minute, 0.0), float(GRID[-1]))
        place = min(int(np.searchsorted(GRID, at, side="right")) - 1, len(GRID) - 2)
        part = (at - GRID[place]) / (GRID[place + 1] - GRID[place])
        found: Floats = paths[:, place] * (1 - part) + paths[:, place + 1] * part
        return found

    def temperature_c_at(self, minute: float) -> float:
        """At a minute, degC."""
        return float(self.weights @ self._of(self.cores, minute))

    def sigma_k_at(self, minute: float) -> float:
        """One sigma of that, K."""
        each = self._of(self.cores, minute)
        return float(np.sqrt(self.weights @ (each - self.weights @ each) ** 2))

    def start_at(self, minute: float) -> Start:
        """As it is put somewhere else at a minute."""
        core, gap = self._of(self.cores, minute), self._of(self.cores - self.walls, minute)
        gaps = float(self.weights @ gap)
        spread = float(np.sqrt(self.weights @ (gap - gaps) ** 2))
        return Start(float(self.weights @ core), 0.3 + self.sigma_k_at(minute), gaps, 0.5 + spread)

    def minutes_to(self, target_c: float, now: float) -> tuple[float, float, float]:
        """Minutes from now until it has cooled to a temperature: expected, and 5 and 95 % limits; 0 when
        it has, infinite when it is not there within six hours.

        Args:
            target_c: degC.
            now: minute on the readings' clock.
        """
        if self.temperature_c_at(now) <= target_c:
            return 0.0, 0.0, 0.0
        minutes = minutes_until(self.cores, target_c)
        minutes[minutes > now + HORIZON_MIN] = inf
        expected, low, high = outlook(minutes, self.weights, NEAR)
        return max(expected - now, 0.0), max(low - now, 0.0), max(high - now, 0.0)

    def never(self, target_c: float, now: float) -> float:
        """The chance that it is not as cold within six hours from a minute; none once it is."""
        if self.temperature_c_at(now) <= target_c:
            return 0.0
        return float(self.weights @ (minutes_until(self.cores, target_c) > now + HORIZON_MIN))


MOST_REMEMBERED = 64


def fit_bath(readings: Sequence[CoolingRead], stands: PotPlace, start: Start) -> PotCooling:
    """A pot's cooling from its readings since it was put there.

    Args:
        readings: since then, or none.
        stands: where it stands.
        start: as it was put there.
    Raises:
        OutOfRange: a reading that no pot of candy shows.
    Source: heat of two bodies and a lagging core (`PotPlace.cools`); importance sampling in steps.
    """
    shown = (start.core_c, *(one.shown_c for one in readings))
    if any(not COLDEST_C <= one <= HOTTEST_C for one in shown):
        raise OutOfRange(
            _(
                "A pot of candy is warmer than what it stands in, and at most {HOTTEST_C} °C "
                "({HOTTEST_C_2} °F).",
                HOTTEST_C=number(HOTTEST_C, 0),
                HOTTEST_C_2=number(HOTTEST_C * 1.8 + 32, 0),
            ),
            "readings",
        )
    return _fitted(tuple(sorted(readings)), stands, start)


@lru_cache(MOST_REMEMBERED)
def _fitted(readings: tuple[CoolingRead, ...], stands: PotPlace, start: Start) -> PotCooling:
    """The same readings are fitted once: a pot is looked at again and again."""
    before, sigmas = (part.copy() for part in stands.unknowns)
    before[CORE], before[GAP] = start.core_c, start.gap_k
    sigmas[CORE], sigmas[GAP] = start.sigma_k, start.gap_sigma_k
    minutes = np.array([one.minute for one in readings])
    shown = np.array([one.shown_c for one in readings])
    alike = ALIKE_K + ALIKE_MIN * _falls(readings, start)
    own = np.array([one.sigma_k for one in readings])
    sigma = np.sqrt(own**2 + alike**2 * max(len(readings) / MANY, 1.0))
    last = float(minutes.max()) if readings else 0.0

    def misses(each: Floats) -> Floats:
        if not readings:
            return np.zeros((len(each), 0))
        cores = stands.cools(each, last)[0]
        grid = GRID[: cores.shape[1]]
        place = np.clip(np.searchsorted(grid, minutes, side="right") - 1, 0, max(len(grid) - 2, 0))
        part = np.clip((minutes - grid[place]) / (grid[place + 1] - grid[place]), 0.0, 1.0)
        missed: Floats = (cores[:, place] * (1 - part) + cores[:, place + 1] * part - shown) / sigma
        return missed

    found = []
    for chance, holds in WAYS:
        for which, (middle, sigma_of) in holds.items():
            before[which], sigmas[which] = middle, sigma_of
        sigmas[list(stands.idle)] = 0.0
        drawn, weights, explains = after(before, sigmas, misses)
        found.append((drawn, weights, explains + log(chance)))
    drawn, weights = together(found)
    cores, walls = stands.cools(drawn)
    cooling = PotCooling(drawn=drawn, weights=weights, cores=cores, walls=walls)
    if readings:
        # What no law knows of this pot its last reading shows, and it dies away as the pot does.
        misses_by = shown[-1] - cooling._of(cores, last)
        misses_by *= alike[-1] ** 2 / (alike[-1] ** 2 + own[-1] ** 2)
        coldest = cores[:, -1:]
        over = np.maximum(cooling._of(cores, last)[:, None] - coldest, 1.0)
        cores += misses_by[:, None] * np.clip((cores - coldest) / over, 0.0, 1.0)
    return cooling


def _falls(readings: Sequence[CoolingRead], start: Start) -> Floats:
    """How fast it cooled about each reading, K a minute."""
    minutes = np.array([0.0, *(one.minute for one in readings)])
    shown = np.array([start.core_c, *(one.shown_c for one in readings)])
    wide = np.maximum(minutes[1:] - minutes[:-1], 0.3)
    falls: Floats = np.abs(shown[1:] - shown[:-1]) / wide
    return falls

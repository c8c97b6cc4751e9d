"""A candy pot on the fire: how long until the mark, by what its thermometer showed.

At steady heat the water left to drive off falls in a straight line, whatever the temperature does. So
each reading is turned into the water that is left between it and the mark, with the heat that the syrup
itself takes up counted as water, and a line is laid through them. The mark and the readings are of one
thermometer: what it shows too much counts in neither. The line's end is as sure as the readings and as
the fire, which strays.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import inf, sqrt
from typing import NamedTuple

import numpy as np

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.numeric import outlook
from lumbrel.core.physics import sucrose, water
from lumbrel.core.physics.boil_curve import Floats
from lumbrel.words import _

LEAST_ABOVE_K, MOST_ABOVE_K, STEP_K = 1.0, 56.0, 0.25
BELOW_ITS_BOIL_K = 0.6
"""Who reads so little less than where the syrup boils reads its boil: a thermometer lags, a curve is off."""
MOST_BRIX = 97.8
"""The densest boil that the curve is held for."""
STRAYS, STRAYS_FOR_MIN = 0.08, 4.0
"""A stove strays by that share, for so long."""
LEAST_SIGMA_K, BENT = 0.15, 0.025
LAG_MIN, LAG_SIGMA_MIN = 0.3, 0.2
"""A thermometer in a thick boil shows what was a third of a minute ago, more or less."""
DRAWS = 400
NEAR, NEAR_MIN = 0.2, 1.0
"""Who is told the minutes so well, or to a minute, stands ready."""
READ_SIGMA_K = 0.2
"""Of the last reading that a pot is taken off by."""
OFF_BY_K = 0.15
"""So near below the mark it is at the mark."""


class PotReading(NamedTuple):
    """A reading in the boil: minutes on any clock, K above where this thermometer shows water to boil, and
    one sigma of the reading alone."""

    minute: float
    above_k: float
    sigma_k: float


class PotLeft(NamedTuple):
    """Minutes until the mark, from now: expected, and 5 and 95 % limits; the last is infinite when the
    readings do not tell."""

    minutes: float
    low: float
    high: float


@dataclass(frozen=True, kw_only=True)
class CookFit:
    """A pot's way to the mark, as its readings have it; shares are kg of water a kg of solids."""

    target_k: float
    now_minute: float
    left_share: float
    rate_share: float
    covariance: Floats
    """Of what is left now, and of the rate."""
    curve: "WaterLeft"

    @property
    def above_now_k(self) -> float:
        """How far above water it stands now, by all that it showed."""
        return self.curve.above_at(self.left_share)

    def left(self) -> PotLeft:
        """How long it takes still."""
        if self.rate_share <= 0:
            return PotLeft(inf, 0.0, inf)
        rng = np.random.default_rng(7)
        root = np.linalg.cholesky(self.covariance + 1e-15 * np.eye(2))
        drawn = rng.standard_normal((DRAWS, 2)) @ root.T
        there = np.maximum(self.left_share + drawn[:, 0], 0.0)
        rates = self.rate_share + drawn[:, 1]
        with np.errstate(divide="ignore", invalid="ignore"):
            minutes = np.where(rates > 0.05 * self.rate_share, there / rates, inf)
        # How the fire will stray until then nobody knows either.
        wander = STRAYS * np.sqrt(_mean_square(np.where(np.isfinite(minutes), minutes, 0.0)))
        doubt = np.sqrt(wander**2 + LAG_SIGMA_MIN**2)
        minutes = np.maximum(minutes + doubt * rng.standard_normal(DRAWS), 0.0)
        return PotLeft(*outlook(minutes, np.full(DRAWS, 1 / DRAWS), NEAR, NEAR_MIN))


def _mean_square(minutes: Floats | float) -> Floats:
    """Of the minutes that a straying fire of unit share gains or loses over a while."""
    t, lasts = np.asarray(minutes, dtype=np.float64), STRAYS_FOR_MIN
    gained: Floats = 2 * lasts * (t - lasts * (1 - np.exp(-t / lasts)))
    return np.maximum(gained, 0.0)


class WaterLeft:
    """Water between a boil and the mark, kg a kg of solids, with the heat that the syrup takes up as the
    water it would have driven off; by K above water."""

    def __init__(self, target_k: float, pressure_pa: float, invert_fraction: float) -> None:
        boil = water.boiling_point_c(sucrose.require_station_pressure(pressure_pa))
        hottest = sucrose.boiling_point_c(MOST_BRIX, pressure_pa, invert_fraction) - boil
        steps = round((MOST_ABOVE_K - LEAST_ABOVE_K) / STEP_K)
        self._above = LEAST_ABOVE_K + STEP_K * np.arange(steps + 1)
        brix = [
            sucrose.brix_from_boiling_point(boil + min(k, hottest), pressure_pa, invert_fraction)
            for k in self._above.tolist()
        ]
        mass = 100 / np.array(brix)
        warmth = np.array(
            [
                m * sucrose.specific_heat_kj_per_kg_k(min(b, 96.0), min(boil + k, 150.0))
                for m, b, k in zip(mass.tolist(), brix, self._above.tolist(), strict=True)
            ]
        )
        between = (warmth[1:] + warmth[:-1]) / 2 * STEP_K / water.latent_heat_kj_per_kg(boil + 10)
        driven = np.concatenate([[0.0], np.cumsum(mass[:-1] - mass[1:] + between)])
        self._left: Floats = np.interp(target_k, self._above, driven) - driven

    def at(self, above_k: Floats | float) -> Floats:
        """Left at a boil; below nothing past the mark."""
        left: Floats = np.asarray(np.interp(above_k, self._above, self._left))
        return left

    def above_at(self, left: float) -> float:
        """The boil at which so much is left, K above water."""
        return float(np.interp(-left, -self._left, self._above))

    def slope(self, above_k: Floats) -> Floats:
        """How much less is left for each K."""
        near = np.clip(above_k, LEAST_ABOVE_K + STEP_K, MOST_ABOVE_K - STEP_K)
        return (self.at(near - STEP_K) - self.at(near + STEP_K)) / (2 * STEP_K)


@lru_cache(maxsize=64)
def water_left(target_k: float, pressure_pa: float, invert_fraction: float) -> WaterLeft:
    """The curve of a cook, made once for its looks.

    Args:
        target_k: of the mark, K above water, 5 to 55.
        pressure_pa: station pressure, Pa, 50000 to 110000.
        invert_fraction: of the solids, 0 to 1.
    """
    return WaterLeft(target_k, pressure_pa, invert_fraction)


def fit_cook(
    readings: Sequence[PotReading],
    target_k: float,
    station_pressure_pa: float,
    invert_fraction: float,
    rate_share: tuple[float, float],
    now_minute: float,
) -> CookFit:
    """A pot's way to the mark.

    Args:
        readings: in the boil, in any order, at most some hundred; since the fire was turned last.
        target_k: of the mark, K above where the thermometer shows water to boil, 5 to 55.
        station_pressure_pa: Pa, 50000 to 110000.
        invert_fraction: of the solids, 0 to 1.
        rate_share: water that such a fire drives off, kg a minute and kg of solids, and one sigma.
        now_minute: on the readings' clock, not before the last of them.
    Raises:
        OutOfRange: no reading, or a value lies outside its range.
    Source: mass and heat balance, least squares with a fire that strays as a memory of minutes does.
    """
    require_between(target_k, 5.0, 55.0, field="target", what=_("The mark above water"), unit="K")
    if not readings:
        raise OutOfRange(_("Read the pot once in its boil."), "readings")
    curve = water_left(target_k, station_pressure_pa, invert_fraction)
    minutes = np.array([r.minute for r in readings])
    above = np.clip([r.above_k for r in readings], LEAST_ABOVE_K, MOST_ABOVE_K)
    read = np.maximum([r.sigma_k for r in readings], LEAST_SIGMA_K)
    # The further from the mark, the more the curve's own bend counts.
    bent = BENT * np.maximum(target_k - above, 0.0)
    sigma = np.sqrt(read**2 + bent**2) * curve.slope(above)
    age = np.maximum(now_minute - minutes, 0.0) + LAG_MIN
    best, covariance = _line_through(age, curve.at(above), sigma, rate_share)
    return CookFit(
        target_k=target_k,
        now_minute=now_minute,
        left_share=float(best[0]),
        rate_share=float(best[1]),
        covariance=covariance,
        curve=curve,
    )


def _line_through(
    age: Floats, left: Floats, sigma: Floats, rate_share: tuple[float, float]
) -> tuple[Floats, Floats]:
    """What is left now and the rate at which it goes, with their covariance."""
    prior, prior_sigma = rate_share
    rate = prior
    best: Floats = np.zeros(2)
    covariance: Floats = np.eye(2)
    # What the fire strayed since a reading counts in all readings before it too.
    since = np.minimum.outer(age, age)
    rows = np.stack([np.ones_like(age), age], axis=1)
    for _any in range(3):
        strayed = (STRAYS * rate) ** 2 * _mean_square(since)
        weigh = np.linalg.inv(np.diag(sigma**2) + strayed)
        normal = rows.T @ weigh @ rows + np.diag([1e-9, prior_sigma**-2])
        wanted = rows.T @ weigh @ left + np.array([0.0, prior / prior_sigma**2])
        covariance = np.asarray(np.linalg.inv(normal), dtype=np.float64)
        best = covariance @ wanted
        rate = max(float(best[1]), 0.1 * prior)
    return best, covariance


def reached_brix(above_k: float, station_pressure_pa: float, invert_fraction: float) -> tuple[float, float]:
    """Solids of what was taken off the fire so far above water, and one sigma of the curve, Brix.

    Args:
        above_k: K, 1 to 56; station_pressure_pa: Pa, 50000 to 110000; invert_fraction: 0 to 1.
    """
    boil = water.boiling_point_c(sucrose.require_station_pressure(station_pressure_pa))
    hottest = sucrose.boiling_point_c(MOST_BRIX, station_pressure_pa, invert_fraction)
    at = min(max(boil + above_k, boil + LEAST_ABOVE_K), hottest)
    brix = sucrose.brix_from_boiling_point(at, station_pressure_pa, invert_fraction)
    slope = sucrose.boiling_slope_k_per_brix(min(brix, 97.5), station_pressure_pa, invert_fraction)
    return brix, sqrt(sucrose.boiling_sigma_k(brix) ** 2 + READ_SIGMA_K**2) / slope

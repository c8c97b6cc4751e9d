"""A candy pot that cools undisturbed: on the bench, in a water bath, in ice or snow.

The warmer it is above what it stands in, the faster, and more so than in proportion: hot air rises faster,
and cold syrup is thick and keeps its warmth to itself. A bath warms as the pot cools, so that what the
pot comes to is not what the bath was. How fast, how much more so, and to what it comes are unknowns that
begin with what such pots do and are narrowed by the pot's own readings.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from math import inf, log

import numpy as np

from lumbrel.core.candy.cook import Bath
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics.boil_curve import Floats
from lumbrel.words import _, number

HOTTEST_C = 300.0
READ_SIGMA_K = 0.34
"""Of a thermometer left in a pot that nobody stirs: it is not alike everywhere in it."""
MANY = 10
"""More readings than that tell no more: what the law leaves out is in all of them."""
LAG_MIN = 0.45
"""A thermometer in a pot that cools shows what was about so long ago; at first it still shows the boil."""
FRESH_SIGMA_K, FRESH_MIN = 1.2, 1.0
"""Besides, in the first minute."""
USUAL_EXCESS_K = 60.0
"""The rate is that of a pot so much warmer than what it comes to."""
START_SIGMA_K = 1.3
PASSES, DRAWS = 25, 600
NINETY = (0.05, 0.95)
STEPS = np.array([0.05, 0.01, 0.05, 0.01])


@dataclass(frozen=True, kw_only=True)
class PotCooling:
    """A pot's cooling as its readings have it; minutes are the readings' own.

    Attributes:
        parameters: at `first_minute`, degC; logarithm of the rate; to what it comes, degC; how much more
            than in proportion.
    """

    parameters: Floats
    covariance: Floats
    first_minute: float

    @property
    def rate_per_min(self) -> float:
        """Of the excess, of a pot with the usual excess."""
        return float(np.exp(self.parameters[1]))

    def temperature_c_at(self, minute: float) -> float:
        """At a minute, degC."""
        return float(_cooled(self.parameters[None, :], np.array([minute - self.first_minute]))[0])

    def sigma_k_at(self, minute: float) -> float:
        """One sigma of that, K."""
        at = np.array([minute - self.first_minute])
        moves = np.array(
            [
                float(_cooled((self.parameters + step)[None, :], at)[0])
                - float(_cooled((self.parameters - step)[None, :], at)[0])
                for step in np.diag(STEPS)
            ]
        ) / (2 * STEPS)
        return float(np.sqrt(max(moves @ self.covariance @ moves, 0.0)))

    def minutes_to(self, target_c: float, now: float) -> tuple[float, float, float]:
        """Minutes from now until it has cooled to a temperature: expected, and 5 and 95 % limits; 0 when
        it has, infinite when it never does.

        Args:
            target_c: degC.
            now: minute on the readings' clock.
        """
        rng = np.random.default_rng(11)
        root = np.linalg.cholesky(self.covariance + 1e-12 * np.eye(4))
        drawn = self.parameters + rng.standard_normal((DRAWS, 4)) @ root.T
        minutes = np.sort(_minutes(drawn, target_c))
        low, high = (float(minutes[round(share * (DRAWS - 1))]) for share in NINETY)
        expected = float(_minutes(self.parameters[None, :], target_c)[0])
        since = now - self.first_minute
        return (
            max(expected - since, 0.0),
            max(min(low, expected) - since, 0.0),
            max(max(high, expected) - since, 0.0),
        )


def _parts(parameters: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    start, around = parameters[:, 0], parameters[:, 2]
    bend = np.clip(parameters[:, 3], 0.01, 1.5)
    excess = np.maximum(start - around, 0.5)
    # As the excess falls so does the rate, by that power of it.
    rate = np.exp(parameters[:, 1]) * (excess / USUAL_EXCESS_K) ** bend
    return excess, rate, around, bend


def _cooled(parameters: Floats, minutes: Floats) -> Floats:
    """How warm at some minutes, by one set of parameters or one a minute."""
    excess, rate, around, bend = _parts(parameters)
    truly = minutes - LAG_MIN * (1 - np.exp(-np.maximum(minutes, 0.0) / LAG_MIN))
    grown = np.maximum(1 + bend * rate * truly, 1e-6)
    warm: Floats = around + excess * grown ** (-1 / bend)
    return warm


def _minutes(parameters: Floats, target_c: float) -> Floats:
    """From the first reading until a temperature, by each set of parameters."""
    excess, rate, around, bend = _parts(parameters)
    there = target_c - around
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        minutes = ((there / excess) ** (-bend) - 1) / (bend * rate)
    shown = minutes + LAG_MIN * (1 - np.exp(-np.maximum(minutes, 0.0) / LAG_MIN))
    return np.where(there <= 0, inf, np.where(there >= excess, 0.0, shown))


MOST_REMEMBERED = 64


def fit_bath(
    readings: Sequence[tuple[float, float]],
    bath: Bath,
    rate_per_min: float,
    rate_sigma: float,
    around_c: float | None = None,
) -> PotCooling:
    """A pot's cooling from its readings since it was put there.

    Args:
        readings: one or more of (minute, degC), up to 300.
        bath: where it stands.
        rate_per_min, rate_sigma: how such a pot cools there, and one sigma of its logarithm.
        around_c: of the bench's room, or of a bath that does not warm, when somebody read it; -30 to 60.
    Raises:
        OutOfRange: no reading, or one that no pot of candy has.
    Source: a cooling law between Newton's and that of free convection, most likely parameters by Gauss
        and Newton.
    """
    if not readings:
        raise OutOfRange(_("Read the pot once at least."), "readings")
    return _fitted(tuple(sorted(readings)), bath, rate_per_min, rate_sigma, around_c)


@lru_cache(MOST_REMEMBERED)
def _fitted(
    ordered: tuple[tuple[float, float], ...],
    bath: Bath,
    rate_per_min: float,
    rate_sigma: float,
    around_c: float | None,
) -> PotCooling:
    """The same readings are fitted once: a pot is looked at again and again."""
    if any(not bath.around_c - 3 * bath.sigma_k < shown <= HOTTEST_C for _any, shown in ordered):
        raise OutOfRange(
            _(
                "A pot of candy is warmer than what it stands in, and at most {HOTTEST_C} °C "
                "({HOTTEST_C_2} °F).",
                HOTTEST_C=number(HOTTEST_C, 0),
                HOTTEST_C_2=number(HOTTEST_C * 1.8 + 32, 0),
            ),
            "readings",
        )
    minutes = np.array([m for m, _any in ordered]) - ordered[0][0]
    shown = np.array([t for _any, t in ordered])
    room, room_sigma = bath.comes_to(float(shown[0]), around_c)
    before = np.array([shown[0], log(rate_per_min), room, bath.bend])
    held = np.diag([START_SIGMA_K**-2, rate_sigma**-2, room_sigma**-2, bath.bend_sigma**-2])
    fresh = FRESH_SIGMA_K * np.exp(-minutes / FRESH_MIN)
    sigma = np.sqrt(READ_SIGMA_K**2 * max(len(ordered) / MANY, 1.0) + fresh**2)[:, None]
    best, normal = _nearest(before, held, minutes, shown, sigma)
    return PotCooling(
        parameters=best,
        covariance=np.asarray(np.linalg.inv(normal), dtype=np.float64),
        first_minute=ordered[0][0],
    )


def _nearest(
    before: Floats, held: Floats, minutes: Floats, shown: Floats, sigma: Floats
) -> tuple[Floats, Floats]:
    """The likeliest parameters, and the normal matrix there."""
    best, normal = before.copy(), held
    for _any in range(PASSES):
        base = _cooled(best[None, :], minutes)
        rows = np.stack(
            [
                (_cooled((best + step)[None, :], minutes) - base) / size
                for step, size in zip(np.diag(STEPS), STEPS, strict=True)
            ],
            axis=1,
        )
        normal = (rows / sigma**2).T @ rows + held
        step = np.linalg.solve(normal, (rows / sigma**2).T @ (shown - base) + held @ (before - best))
        step[1] = min(max(step[1], -0.7), 0.7)
        step[2] = min(max(step[2], -6.0), 6.0)
        best = best + step
        if np.abs(step).max() < 1e-5:
            break
    return best, normal

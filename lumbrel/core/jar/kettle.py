"""A kettle taken off the fire: how its syrup cools through the window in which jars are filled.

Newton's law, with a room that is known only so well: its temperature is one more unknown, held by what
is guessed of it, and what the readings say of it widens or narrows the time.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, inf, log

import numpy as np

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics.boil_curve import Floats
from lumbrel.words import _

ROOM_C, ROOM_SIGMA_K = 20.0, 5.0
TYPED_SIGMA_K = 0.3
USUAL_RATE_PER_MIN, RATE_SIGMA = 0.011, 0.8
"""Of a kettle of ten litres without its lid; one sigma of the logarithm."""
PASSES, DRAWS = 20, 512
NINETY = (0.05, 0.95)


@dataclass(frozen=True, kw_only=True)
class KettleHeat:
    """A kettle's cooling as its readings have it; minutes are the readings' own.

    Attributes:
        start_c: at `first_minute`; `rate_per_min` of the excess over the room; `room_c`.
    """

    start_c: float
    rate_per_min: float
    room_c: float
    first_minute: float
    covariance: Floats
    """Of start, logarithm of the rate, and room."""

    def temperature_c_at(self, minute: float) -> float:
        """At a minute, degC."""
        return self.room_c + (self.start_c - self.room_c) * exp(
            -self.rate_per_min * (minute - self.first_minute)
        )

    def sigma_k_at(self, minute: float) -> float:
        """One sigma of that, K."""
        since = minute - self.first_minute
        left = exp(-self.rate_per_min * since)
        moves = np.array([left, -(self.start_c - self.room_c) * self.rate_per_min * since * left, 1 - left])
        return float(np.sqrt(max(moves @ self.covariance @ moves, 0.0)))

    def minutes_to(self, target_c: float, now: float) -> tuple[float, float, float]:
        """Minutes from now until it has cooled to a temperature: expected, and 5 and 95 % limits; 0 when
        it has, infinite when it never does.

        Args:
            target_c: degC.
            now: minute on the readings' clock.
        """
        expected = self._from_first(self.start_c, self.rate_per_min, self.room_c, target_c)
        rng = np.random.default_rng(11)
        root = np.linalg.cholesky(self.covariance + 1e-12 * np.eye(3))
        drawn = rng.standard_normal((DRAWS, 3)) @ root.T
        minutes = sorted(
            self._from_first(self.start_c + a, self.rate_per_min * exp(b), self.room_c + c, target_c)
            for a, b, c in drawn.tolist()
        )
        low, high = (minutes[round(share * (DRAWS - 1))] for share in NINETY)
        since = now - self.first_minute
        return (
            max(expected - since, 0.0),
            max(min(low, expected) - since, 0.0),
            max(max(high, expected) - since, 0.0),
        )

    @staticmethod
    def _from_first(start_c: float, rate: float, room_c: float, target_c: float) -> float:
        if target_c >= start_c:
            return 0.0
        if target_c <= room_c:
            return inf
        return log((start_c - room_c) / (target_c - room_c)) / rate


def fit_heat(
    readings: Sequence[tuple[float, float]],
    room_c: float = ROOM_C,
    room_sigma_k: float = ROOM_SIGMA_K,
    sigma_k: float = TYPED_SIGMA_K,
    rate_per_min: float = USUAL_RATE_PER_MIN,
    rate_sigma: float = RATE_SIGMA,
) -> KettleHeat:
    """A kettle's cooling from its readings since it came off the fire.

    Args:
        readings: one or more of (minute, degC), between the room and 120.
        room_c, room_sigma_k: what is guessed of the room; -20 to 50, and above 0.
        sigma_k: of a reading.
        rate_per_min, rate_sigma: how such a kettle cools, by its last heats.
    Raises:
        OutOfRange: no reading, or one that is not warmer than the room.
    Source: Newton's law of cooling, most likely parameters by Gauss and Newton.
    """
    require_between(room_c, -20.0, 50.0, field="room_c", what=_("The room"), unit="°C")
    if not readings:
        raise OutOfRange(_("Read the kettle once at least."), "readings")
    ordered = sorted(readings)
    if any(not room_c + 5 < shown <= 120 for _any, shown in ordered):
        raise OutOfRange(
            _("A kettle is warmer than the room by more than 5 K, and at most 120 °C (248 °F)."), "readings"
        )
    minutes = np.array([m for m, _any in ordered]) - ordered[0][0]
    shown = np.array([t for _any, t in ordered])
    before = np.array([shown[0], log(rate_per_min), room_c])
    held = np.diag([1e-6, rate_sigma**-2, room_sigma_k**-2])
    best, normal = _nearest(before, held, minutes, shown, sigma_k)
    return KettleHeat(
        start_c=float(best[0]),
        rate_per_min=exp(best[1]),
        room_c=float(best[2]),
        first_minute=ordered[0][0],
        covariance=np.asarray(np.linalg.inv(normal), dtype=np.float64),
    )


def _nearest(
    before: Floats, held: Floats, minutes: Floats, shown: Floats, sigma_k: float
) -> tuple[Floats, Floats]:
    """The likeliest start, rate and room, and the normal matrix there."""
    best, normal = before.copy(), held
    for _any in range(PASSES):
        start, rate, room = best[0], exp(best[1]), best[2]
        left = np.exp(-rate * minutes)
        rows = np.stack([left, -(start - room) * rate * minutes * left, 1 - left], axis=1)
        misses = shown - (room + (start - room) * left)
        normal = rows.T @ rows / sigma_k**2 + held
        step = np.linalg.solve(normal, rows.T @ misses / sigma_k**2 + held @ (before - best))
        step[1] = min(max(step[1], -1.0), 1.0)
        best = best + step
        if np.abs(step).max() < 1e-6:
            break
    return best, normal

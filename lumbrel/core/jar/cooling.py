"""How a kettle cools: Newton's law fitted to its own readings."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, inf, log, sqrt

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.words import _, number

READING_SIGMA_K = 0.3


@dataclass(frozen=True, kw_only=True)
class Cooling:
    """T(t) = ambient + excess * exp(-rate t), t in minutes from the first reading."""

    ambient_c: float
    excess_k: float
    rate_per_min: float
    variance: tuple[float, float, float]
    first_minute: float
    last_minute: float

    def temperature_c_at(self, minute: float) -> float:
        """Temperature at a minute on the readings' own clock, degC."""
        return self.ambient_c + self.excess_k * exp(-self.rate_per_min * (minute - self.first_minute))

    def minutes_to(self, target_c: float, z: float = 1.645) -> tuple[float, float, float]:
        """Minutes from the last reading to a temperature: expected, low, high (90 %).

        Raises:
            OutOfRange: the target is not above the ambient temperature.
        """
        if target_c <= self.ambient_c:
            raise OutOfRange(
                _(
                    "It never cools to {target_c} °C in a room of {ambient} °C.",
                    target_c=number(target_c, 1),
                    ambient=number(self.ambient_c, 1),
                ),
                "target_c",
            )
        drop = log(self.excess_k / (target_c - self.ambient_c))
        expected = drop / self.rate_per_min
        var_log, var_rate, cov = self.variance
        spread = sqrt(max(var_log + expected**2 * var_rate - 2 * expected * cov, 0.0)) / self.rate_per_min
        since_last = self.last_minute - self.first_minute
        low, high = expected - z * spread, expected + z * spread
        return tuple(max(x - since_last, 0.0) for x in (expected, low, high))  # type: ignore[return-value]


def fit_cooling(ambient_c: float, readings: Sequence[tuple[float, float]]) -> Cooling:
    """Fit Newton's law of cooling.

    Args:
        ambient_c: of the room or the bath, degC, -40 to 60.
        readings: at least two of (minute, degC), warmer than ambient, at different minutes.
    Raises:
        OutOfRange: too few readings, one not warmer than ambient, or no cooling in them.
    Uncertainty: a reading's sigma of 0.3 K is carried through.
    """
    require_between(ambient_c, -40.0, 60.0, field="ambient_c", what=_("The room's temperature"), unit="°C")
    ordered = sorted(readings)
    if len(ordered) < 2 or ordered[0][0] == ordered[-1][0]:
        raise OutOfRange(_("Give at least two readings at different minutes."), "readings")
    first = ordered[0][0]
    s = sx = sxx = sy = sxy = 0.0
    for minute, temperature in ordered:
        if not ambient_c + 1 <= temperature <= 200:
            raise OutOfRange(_("Each reading must be above the room by 1 K and at most 200 °C."), "readings")
        x, y = minute - first, log(temperature - ambient_c)
        weight = ((temperature - ambient_c) / READING_SIGMA_K) ** 2
        s, sx, sxx = s + weight, sx + weight * x, sxx + weight * x * x
        sy, sxy = sy + weight * y, sxy + weight * x * y
    determinant = s * sxx - sx * sx
    rate = -(s * sxy - sx * sy) / determinant
    level = (sxx * sy - sx * sxy) / determinant
    if not 0 < rate < inf:
        raise OutOfRange(_("These readings do not cool; the time cannot be told."), "readings")
    variance = (sxx / determinant, s / determinant, sx / determinant)
    return Cooling(
        ambient_c=ambient_c,
        excess_k=exp(level),
        rate_per_min=rate,
        variance=variance,
        first_minute=first,
        last_minute=ordered[-1][0],
    )

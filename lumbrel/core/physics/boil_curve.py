"""The boiling curve at one pressure as a table: the same figures, fast enough for a live fit."""

from bisect import bisect_right
from functools import lru_cache

from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import sucrose, water

STEP_BRIX = 0.5
TABLE_TO_BRIX = 96.0
PRESSURE_STEP_PA = 100.0


class BoilCurve:
    """Where a solution boils at a station pressure, by linear interpolation every 0.5 Brix.

    Args:
        station_pressure_pa: Pa, 50000 to 110000.
        invert_fraction: 0 to 1.
    Raises:
        OutOfRange: a value lies outside its range.
    Uncertainty: within 0.005 K of `sucrose.boiling_point_c` up to 80 Brix.
    """

    def __init__(self, station_pressure_pa: float, invert_fraction: float) -> None:
        near = round(station_pressure_pa / PRESSURE_STEP_PA) * PRESSURE_STEP_PA
        self._rises = _rises(min(max(near, 50_000.0), 110_000.0), invert_fraction)
        self.water_c = water.boiling_point_c(sucrose.require_station_pressure(station_pressure_pa))

    def at(self, brix: float) -> tuple[float, float]:
        """Where it boils, degC, and how that rises, K per Brix; brix held to 0 to 96."""
        place = min(max(brix, 0.0), TABLE_TO_BRIX - 1e-9) / STEP_BRIX
        index = int(place)
        low, high = self._rises[index], self._rises[index + 1]
        before = self._rises[max(index - 1, 0)]
        after = self._rises[min(index + 2, len(self._rises) - 1)]
        span = min(index + 2, len(self._rises) - 1) - max(index - 1, 0)
        slope = (after - before) / (span * STEP_BRIX)
        return self.water_c + low + (place - index) * (high - low), slope

    def brix_of(self, temperature_c: float) -> float:
        """The density that boils at a temperature, Brix.

        Raises:
            OutOfRange: nothing boils there.
        """
        rise = temperature_c - self.water_c
        if not 0.0 <= rise < self._rises[-1]:
            raise OutOfRange("No syrup boils at that temperature here.", "temperature_c")
        index = bisect_right(self._rises, rise) - 1
        low, high = self._rises[index], self._rises[index + 1]
        return STEP_BRIX * (index + (rise - low) / (high - low))


@lru_cache(maxsize=512)
def boil_curve(station_pressure_pa: float, invert_fraction: float) -> BoilCurve:
    """The curve at a pressure, made once for each; arguments and errors as `BoilCurve`."""
    return BoilCurve(station_pressure_pa, invert_fraction)


@lru_cache(maxsize=64)
def _rises(pressure_pa: float, invert_fraction: float) -> tuple[float, ...]:
    """Rise above water at every step of Brix, K; it hardly changes within a hectopascal."""
    boil = water.boiling_point_c(pressure_pa)
    count = int(TABLE_TO_BRIX / STEP_BRIX) + 1
    return tuple(
        sucrose.boiling_point_c(i * STEP_BRIX, pressure_pa, invert_fraction) - boil
        for i in range(count)
    )

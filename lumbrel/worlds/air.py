"""Air at an elevation, under weather that is a fixed function of time."""

from datetime import datetime
from math import pi, sin

from lumbrel.core.physics import air

# Periods in days, sizes in Pa and phases of the slow swings that make up the weather.
_SWINGS = ((6.3, 520.0, 0.4), (2.7, 330.0, 1.9), (1.1, 140.0, 0.2), (0.5, 45.0, 2.6))


class SimulatedBarometer:
    """A barometer at an elevation under weather that is a fixed function of time."""

    def __init__(self, elevation_m: float) -> None:
        self._mean_pa = air.pressure_at_elevation_pa(elevation_m)

    def station_pressure_pa(self, at: datetime) -> float:
        days = at.timestamp() / 86_400
        swing = sum(size * sin(2 * pi * days / period + phase) for period, size, phase in _SWINGS)
        return self._mean_pa + swing

"""What a device must be able to do, whatever stands behind it."""

from datetime import datetime
from typing import Protocol


class Barometer(Protocol):
    """A barometer at the pan."""

    def station_pressure_pa(self, at: datetime) -> float:
        """Station pressure at a moment, Pa."""
        ...


class Probe(Protocol):
    """A thermometer that stands in a vessel."""

    def indicated_c(self) -> float:
        """What it shows now, degC."""
        ...

"""What a device must be able to do, whatever stands behind it."""

from collections.abc import Iterator
from datetime import date, datetime
from typing import Protocol

from lumbrel.devices.lines import ProbeSample


class Barometer(Protocol):
    """A barometer at the pan."""

    def station_pressure_pa(self, at: datetime) -> float:
        """Station pressure at a moment, Pa."""
        ...


class ProbeSource(Protocol):
    """A probe as a stream: lines over a wire, or a simulated one."""

    def samples(self) -> Iterator[ProbeSample | None]:
        """Samples as they come; None for something that was none."""
        ...


class Colorimeter(Protocol):
    """A meter of light at 560 nm through a vial."""

    def blank_percent(self) -> float:
        """What it shows for glycerol, of what it was last set to."""
        ...

    def transmittance_percent(self) -> float:
        """What it shows for the sample in its vial."""
        ...


class Probe(Protocol):
    """A thermometer that stands in a vessel."""

    def indicated_c(self) -> float:
        """What it shows now, degC."""
        ...


class WeatherStation(Protocol):
    """A weather station that also forecasts."""

    def night_and_day(self, on: date) -> tuple[float, float]:
        """The lowest temperature of a night and the highest of the day after it, degC."""
        ...

    def forecast(self, issued: date, on: date) -> tuple[float, float]:
        """What was forecast on one day of another: its night and day, degC."""
        ...

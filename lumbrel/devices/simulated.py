"""Simulated stand-ins: a colorimeter, and a probe in a boiling finisher as a stream."""

import random
import time
from collections.abc import Iterator

from lumbrel.devices.lines import ProbeSample
from lumbrel.devices.measured import Value
from lumbrel.worlds.book import SimulatedFinisher, SimulatedProbe


class SimulatedColorimeter:
    """A meter with a sample in it: its lamp has drifted since it was set, and it reads to a tenth.

    Args:
        transmittance_10mm_percent: of the sample, through 10 mm.
        path_mm: of its vial.
        noise: its own.
    """

    def __init__(self, transmittance_10mm_percent: float, path_mm: float, noise: random.Random) -> None:
        through = float(100 * (transmittance_10mm_percent / 100) ** (path_mm / 10))
        self._lamp = noise.gauss(0.99, 0.01)
        self._noise = noise
        self._sample: float = through

    def blank_percent(self) -> float:
        """What it shows for glycerol."""
        return round(100 * self._lamp + self._noise.gauss(0, 0.15), 1)

    def transmittance_percent(self) -> float:
        """What it shows for the sample."""
        return max(round(self._sample * self._lamp + self._noise.gauss(0, 0.3), 1), 0.1)


class SimulatedSource:
    """A probe in a simulated finisher as a stream, in real time or faster.

    Args:
        finisher: what boils.
        station_pressure_pa: Pa, held.
        speed: how many seconds pass in one; a sample each second of the pan's.
        noise: of the probe.
    """

    def __init__(
        self,
        finisher: SimulatedFinisher,
        station_pressure_pa: float,
        speed: float = 1.0,
        noise: random.Random | None = None,
    ) -> None:
        self.finisher, self._pressure, self._speed = finisher, station_pressure_pa, speed
        self._probe = SimulatedProbe(finisher, noise or random.Random())

    def samples(self) -> Iterator[ProbeSample]:
        """Samples without a time of their own: each is now, with what stands on a scale under it. Ends when nothing
        boils any more."""
        while self.finisher.burner_kw > 0:
            time.sleep(1.0 / self._speed)
            self.finisher.step(1.0, self._pressure)
            shown = Value(self._probe.indicated_c(), "C")
            yield ProbeSample(None, (shown, Value(self.finisher.mass_kg, "kg")))

"""A probe in a simulated pan, to try the wiring out."""

from argparse import Namespace

from lumbrel.devices.simulated import SimulatedSource
from lumbrel.devices.wires import wire
from lumbrel.words import _
from lumbrel.worlds.book import SimulatedFinisher

SEA_LEVEL_PA = 101_325.0


@wire("simulated", "", _("a simulated probe, to try it out"))
def simulated(_arguments: Namespace) -> SimulatedSource:
    """A pan at sea level."""
    return pan()


def pan(speed: float = 1.0) -> SimulatedSource:
    """So many times as fast as a real one."""
    pot = SimulatedFinisher(mass_kg=25.0, brix=50.0, temperature_c=90.0, probe_c=90.0)
    return SimulatedSource(pot, SEA_LEVEL_PA, speed)

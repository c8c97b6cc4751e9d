"""A 1-wire thermometer of the kernel: a folder for each, with its temperature in a file."""

import threading
from argparse import Namespace
from collections.abc import Iterator, Sequence
from pathlib import Path

from lumbrel.devices.lines import ProbeSample, a_temperature
from lumbrel.devices.wires import Listened, Nearby, wire
from lumbrel.devices.wires.serial_port import NOT_THERE
from lumbrel.words import _

TREE = Path("/sys/bus/w1/devices")
EVERY_S = 1.0


def nearby(_named: Sequence[str] = ()) -> list[Nearby]:
    """The thermometers on this machine's 1-wire bus."""
    files = sorted(TREE.glob("*/temperature"))
    return [Nearby(one.parent.name, _("1-wire {name}", name=one.parent.name)) for one in files]


class OneWire:
    """A thermometer of the bus, asked each second.

    Args:
        address: its folder's name.
        stop: set from outside.
    """

    def __init__(self, address: str, stop: threading.Event) -> None:
        self._file, self._stop = TREE / Path(address).name / "temperature", stop

    def samples(self) -> Iterator[ProbeSample | None]:
        """Thousandths of a degree, as the kernel writes them."""
        while not self._stop.wait(EVERY_S):
            try:
                text = self._file.read_text(encoding="ascii", errors="replace").strip()
            except FileNotFoundError as error:
                raise OSError(NOT_THERE) from error
            yield a_temperature(int(text) / 1000) if text.lstrip("-").isdigit() else None


@wire("onewire", "NAME", _("a 1-wire thermometer of this machine"), heard=Listened(nearby, OneWire))
def one_wire(arguments: Namespace) -> OneWire:
    """What it shows."""
    return OneWire(arguments.onewire, threading.Event())

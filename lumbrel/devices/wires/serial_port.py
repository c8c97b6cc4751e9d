"""A serial device, 8N1."""

import threading
from argparse import ArgumentParser, Namespace
from collections.abc import Iterator, Sequence
from io import BufferedIOBase
from typing import Any, BinaryIO, cast

from lumbrel.devices.lines import LinesAwaited, LineSource, ProbeSample
from lumbrel.devices.pretend import PORTS
from lumbrel.devices.wires import Listened, Nearby, wire
from lumbrel.words import _

BAUDS = (9600, 115_200, 19_200, 38_400, 4800, 57_600)
"""Tried in turn, until lines can be read."""
WAITS_S, NOISE_LINES = 0.25, 3
NOT_THERE = _("It is not plugged in.")
NOISE = _("It sends, but nothing that can be read.")
IN_USE = _("Another program has it open: close that one.")
NOT_OURS = _("This user may not read it: let the user into the group that owns it, and log in again.")


def _baud(parser: ArgumentParser) -> None:
    parser.add_argument("--baud", type=int, default=9600, help=_("of the serial port"))


def _address(port: Any) -> str:
    """Where a port is found again when it has got another number: by its maker's numbers, or its socket."""
    return f"{port.vid:04x}:{port.pid:04x}:{port.serial_number or port.location or ''}"


def _plugged() -> dict[str, tuple[str, str]]:
    """Of each address the device and what it calls itself."""
    from serial.tools import list_ports

    ports = [port for port in list_ports.comports() if port.vid is not None]
    found = {_address(port): (port.device, port.product or port.description or port.device) for port in ports}
    return found | PORTS


def nearby(_named: Sequence[str] = ()) -> list[Nearby]:
    """What is plugged into this machine's serial ports."""
    return [Nearby(address, name) for address, (_device, name) in _plugged().items()]


class HeardPort(LineSource):
    """What is plugged in at an address, at the speed at which its lines can be read.

    Args:
        address: as `nearby` names it.
        stop: set from outside.
    """

    def __init__(self, address: str, stop: threading.Event) -> None:
        super().__init__(self._open)
        self._address, self._stop, self._tried = address, stop, 0

    def _open(self) -> LinesAwaited:
        import serial

        class Unflushed(serial.Serial):  # type: ignore[misc]
            """What it sent before it was opened is read too."""

            def _reset_input_buffer(self) -> None:
                pass

        device, _name = _plugged().get(self._address, ("", ""))
        if not device:
            raise OSError(NOT_THERE)
        try:
            port = Unflushed(
                device,
                BAUDS[self._tried % len(BAUDS)],
                timeout=WAITS_S,
                exclusive=not device.startswith("/dev/pts"),
            )
        except serial.SerialException as error:
            said = {13: NOT_OURS, 2: NOT_THERE, 6: NOT_THERE}.get(error.errno or 0, IN_USE)
            raise OSError(said) from error
        return LinesAwaited(lambda: port.read(port.in_waiting or 1) or None, port.close, self._stop)

    def samples(self) -> Iterator[ProbeSample | None]:
        """As any, but noise is tried at another speed."""
        noise = 0
        for sample in self._until_pulled():
            noise = 0 if sample else noise + 1
            yield sample
            if noise >= NOISE_LINES:
                self._tried += 1
                raise OSError(NOISE)

    def _until_pulled(self) -> Iterator[ProbeSample | None]:
        import serial

        try:
            yield from super().samples()
        except serial.SerialException as error:
            raise OSError(NOT_THERE) from error


@wire("serial", "DEVICE", _("a serial port, 8N1"), _baud, Listened(nearby, HeardPort))
def serial_port(arguments: Namespace) -> LineSource:
    """What it sends."""

    def connect() -> BinaryIO:
        import serial

        port: BufferedIOBase = serial.Serial(arguments.serial, arguments.baud, timeout=30)
        return cast(BinaryIO, port)

    return LineSource(connect)

"""A serial device, 8N1."""

from argparse import ArgumentParser, Namespace
from io import BufferedIOBase
from typing import BinaryIO, cast

from lumbrel.devices.lines import LineSource
from lumbrel.devices.wires import wire
from lumbrel.words import _


def _baud(parser: ArgumentParser) -> None:
    parser.add_argument("--baud", type=int, default=9600, help=_("of the serial port"))


@wire("serial", "DEVICE", _("a serial port, 8N1"), _baud)
def serial_port(arguments: Namespace) -> LineSource:
    """What it sends."""

    def connect() -> BinaryIO:
        import serial

        port: BufferedIOBase = serial.Serial(arguments.serial, arguments.baud, timeout=30)
        return cast(BinaryIO, port)

    return LineSource(connect)

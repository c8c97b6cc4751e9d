"""A TCP port that sends lines."""

import socket
from argparse import Namespace
from typing import BinaryIO, cast

from lumbrel.devices.lines import LineSource
from lumbrel.devices.wires import wire
from lumbrel.words import _

TIMEOUT_S = 30.0
"""Silence for so long counts as an end."""


@wire("tcp", "HOST:PORT", _("a TCP port that sends lines"))
def tcp(arguments: Namespace) -> LineSource:
    """What a port sends."""
    host, _, port = arguments.tcp.rpartition(":")
    if not host or not port.isdigit():
        raise ValueError("Give the TCP address as HOST:PORT, for example 127.0.0.1:4001.")

    def connect() -> BinaryIO:
        connection = socket.create_connection((host.strip("[]"), int(port)), TIMEOUT_S)
        stream = connection.makefile("rb")
        connection.close()  # the stream keeps it open and closes it at its own end
        return cast(BinaryIO, stream)

    return LineSource(connect)

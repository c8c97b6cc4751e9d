"""A TCP port that sends lines."""

import socket
import threading
from argparse import Namespace
from collections.abc import Sequence
from contextlib import suppress
from typing import BinaryIO, cast

from lumbrel.devices.lines import LinesAwaited, LineSource
from lumbrel.devices.wires import Listened, Nearby, wire
from lumbrel.words import _

TIMEOUT_S, OPENS_S, WAITS_S = 30.0, 5.0, 0.25
"""Silence of the first counts as an end."""


def host_and_port(address: str) -> tuple[str, int]:
    """Of what is typed as HOST:PORT.

    Raises:
        ValueError: it is none.
    """
    host, _any, port = address.rpartition(":")
    if not host or not port.isdigit() or not 0 < int(port) < 65_536:
        raise ValueError(_("Give the TCP address as HOST:PORT, for example 127.0.0.1:4001."))
    return host.strip("[]"), int(port)


def nearby(named: Sequence[str]) -> list[Nearby]:
    """The ports that somebody named."""
    return [Nearby(one, _("Lines from {address}", address=one)) for one in named]


def at(address: str, stop: threading.Event) -> LineSource:
    """What a port sends until stopped."""

    def connect() -> LinesAwaited:
        try:
            connection = socket.create_connection(host_and_port(address), OPENS_S)
        except OSError as error:
            raise OSError(_("It does not answer: {why}.", why=error.strerror or error)) from error
        connection.settimeout(WAITS_S)

        def read() -> bytes | None:
            with suppress(TimeoutError):
                return connection.recv(4096)
            return None

        return LinesAwaited(read, connection.close, stop)

    return LineSource(connect)


@wire("tcp", "HOST:PORT", _("a TCP port that sends lines"), heard=Listened(nearby, at))
def tcp(arguments: Namespace) -> LineSource:
    """What a port sends."""
    where = host_and_port(arguments.tcp)

    def connect() -> BinaryIO:
        connection = socket.create_connection(where, TIMEOUT_S)
        stream = connection.makefile("rb")
        connection.close()  # the stream keeps it open and closes it at its own end
        return cast(BinaryIO, stream)

    return LineSource(connect)

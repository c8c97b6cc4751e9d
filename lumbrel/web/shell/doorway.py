"""Before the application: who is taken in, and how many at once.

uvicorn speaks HTTP; what it leaves to whoever runs it stands here and in `patience`. A connection is a guest until the gate
or a probe's token has vouched for it. Guests are few; where one too many comes, the one that has been
silent longest goes, of the address that has most of them.
"""

import asyncio
import errno
import logging
import resource
import socket
import ssl
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from typing import Any

from starlette.types import Scope

LOG = logging.getLogger("lumbrel.connections")
HANDSHAKE_SECONDS, FAREWELL_SECONDS = 5.0, 2.0
UNREAD_SECONDS = 30
"""How long somebody may leave unread what is sent to them."""
BACKLOG = 2048
OUT_OF_FILES = (errno.EMFILE, errno.ENFILE, errno.ENOBUFS, errno.ENOMEM)
PAUSE_SECONDS = 0.2
FILES_WANTED, FILES_ELSEWHERE = 4096, 256
"""Open files asked of the system; how many the record, the log and the machine's own door need."""
MOST_HERE, MOST_FROM_THE_NETWORK = 200, 400
CONNECTION = "lumbrel.connection"


@dataclass(frozen=True, kw_only=True)
class Room:
    """How many connections a door takes."""

    most: int
    of_an_address: int
    guests: int
    guests_of_an_address: int


def room_here() -> Room:
    """The machine's own door: a share that nobody else can use."""
    return Room(most=MOST_HERE, of_an_address=MOST_HERE, guests=MOST_HERE, guests_of_an_address=MOST_HERE)


def room_for_the_network(*, proxied: bool = False) -> Room:
    """The network's door, by how many files may be open. Behind a proxy all have its address."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    if soft < FILES_WANTED:
        soft = FILES_WANTED if hard == resource.RLIM_INFINITY else min(FILES_WANTED, hard)
        resource.setrlimit(resource.RLIMIT_NOFILE, (soft, hard))
    # For each of them that is answered the record is open too.
    most = max(min(MOST_FROM_THE_NETWORK, (soft - FILES_ELSEWHERE - MOST_HERE) // 2), 16)
    if proxied:
        return Room(most=most, of_an_address=most, guests=most, guests_of_an_address=most)
    return Room(most=most, of_an_address=most // 4, guests=most // 4, guests_of_an_address=most // 16)


@dataclass(eq=False)
class Connection:
    """One that was taken in."""

    address: str
    vouched_for: bool = False
    is_answered: bool = False
    beginning: "asyncio.Task[None] | None" = None
    transport: asyncio.BaseTransport | None = None

    def end(self) -> None:
        """End it at once, however far it has come."""
        if isinstance(self.transport, asyncio.Transport):
            self.transport.abort()
        elif self.beginning:
            self.beginning.cancel()


def vouch_for(scope: Scope) -> None:
    """Whoever sends this request is known: their connection is a guest no more."""
    connection = scope.get("state", {}).get(CONNECTION)
    if connection is not None:
        connection.vouched_for = True


class Doorway:
    """Takes connections in at one door.

    Args:
        room: how many.
    """

    def __init__(self, room: Room) -> None:
        self._room = room
        self._inside: dict[Connection, None] = {}

    async def serve(
        self,
        listening: socket.socket,
        protocol: Callable[[Connection], asyncio.Protocol],
        tls: Callable[[], ssl.SSLContext | None],
    ) -> None:
        """Take in whoever calls, until cancelled; each is sealed as it is done when they call."""
        loop = asyncio.get_running_loop()
        while True:
            # Many who call at once keep nobody else waiting.
            await asyncio.sleep(0)
            try:
                calling, where = await loop.sock_accept(listening)
            except OSError as error:
                if error.errno in OUT_OF_FILES:
                    LOG.warning("no connection can be taken in: %s", error.strerror)
                    self._let_go_of_one("")
                await asyncio.sleep(PAUSE_SECONDS)
                continue
            connection = self._taken_in(where[0])
            if connection is None:
                calling.close()
                continue
            connection.beginning = loop.create_task(
                self._begin(connection, calling, partial(protocol, connection), tls())
            )

    def end(self) -> None:
        """Let go of those that have not come so far as to be served."""
        for connection in [one for one in self._inside if one.transport is None]:
            connection.end()

    def _taken_in(self, address: str) -> Connection | None:
        """A place for one more; None where there is none."""
        while (whose := self._too_many(address)) is not None:
            if not self._let_go_of_one(whose):
                LOG.warning("there are %d connections; one more was refused", len(self._inside))
                return None
        connection = Connection(address)
        self._inside[connection] = None
        return connection

    def _too_many(self, address: str) -> str | None:
        """Of whose guests one must go before one more of an address comes: an address, or "" for any;
        None where there is room."""
        room, inside = self._room, self._inside
        guests = Counter(one.address for one in inside if not one.vouched_for)
        if guests[address] >= room.guests_of_an_address:
            return address
        if guests.total() >= room.guests:
            return guests.most_common(1)[0][0]
        if sum(one.address == address for one in inside) >= room.of_an_address:
            return address
        return "" if len(inside) >= room.most else None

    def _let_go_of_one(self, address: str) -> bool:
        """End one of an address, or of any; False where all that are there are being answered."""
        of_it = [one for one in self._inside if address in ("", one.address)]
        # First who is silent, guests before the known, whose browsers call again; of them who came first.
        silent = [one for one in of_it if not one.is_answered]
        guests = [one for one in of_it if not one.vouched_for]
        chosen = [*(one for one in silent if not one.vouched_for), *silent, *guests]
        if not chosen:
            return False
        self.left(chosen[0])
        chosen[0].end()
        LOG.warning("too many connections: one of %s was let go", address or "any address")
        return True

    async def _begin(
        self,
        connection: Connection,
        calling: socket.socket,
        protocol: Callable[[], asyncio.Protocol],
        tls: ssl.SSLContext | None,
    ) -> None:
        """Shake hands; from then on the protocol has it."""
        sealed: dict[str, Any] = {}
        if tls:
            sealed = {
                "ssl": tls,
                "ssl_handshake_timeout": HANDSHAKE_SECONDS,
                "ssl_shutdown_timeout": FAREWELL_SECONDS,
            }
        try:
            calling.setblocking(False)
            with suppress(OSError, AttributeError):
                unread_ms = UNREAD_SECONDS * 1000
                calling.setsockopt(socket.IPPROTO_TCP, socket.TCP_USER_TIMEOUT, unread_ms)
            await asyncio.get_running_loop().connect_accepted_socket(protocol, calling, **sealed)
        except (OSError, asyncio.CancelledError):
            # Whoever does not shake hands as is usual is nobody's concern.
            self.left(connection)
            calling.close()

    def left(self, connection: Connection) -> None:
        """A connection has ended."""
        self._inside.pop(connection, None)

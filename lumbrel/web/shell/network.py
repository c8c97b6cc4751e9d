"""Opening the kitchen to its network, and closing it again, while it is being served."""

import asyncio
import contextlib
import logging
import socket
import ssl
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import datetime

import uvicorn
from starlette.concurrency import run_in_threadpool
from starlette.types import ASGIApp

from lumbrel.services.access import addresses as found
from lumbrel.services.access.certificates import Authority
from lumbrel.services.access.doorkeeper import Doorkeeper
from lumbrel.web.shell.announce import Announcement
from lumbrel.web.shell.doorway import room_for_the_network
from lumbrel.web.shell.gate import Door
from lumbrel.web.shell.patience import IDLE_SECONDS
from lumbrel.web.shell.server import LimitedServer
from lumbrel.web.shell.settings import Access, system_clock
from lumbrel.words import _

LOG = logging.getLogger("lumbrel.access")
SEALED_PORT, PLAIN_PORT = 8443, 8080
LOOK_AT_ADDRESSES_SECONDS, WRITE_SEEN_SECONDS = 20.0, 900.0
STOP_WITHIN_SECONDS = 2
CIPHERS = "ECDHE+AESGCM:ECDHE+CHACHA20"
"""For TLS 1.2: forward secrecy and authenticated encryption only; 1.3 has nothing else."""
EVERYWHERE = "0.0.0.0"
DEVICES = "access.sqlite3"


class CannotOpen(Exception):
    """Why the kitchen cannot be opened to the network; a sentence."""


@dataclass(kw_only=True)
class Opening:
    """How the kitchen stands to its network."""

    is_open: bool = False
    sealed: bool = True
    port: int = 0
    addresses: list[str] = field(default_factory=list)
    names: list[str] = field(default_factory=list)
    proxied: str = ""
    why_not: str = ""
    """Why it is closed though it was to be open."""

    @property
    def scheme(self) -> str:
        """As an address begins."""
        return "https" if self.sealed else "http"

    def urls(self) -> list[str]:
        """Where a device finds it, the surest first."""
        if self.proxied:
            return [f"https://{self.proxied}"]
        hosts = [f"[{a}]" if ":" in a else a for a in self.addresses]
        return [f"{self.scheme}://{host}:{self.port}" for host in (*hosts, *self.names)]


class _NetworkServer(LimitedServer):
    """A second server in the loop of the first, which is the one that hears signals."""

    @contextlib.contextmanager
    def capture_signals(self) -> Iterator[None]:
        """None: the first server stops this one."""
        yield


class Network:
    """The door to the network.

    Args:
        app: what is served.
        access: where its files are and how it was asked for.
    """

    def __init__(self, app: ASGIApp, access: Access, clock: Callable[[], datetime] = system_clock) -> None:
        self._app, self._access, self._clock = app, access, clock
        self.doorkeeper = Doorkeeper(access.folder / DEVICES, clock())
        self.opening = Opening(proxied=access.proxied)
        self._announcement = Announcement()
        self._server: _NetworkServer | None = None
        self._tasks: list[asyncio.Task[None]] = []
        self._sockets: list[socket.socket] = []
        self._turn = asyncio.Lock()
        self._certifying = threading.Lock()

    @property
    def announced(self) -> bool:
        """Whether the network took the name."""
        return self._announcement.heard

    def authority(self) -> Authority:
        """The kitchen's authority."""
        return Authority(self._access.folder, self._clock())

    async def resume(self) -> None:
        """Open it if it is asked for, or was left open; why not is kept to be shown."""
        left_open, plain = self.doorkeeper.left_open()
        if self._access.lan or left_open:
            try:
                await self.open(plain=self._access.plain or (plain and not self._access.lan))
            except CannotOpen as error:
                self.opening.why_not = str(error)
                LOG.warning("not open to the network: %s", error)

    async def open(self, *, plain: bool = False) -> None:
        """Open it; open already, nothing happens.

        Args:
            plain: without encryption, for a network in which anybody may read along.
        Raises:
            CannotOpen: there is no passphrase yet, no network, or the port is taken.
        """
        async with self._turn:
            if self.opening.is_open:
                return
            if not self.doorkeeper.has_passphrase:
                raise CannotOpen(_("Choose a passphrase first; without one it stays closed."))
            sealed = not plain and not self._access.proxied
            opening = self._wanted(sealed)
            self._sockets = self._bound(opening.port)
            opening.port = int(self._sockets[0].getsockname()[1])
            try:
                await self._serve(opening)
            except BaseException:
                self._let_go()
                raise
            opening.is_open = True
            self.opening = opening
            self.doorkeeper.keep_open(self._clock(), is_open=True, plain=plain)
            LOG.info("open to the network at %s", ", ".join(opening.urls()))

    async def close(self, *, keep: bool = False) -> None:
        """Close it; every device loses its connection.

        Args:
            keep: it is to be open again when it is served again.
        """
        async with self._turn:
            if not keep:
                self.doorkeeper.keep_open(self._clock(), is_open=False)
            if not self.opening.is_open:
                return
            self.opening = Opening(proxied=self._access.proxied)
            await self._announcement.withdraw()
            watcher, serving = self._tasks
            watcher.cancel()
            assert self._server is not None
            self._server.should_exit = True
            await asyncio.wait({serving}, timeout=2 * STOP_WITHIN_SECONDS + 1)
            self._let_go()
            LOG.info("closed to the network")

    async def end(self) -> None:
        """The program ends."""
        await self.close(keep=True)
        self.doorkeeper.close()

    def hosts(self) -> set[str]:
        """What it may be called by now."""
        opening = self.opening
        if opening.proxied:
            return {opening.proxied.lower()}
        return {*opening.addresses, *opening.names}

    def door(self, *, sealed: bool) -> Door:
        """What the network's server calls."""
        proxied = bool(self._access.proxied)
        return Door(
            app=self._app,
            doorkeeper=self.doorkeeper,
            hosts=self.hosts,
            sealed=sealed or proxied,
            proxied=proxied,
        )

    def _wanted(self, sealed: bool) -> Opening:
        access = self._access
        port = access.port or (SEALED_PORT if sealed else PLAIN_PORT)
        if access.proxied:
            return Opening(port=port, proxied=access.proxied)
        own = [access.host] if access.host != EVERYWHERE else found.addresses()
        if not own:
            raise CannotOpen(
                _(
                    "This machine is in no network of its own just now. Join the kitchen's network, then "
                    "open it."
                )
            )
        return Opening(sealed=sealed, port=port, addresses=own, names=found.names())

    def _bound(self, port: int) -> list[socket.socket]:
        host = "127.0.0.1" if self._access.proxied else self._access.host
        hosts = [host, "::"] if host == EVERYWHERE and socket.has_ipv6 else [host]
        bound: list[socket.socket] = []
        for name in hosts:
            family = socket.AF_INET6 if ":" in name else socket.AF_INET
            made = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
            try:
                made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
                if family == socket.AF_INET6:
                    made.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1)
                made.bind((name, bound[0].getsockname()[1] if bound else port))
                made.listen()
                bound.append(made)
            except (OSError, OverflowError) as error:
                made.close()
                if bound:
                    LOG.info("not over IPv6: %s", error)
                    continue
                why = getattr(error, "strerror", None) or str(error)
                raise CannotOpen(
                    _(
                        "Port {port} of {name} cannot be had: {why}. Another may be free: start Lumbrel with "
                        "--lan-port {port_2}.",
                        port=port,
                        name=name,
                        why=why,
                        port_2=port + 1,
                    )
                ) from None
        return bound

    async def _serve(self, opening: Opening) -> None:
        factory = None
        if opening.sealed and not opening.proxied:
            made = await run_in_threadpool(self._context, opening)
            factory = lambda *_: made  # noqa: E731
        config = uvicorn.Config(
            self.door(sealed=opening.sealed),
            log_config=None,
            access_log=False,
            lifespan="off",
            proxy_headers=False,
            server_header=False,
            timeout_graceful_shutdown=STOP_WITHIN_SECONDS,
            timeout_keep_alive=int(IDLE_SECONDS),
            ssl_context_factory=factory,
        )
        room = room_for_the_network(proxied=bool(opening.proxied))
        self._server = _NetworkServer(config, room)
        serving = asyncio.create_task(self._server.serve(sockets=self._sockets))
        while not self._server.started:
            if serving.done():
                raise CannotOpen(_("It could not be served: {exception}.", exception=serving.exception()))
            await asyncio.sleep(0.01)
        self._tasks = [asyncio.create_task(self._watch()), serving]

    def _context(self, opening: Opening) -> ssl.SSLContext:
        """With a certificate that is good for what the machine is called now."""
        made = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        made.minimum_version = ssl.TLSVersion.TLSv1_2
        made.set_ciphers(CIPHERS)
        made.options |= ssl.OP_NO_RENEGOTIATION | ssl.OP_CIPHER_SERVER_PREFERENCE
        # A look that was called off is at it still, in its thread, when the next opening begins.
        with self._certifying:
            own = self.authority().certify(opening.names, opening.addresses, self._clock())
            made.load_cert_chain(own.chain, own.key)
        return made

    async def _watch(self) -> None:
        """Keep name, addresses and certificate as they are now: a network gives out others, and a
        certificate ends."""
        told: list[str] = []
        written = time.monotonic()
        while True:
            try:
                if not self._access.proxied:
                    await self._look(told)
                    told = list(self.opening.addresses)
                if time.monotonic() - written > WRITE_SEEN_SECONDS:
                    written = time.monotonic()
                    await run_in_threadpool(self.doorkeeper.write_down, self._clock())
            except Exception:  # the next look may fare better, and what is served goes on
                LOG.exception("the addresses could not be looked at")
            await asyncio.sleep(LOOK_AT_ADDRESSES_SECONDS)

    async def _look(self, told: list[str]) -> None:
        opening = self.opening
        if self._access.host == EVERYWHERE:
            own = await run_in_threadpool(found.addresses)
            opening.addresses = own or opening.addresses
        server = self._server
        if server is not None and server.config.ssl is not None:
            # Another one, for connections that begin from here on: OpenSSL reads a context while it
            # shakes hands, and one that is changed meanwhile ends the whole program.
            server.config.ssl = await run_in_threadpool(self._context, opening)
        if opening.addresses != told:
            await self._announcement.tell(opening.addresses, opening.port, sealed=opening.sealed)

    def _let_go(self) -> None:
        for held in self._sockets:
            held.close()
        self._sockets, self._tasks, self._server = [], [], None

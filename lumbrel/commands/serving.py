"""Serving a kitchen, or the demonstration."""

import argparse
import contextlib
import logging
import shutil
import socket
import threading
from pathlib import Path
from typing import TYPE_CHECKING

from lumbrel.commands import watchdog
from lumbrel.commands.opening import access_of, is_loopback, passphrase_wanted
from lumbrel.commands.say import log_to, refuse
from lumbrel.words import _

if TYPE_CHECKING:
    from lumbrel.web.shell.network import Opening
    from lumbrel.web.shell.settings import Settings

LOG = logging.getLogger("lumbrel.serve")
RECORD = "lumbrel.sqlite3"
BACKLOG = 2048


def serve(arguments: argparse.Namespace) -> int:
    """Serve a kitchen's own record."""
    from lumbrel.services.kitchen import restoring, safekeeping
    from lumbrel.services.record.kept import ready
    from lumbrel.store.db import opened
    from lumbrel.web.shell.settings import Settings

    arguments.data.mkdir(mode=0o700, parents=True, exist_ok=True)
    record = arguments.data / RECORD
    restoring.refuse_emptiness(record)
    with _had(record):
        log_to(arguments.data, arguments.log_level)
        safekeeping.keep_before(record)
        safekeeping.keep_a_reserve(record)
        with opened(record) as db:
            ready(db)
        settings = Settings(
            database=record,
            allowed_hosts=_hosts(arguments.host),
            backups=arguments.data / "backups",
            access=access_of(arguments),
        )
        return _run(settings, arguments)


def addresses(_arguments: argparse.Namespace) -> int:
    """List every address with the least role that it asks for."""
    from lumbrel.web.shell.app import create_app
    from lumbrel.web.shell.settings import Settings
    from lumbrel.web.shell.who_may import addresses

    create_app(Settings(database=Path(RECORD)))
    for one in sorted(addresses(), key=lambda address: address.path):
        print(f"{one.path:44} {one.reads or '-':10} {one.writes or '-'}")
    return 0


def demo(arguments: argparse.Namespace) -> int:
    """Serve the demonstration, made first where there is none."""
    from lumbrel import demo as demonstration
    from lumbrel.web.shell.settings import Settings

    arguments.data.mkdir(mode=0o700, parents=True, exist_ok=True)
    record = demonstration.database(arguments.data)
    with _had(record):
        own = _is_no_demo(record)
        if own:
            return refuse(own)
        if arguments.fresh:
            for old in arguments.data.glob(f"{RECORD}*"):
                if not old.name.endswith((".serving", ".in-use")):
                    shutil.rmtree(old) if old.is_dir() else old.unlink()
        if not record.exists():
            print(_("Making the Cinderpool season ..."), flush=True)
            demonstration.make(record)
        log_to(arguments.data, arguments.log_level)
        clock = demonstration.clock(record, arguments.frozen)
        live = None if arguments.frozen else demonstration.LiveVessel(record, clock)
        if live:
            live.start()
        settings = Settings(
            database=record,
            clock=clock,
            allowed_hosts=_hosts(arguments.host),
            demo=True,
            access=access_of(arguments),
            refresh_seconds=0 if arguments.frozen else 1.0,
        )
        try:
            return _run(settings, arguments)
        finally:
            if live:
                live.stop()


def _had(record: Path) -> contextlib.AbstractContextManager[None]:
    from lumbrel.store.safe import held

    return held(record, alone=True)


def _is_no_demo(record: Path) -> str:
    """Why the demonstration may not use a record; empty when it may."""
    from lumbrel.services.record.kept import ready
    from lumbrel.store.db import opened
    from lumbrel.store.safe import nature, only_read

    if not record.exists():
        return ""
    with contextlib.closing(only_read(record)) as db:
        is_demo = nature(db) == "demo"
    if is_demo:
        with opened(record) as db:
            ready(db)
        return ""
    return _(
        "The record in {parent} is a kitchen's own, not the demonstration's. Nothing was "
        "changed; give the demonstration a folder of its own with --data.",
        parent=record.parent,
    )


def _hosts(host: str) -> tuple[str, ...]:
    return ("127.0.0.1", "localhost", "[::1]", *((host,) if is_loopback(host) else ()))


def listener(host: str) -> socket.socket:
    """A socket to serve a host on. Named as TCP: else the small answers of a connection that is kept open
    wait until the other side has said that it heard the last one, 40 ms each."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    return socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)


def _not_served(host: str, port: int, error: Exception) -> str:
    why = getattr(error, "strerror", None) or str(error)
    return _(
        "{host}:{port} cannot be served: {why}. Another port may be free: --port 8001.",
        host=host,
        port=port,
        why=why,
    )


def _run(settings: "Settings", arguments: argparse.Namespace) -> int:
    import uvicorn

    from lumbrel.services.kitchen import safekeeping

    assert settings.access is not None
    safekeeping.for_its_owner_only(settings.database)
    why = passphrase_wanted(settings.access, arguments.passphrase_file)
    if why:
        return refuse(why)
    host = arguments.host if is_loopback(arguments.host) else "127.0.0.1"

    from lumbrel.web.shell.app import create_app
    from lumbrel.web.shell.patience import IDLE_SECONDS
    from lumbrel.web.shell.server import Server

    # Bound before anything is said: an address that is printed is an address that answers.
    with listener(host) as bound:
        bound.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            bound.bind((host, arguments.port))
        except (OSError, OverflowError) as error:
            return refuse(_not_served(host, arguments.port, error))
        bound.listen(BACKLOG)
        port = bound.getsockname()[1]
        app = create_app(settings)
        config = uvicorn.Config(
            app,
            log_config=None,
            timeout_graceful_shutdown=2,
            access_log=False,
            proxy_headers=False,
            timeout_keep_alive=int(IDLE_SECONDS),
        )
        logging.getLogger("uvicorn").setLevel(logging.WARNING)
        LOG.info("serving %s at %s:%d", settings.database, host, port)

        stopped = threading.Event()

        def answers() -> None:
            print(_("Lumbrel is at http://{host}:{port}/", host=host, port=port), flush=True)
            watchdog.tell("READY=1")
            watchdog.watch(host, port, stopped)
            _say_opening(app.state.network.opening, port)

        with contextlib.suppress(KeyboardInterrupt):
            Server(app, config, answers).run(sockets=[bound])
        stopped.set()
        LOG.info("stopped")
    return 0


def _say_opening(opening: "Opening", port: int) -> None:
    """Where the network finds it, or why it does not."""
    if opening.is_open and opening.proxied:
        at = f"http://127.0.0.1:{opening.port}"
        print(_("For the proxy of {proxied}: {at}", proxied=opening.proxied, at=at), flush=True)
    elif opening.is_open:
        print(_("Open to the kitchen's network at ") + ", ".join(opening.urls()), flush=True)
        print(_("Let a device in at http://127.0.0.1:{port}/kitchen/network", port=port), flush=True)
    elif opening.why_not:
        print(_("Not open to the network: {why_not}", why_not=opening.why_not), flush=True)

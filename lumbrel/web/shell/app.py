"""The application, wired in one place; nothing happens at import."""

import asyncio
import logging
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from datetime import datetime

from fastapi import FastAPI
from fastapi.staticfiles import StaticFiles
from starlette.concurrency import run_in_threadpool
from starlette.middleware.gzip import GZipMiddleware
from starlette.types import Message

from lumbrel import __version__
from lumbrel.services.kitchen import told
from lumbrel.services.kitchen.elsewhere import fill
from lumbrel.services.kitchen.herald import Herald
from lumbrel.services.kitchen.safekeeping import back_up_today
from lumbrel.services.pan.thinning import thin_a_little
from lumbrel.services.probes.ears import Ears
from lumbrel.services.record.kept import ready
from lumbrel.store.db import opened
from lumbrel.web.shell import who_may
from lumbrel.web.shell.errors import answer_errors, refused, unexpected
from lumbrel.web.shell.gate import Gate, Hosts
from lumbrel.web.shell.network import Network
from lumbrel.web.shell.refusals import Refused
from lumbrel.web.shell.render import STATIC, WEB
from lumbrel.web.shell.routes import api_routes, page_routes
from lumbrel.web.shell.security import Guard
from lumbrel.web.shell.settings import Settings
from lumbrel.web.shell.streams import Streams
from lumbrel.web.shell.tongue import Tongue
from lumbrel.web.shell.workspace import Workspace

LOG = logging.getLogger("lumbrel.backup")
LOOK_FOR_A_NEW_DAY_SECONDS = 600.0
FIRST_BACKUP_AFTER_SECONDS = 60.0
"""Who has just started it wants a page first."""
THIN_STEPS = 20


@asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    own: Workspace = app.state.workspace
    with opened(own.settings.database) as db:
        ready(db)
        app.state.ears.start()
        told.speak_with_broker(app.state.ears, db, own.settings.database)
    await own.hub.start()
    app.state.herald.start()
    await _warm_up(app)
    network: Network | None = app.state.network
    if network:
        await network.resume()
    keeper = asyncio.create_task(_keep_safe(own)) if own.settings.backups else None
    yield
    if keeper:
        keeper.cancel()
    if network:
        await network.end()
    await run_in_threadpool(app.state.herald.stop)
    await run_in_threadpool(app.state.ears.stop)
    for pretended in app.state.pretend:
        pretended.end()
    await own.stop()
    if app.state.practice:
        await app.state.practice.stop()
        app.state.practice.pan.stop()


def _thin_some(own: Workspace, now: datetime) -> int:
    """A few steps of thinning; nobody is kept waiting for long."""
    thinned = 0
    with own.open() as db:
        for _any in range(THIN_STEPS):
            step = thin_a_little(db, now)
            thinned += step
            if not step:
                break
    return thinned


async def _warm_up(app: FastAPI) -> None:
    """Make the first page once before anybody asks: templates are compiled and units loaded then, and
    nobody waits for it."""
    own: Workspace = app.state.workspace
    host = own.settings.allowed_hosts[0].encode()
    scope = {
        "type": "http",
        "asgi": {"version": "3.0"},
        "http_version": "1.1",
        "method": "GET",
        "scheme": "http",
        "path": "/",
        "raw_path": b"/",
        "query_string": b"",
        "root_path": "",
        "headers": [(b"host", host)],
        "client": ("127.0.0.1", 0),
        "server": ("127.0.0.1", 0),
        "app": app,
        "state": {},
    }

    async def receive() -> Message:
        return {"type": "http.request", "body": b"", "more_body": False}

    async def send(message: Message) -> None:
        pass

    await app(scope, receive, send)


async def _keep_safe(own: Workspace) -> None:
    """Back the record up once a day while it is served."""
    folder = own.settings.backups
    assert folder is not None
    await asyncio.sleep(FIRST_BACKUP_AFTER_SECONDS)
    while True:
        try:
            now = own.settings.clock()
            if await run_in_threadpool(back_up_today, own.settings.database, folder, now):
                LOG.info("backed up to %s", folder)
            thinned = await run_in_threadpool(_thin_some, own, now)
            if thinned:
                LOG.info("%d samples of earlier seasons became means", thinned)
            # The last, since another disk may fail.
            if await run_in_threadpool(fill, own.settings.database, now):
                LOG.info("backed up to the second folder")
        except Exception:  # tomorrow may fare better, and the kitchen must go on
            LOG.exception("the backup of the day failed")
        await asyncio.sleep(LOOK_FOR_A_NEW_DAY_SECONDS)


def create_app(settings: Settings) -> FastAPI:
    """Build the application around a database and a clock."""
    app = FastAPI(
        title="Lumbrel",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        lifespan=_lifespan,
        description="The finisher's calculations, in SI, each answer with its working.",
    )
    app.state.workspace = Workspace(settings)
    app.state.practice = None
    app.state.practice_door = asyncio.Lock()
    app.state.ears, app.state.pretend = Ears(lambda: opened(settings.database), settings.clock), []
    own: Workspace = app.state.workspace
    app.state.herald = Herald(
        own.open,
        settings.database,
        settings.clock,
        own.hub.all_ringing,
        lambda: app.state.ears.broker,
    )
    app.add_middleware(GZipMiddleware, minimum_size=900)
    app.add_middleware(Gate, refused=refused)
    app.add_middleware(Hosts, allowed_hosts=list(settings.allowed_hosts))
    app.add_middleware(Guard, unexpected=unexpected, refused=refused)
    app.add_middleware(Tongue)
    app.mount(STATIC, StaticFiles(directory=WEB / "static"), name="static")
    app.include_router(api_routes(), responses={422: {"model": Refused}})
    app.include_router(page_routes())
    who_may.know(app)
    answer_errors(app)
    app.state.network, app.state.streams = None, Streams()
    if settings.access:
        app.state.network = Network(app, settings.access)
        app.state.network.doorkeeper.tell_out = app.state.streams.end
    return app

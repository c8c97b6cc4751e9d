"""The application, wired in one place; nothing happens at import."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from fastapi import FastAPI
from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware

from lumbrel import __version__
from lumbrel.services.record.kept import ready
from lumbrel.store.db import opened
from lumbrel.web.shell.errors import answer_errors
from lumbrel.web.shell.render import STATIC, WEB
from lumbrel.web.shell.routes import api_routes, page_routes
from lumbrel.web.shell.security import Guard
from lumbrel.web.shell.settings import Settings
from lumbrel.web.shell.workspace import Workspace


@asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    own: Workspace = app.state.workspace
    with opened(own.settings.database) as db:
        ready(db)
    await own.hub.start()
    yield
    await own.hub.stop()
    if app.state.practice:
        await app.state.practice.hub.stop()
        app.state.practice.pan.stop()


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
    app.add_middleware(GZipMiddleware, minimum_size=900)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=list(settings.allowed_hosts))
    app.add_middleware(Guard)
    app.mount(STATIC, StaticFiles(directory=WEB / "static"), name="static")
    app.include_router(api_routes())
    app.include_router(page_routes())
    answer_errors(app)
    return app

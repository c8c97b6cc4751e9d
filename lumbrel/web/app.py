"""The application, wired in one place; nothing happens at import."""

import sqlite3
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.responses import Response

from lumbrel import __version__
from lumbrel.core.errors import OutOfRange
from lumbrel.services.typed import BadInput, NotFound
from lumbrel.store.db import migrate, opened
from lumbrel.web import api, pages
from lumbrel.web.api.errors import out_of_range, sentences
from lumbrel.web.live import Hub
from lumbrel.web.render import page
from lumbrel.web.security import Guard
from lumbrel.web.settings import Settings
from lumbrel.web.worlds import World, world_of

STATIC = Path(__file__).parent / "static"


def create_app(settings: Settings) -> FastAPI:
    """Build the application around a database and a clock."""

    @asynccontextmanager
    async def lifespan(app: FastAPI):  # type: ignore[no-untyped-def]
        with opened(settings.database) as db:
            migrate(db)
        hub: Hub = app.state.world.hub
        await hub.start()
        yield
        await hub.stop()
        if app.state.practice:
            await app.state.practice.hub.stop()
            app.state.practice.pan.stop()

    app = FastAPI(
        title="Lumbrel", version=__version__, docs_url=None, redoc_url=None,
        openapi_url="/api/openapi.json", lifespan=lifespan,
        description="The finisher's calculations, in SI, each answer with its working.",
    )  # fmt: skip
    app.state.world = World(settings, Hub(settings))
    app.state.practice = None
    app.add_middleware(GZipMiddleware, minimum_size=900)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=list(settings.allowed_hosts))
    app.add_middleware(Guard)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    app.include_router(api.router)
    app.include_router(pages.router)
    _answer_errors(app)
    return app


def _wants_json(request: Request) -> bool:
    return request.url.path.startswith(("/api/", "/healthz"))


def _answer_errors(app: FastAPI) -> None:
    """Every refusal becomes a sentence: JSON for the API, a page for a person."""

    def error_page(request: Request, status: int, title: str, sentence: str) -> Response:
        with opened(world_of(request).settings.database) as db:
            return page(request, db, "error.html", "error", status, title=title, sentence=sentence)

    @app.exception_handler(RequestValidationError)
    async def not_valid(request: Request, error: RequestValidationError) -> Response:
        if _wants_json(request):
            return JSONResponse({"detail": sentences(error)}, 422)
        return error_page(
            request, 422, "That address does not fit", "A part of it is out of range."
        )

    @app.exception_handler(OutOfRange)
    async def refused(request: Request, error: OutOfRange) -> Response:
        if _wants_json(request):
            return JSONResponse({"detail": out_of_range(error)}, 422)
        return error_page(request, 422, "That cannot be computed", error.sentence)

    @app.exception_handler(BadInput)
    async def bad_input(request: Request, bad: BadInput) -> Response:
        return error_page(request, 422, "That cannot be taken", str(bad))

    @app.exception_handler(NotFound)
    async def not_found(request: Request, error: NotFound) -> Response:
        return error_page(request, 404, "Not here", str(error))

    @app.exception_handler(sqlite3.OperationalError)
    async def busy(request: Request, error: sqlite3.OperationalError) -> Response:
        sentence = "The record is busy or its disk is full; nothing was written. Send it again."
        return JSONResponse({"detail": [{"loc": ["store"], "msg": sentence}]}, 503)

    @app.exception_handler(HTTPException)
    async def http_error(request: Request, error: HTTPException) -> Response:
        if _wants_json(request):
            sentence = str(error.detail)
            if error.status_code == 400:
                sentence = "The body must be JSON in UTF-8."
            status = 422 if error.status_code == 400 else error.status_code
            return JSONResponse({"detail": [{"loc": ["request"], "msg": sentence}]}, status)
        if error.status_code == 404:
            return error_page(request, 404, "Not here", "There is no page at this address.")
        if error.status_code == 405:
            return error_page(
                request, 405, "Not this way", "This address is not read or written so."
            )
        return error_page(request, error.status_code, "That cannot be taken", str(error.detail))

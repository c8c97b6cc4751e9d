"""Every refusal becomes a sentence: JSON for the API, a page for a person."""

import sqlite3

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException
from starlette.responses import Response

from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.store.db import opened
from lumbrel.web.shell.refusals import out_of_range, sentences
from lumbrel.web.shell.render import page
from lumbrel.web.shell.workspace import workspace_of

BUSY = "The record is busy or its disk is full; nothing was written. Send it again."


def _wants_json(request: Request) -> bool:
    return request.url.path.startswith(("/api/", "/healthz"))


def _error_page(request: Request, status: int, title: str, sentence: str) -> Response:
    workspace = workspace_of(request)
    with opened(workspace.settings.database, workspace.cache) as db:
        shown = {"title": title, "sentence": sentence}
        return page(request, db, "shell/error.html", "error", status, **shown)


def _not_valid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    if _wants_json(request):
        return JSONResponse({"detail": sentences(error)}, 422)
    return _error_page(request, 422, "That address does not fit", "A part of it is out of range.")


def _refused(request: Request, error: Exception) -> Response:
    assert isinstance(error, OutOfRange)
    if _wants_json(request):
        return JSONResponse({"detail": out_of_range(error)}, 422)
    return _error_page(request, 422, "That cannot be computed", error.sentence)


def _bad_input(request: Request, error: Exception) -> Response:
    return _error_page(request, 422, "That cannot be taken", str(error))


def _not_found(request: Request, error: Exception) -> Response:
    return _error_page(request, 404, "Not here", str(error))


def _busy(request: Request, error: Exception) -> Response:
    return JSONResponse({"detail": [{"loc": ["store"], "msg": BUSY}]}, 503)


def _http_error(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    status, sentence = error.status_code, str(error.detail)
    if _wants_json(request):
        if status == 400:
            status, sentence = 422, "The body must be JSON in UTF-8."
        return JSONResponse({"detail": [{"loc": ["request"], "msg": sentence}]}, status)
    if status == 404:
        return _error_page(request, 404, "Not here", "There is no page at this address.")
    if status == 405:
        sentence = "This address is not read or written so."
        return _error_page(request, 405, "Not this way", sentence)
    return _error_page(request, status, "That cannot be taken", sentence)


def answer_errors(app: FastAPI) -> None:
    """Register what answers each kind of refusal."""
    app.add_exception_handler(RequestValidationError, _not_valid)
    app.add_exception_handler(OutOfRange, _refused)
    app.add_exception_handler(BadInput, _bad_input)
    app.add_exception_handler(NotFound, _not_found)
    app.add_exception_handler(sqlite3.OperationalError, _busy)
    app.add_exception_handler(HTTPException, _http_error)

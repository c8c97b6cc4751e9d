"""Every refusal becomes a sentence: JSON for a program, a page for a person."""

import logging
import sqlite3
from contextlib import suppress
from urllib.parse import urlsplit
from uuid import uuid4

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse
from starlette.exceptions import HTTPException
from starlette.responses import Response

from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.form import CONFIRMED, SEEN, BadInput, NotFound, Overtaken
from lumbrel.store.db import IdReused
from lumbrel.web.shell.answer import SpokenJSON
from lumbrel.web.shell.caller import TOKEN, caller_of
from lumbrel.web.shell.refusals import out_of_range, sentences
from lumbrel.web.shell.render import STATIC, TEMPLATES, Filled, page
from lumbrel.web.shell.request import NotSentFromHere
from lumbrel.web.shell.workspace import StaleWorkspace, Workspace, workspace_of
from lumbrel.words import _

LOG = logging.getLogger("lumbrel.web")
BUSY = _("Somebody else is writing in the record for longer than usual; nothing was written.")
STORE_SAYS = {
    sqlite3.SQLITE_BUSY: BUSY,
    sqlite3.SQLITE_LOCKED: BUSY,
    sqlite3.SQLITE_FULL: _(
        "The disk that holds {} is full; nothing was written. Make room, then send it again."
    ),
    sqlite3.SQLITE_IOERR: _("The disk that holds {} did not take it; nothing was written. See to it first."),
    sqlite3.SQLITE_READONLY: _("The record cannot be written in: its file or folder is read-only."),
    sqlite3.SQLITE_CANTOPEN: _("The record cannot be opened. Is its folder still there?"),
    sqlite3.SQLITE_CORRUPT: _("The record is damaged. Stop here and restore the newest backup."),
    sqlite3.SQLITE_NOTADB: _("The record is damaged. Stop here and restore the newest backup."),
}
"""What the store refuses in a way that a person can see to, by SQLite's code."""


def _wants_json(request: Request) -> bool:
    return request.url.path.startswith(("/api/", "/healthz"))


def _error_page(
    request: Request, status: int, title: str, sentence: str, asks: dict[str, str] | None = None
) -> Response:
    workspace: Workspace = request.app.state.workspace
    if caller_of(request.scope).stranger:
        # Whoever is not let in is told nothing of the record.
        return _plain_page(request, status, title, sentence, "")
    with suppress(StaleWorkspace):
        workspace = workspace_of(request)
    with workspace.open() as db:
        shown = {"title": title, "sentence": sentence, "typed": _typed(request)}
        form = Filled(getattr(request.state, "typed", {}), {}, asks or {})
        return page(request, db, "shell/error.html", "error", status, **shown, form=form)


def _typed(request: Request) -> list[tuple[str, str]]:
    """What was sent with a form, but for its own bookkeeping."""
    fields: dict[str, str] = getattr(request.state, "typed", {})
    own = ("id", "passphrase", "again", SEEN, TOKEN)
    kept = ((k, v) for k, v in fields.items() if v and k not in own and not k.endswith(CONFIRMED))
    return [(name.replace("_", " "), text) for name, text in kept]


def way_back(request: Request, home: str = "/") -> str:
    """Where the person came from, in this application; else its home."""
    came = urlsplit(request.headers.get("referer", ""))
    here = came.netloc == request.headers.get("host", "") and came.path[:2] not in ("", "//")
    return came.path if here else home


def _plain_page(request: Request, status: int, title: str, sentence: str, number: str) -> Response:
    """A page that needs nothing of the record."""
    shown = TEMPLATES.get_template("shell/plain_error.html").render(
        static=STATIC,
        title=title,
        sentence=sentence,
        number=number,
        typed=_typed(request),
        back=way_back(request),
    )
    return HTMLResponse(shown, status)


def unexpected(request: Request, error: Exception) -> Response:
    """Whatever nobody foresaw: logged under a number that the person sees too."""
    number = uuid4().hex[:8]
    LOG.error("%s: %s %s", number, request.method, request.url.path, exc_info=error)
    sentence = _("That was not foreseen. What you sent may not have been written: look before you ")
    sentence += _("send it again.")
    if _wants_json(request):
        answer = {"detail": [{"loc": ["server"], "msg": sentence}], "error": number}
        return SpokenJSON(answer, 500)
    return _plain_page(request, 500, _("Something went wrong"), sentence, number)


def refused(request: Request, status: int, sentence: str) -> Response:
    """What was sent is not even read."""
    if _wants_json(request):
        return SpokenJSON({"detail": [{"loc": ["body"], "msg": sentence}]}, status)
    return _plain_page(request, status, _("That cannot be taken"), sentence, "")


def _not_valid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    if _wants_json(request):
        return SpokenJSON({"detail": sentences(error)}, 422)
    return _error_page(request, 422, _("That address does not fit"), _("A part of it is out of range."))


def _refused(request: Request, error: Exception) -> Response:
    assert isinstance(error, OutOfRange)
    if _wants_json(request):
        return SpokenJSON({"detail": out_of_range(error)}, 422)
    return _error_page(request, 422, _("That cannot be computed"), error.sentence)


def _bad_input(request: Request, error: Exception) -> Response:
    assert isinstance(error, BadInput)
    return _error_page(request, 422, _("That cannot be taken"), str(error), error.asks)


def _overtaken(request: Request, error: Exception) -> Response:
    return _error_page(request, 409, _("Somebody else wrote first"), str(error))


def _conflict(request: Request, error: Exception) -> Response:
    if _wants_json(request):
        return SpokenJSON({"detail": [{"loc": ["id"], "msg": str(error)}]}, 409)
    return _error_page(request, 409, _("This form was sent already"), str(error))


def _not_found(request: Request, error: Exception) -> Response:
    return _error_page(request, 404, _("Not here"), str(error))


def _store_error(request: Request, error: Exception) -> Response:
    """What the store refuses: said as it is where it is known, else an error like any other."""
    code = getattr(error, "sqlite_errorcode", 0) & 0xFF
    sentence = STORE_SAYS.get(code)
    if sentence is None:
        return unexpected(request, error)
    own: Workspace = request.app.state.workspace
    sentence = sentence.format(own.settings.database.resolve().parent)
    number = uuid4().hex[:8]
    LOG.warning("%s: %s %s: %s", number, request.method, request.url.path, error)
    headers = {"Retry-After": "5"} if sentence == BUSY else {}
    if _wants_json(request):
        answer = {"detail": [{"loc": ["store"], "msg": sentence}], "error": number}
        return SpokenJSON(answer, 503, headers)
    title = _("The record is busy") if sentence == BUSY else _("The record cannot be written")
    shown = _plain_page(request, 503, title, sentence, number)
    shown.headers.update(headers)
    return shown


def _http_error(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    status, sentence = error.status_code, str(error.detail)
    if _wants_json(request):
        if status == 400:
            status, sentence = 422, _("The body must be JSON in UTF-8.")
        return SpokenJSON({"detail": [{"loc": ["request"], "msg": sentence}]}, status)
    if status == 404:
        return _error_page(request, 404, _("Not here"), _("There is no page at this address."))
    if status == 405:
        sentence = _("This address is not read or written so.")
        return _error_page(request, 405, _("This cannot be done here"), sentence)
    return _error_page(request, status, _("That cannot be taken"), sentence)


def _not_sent_from_here(request: Request, error: Exception) -> Response:
    return refused(request, 403, str(error))


def _stale(request: Request, error: Exception) -> Response:
    return _plain_page(request, 409, _("That practice pan is over"), str(error), "")


def answer_errors(app: FastAPI) -> None:
    """Register what answers each kind of refusal."""
    app.add_exception_handler(RequestValidationError, _not_valid)
    app.add_exception_handler(OutOfRange, _refused)
    app.add_exception_handler(BadInput, _bad_input)
    app.add_exception_handler(Overtaken, _overtaken)
    app.add_exception_handler(NotFound, _not_found)
    app.add_exception_handler(IdReused, _conflict)
    app.add_exception_handler(StaleWorkspace, _stale)
    app.add_exception_handler(NotSentFromHere, _not_sent_from_here)
    app.add_exception_handler(sqlite3.Error, _store_error)
    app.add_exception_handler(HTTPException, _http_error)

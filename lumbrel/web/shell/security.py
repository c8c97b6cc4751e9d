"""Headers on every answer, bodies bounded, writes from other sites refused."""

import logging
import re
import time
from collections.abc import Callable
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect, Request
from starlette.responses import PlainTextResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from lumbrel.web.shell.answer import SpokenJSON

MAX_BODY_BYTES = 256 * 1024
CONTENT_SECURITY_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; "
    "font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; "
    "frame-ancestors 'none'; manifest-src 'self'; worker-src 'self'"
)
SAFE_METHODS = ("GET", "HEAD", "OPTIONS")
UPLOADS = re.compile(r"/colour/[^/]+/photo|/jar/[^/]+/logo|/sap/weather")
"""Addresses that take a file."""
MAX_UPLOAD_BYTES = 12 * 1024 * 1024 + 64 * 1024
TOO_LARGE = f"A body may have at most {MAX_BODY_BYTES // 1024} KB; nothing was written."
FILE_TOO_LARGE = "A file may have at most 12 MB; nothing was written. Take it smaller, and send it again."
REQUESTS = logging.getLogger("lumbrel.requests")


class BodyTooLarge(HTTPException):
    """A body went over the bound while it was read."""

    def __init__(self) -> None:
        super().__init__(413, TOO_LARGE)


def _counted(receive: Receive, most: int) -> Receive:
    """Receives a body of at most so many bytes; raises BodyTooLarge."""
    taken = 0

    async def count() -> Message:
        nonlocal taken
        message = await receive()
        taken += len(message.get("body", b""))
        if taken > most:
            raise BodyTooLarge
        return message

    return count


def _completing(send: Send, scope: Scope, began: float, only_head: bool) -> Send:
    """Sends an answer with its headers completed, and without its body where only they are asked for."""

    async def complete(message: Message) -> None:
        if message["type"] == "http.response.start":
            _complete(MutableHeaders(scope=message), scope["path"])
            _log(scope, message["status"], began)
        elif only_head:
            message = {**message, "body": b""}
        await send(message)

    return complete


class Guard:
    """One plain ASGI layer around the application.

    Args:
        unexpected: what answers an error that nobody foresaw.
        refused: what answers a file that is too large, on a page.
    """

    def __init__(
        self,
        app: ASGIApp,
        unexpected: Callable[[Request, Exception], Response],
        refused: Callable[[Request, int, str], Response],
    ) -> None:
        self.app = app
        self._unexpected, self._refused = unexpected, refused

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Check, then pass on with a counted body and completed headers."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        began, only_head = time.perf_counter(), scope["method"] == "HEAD"
        if only_head:
            # What is answered to GET, without its body.
            scope = {**scope, "method": "GET"}
        send_with_headers = _completing(send, scope, began, only_head)
        if scope["method"] not in SAFE_METHODS and _from_another_site(headers):
            await _foreign()(scope, receive, send_with_headers)
            return
        declared = headers.get("content-length", "")
        takes_file = UPLOADS.fullmatch(scope["path"]) is not None
        most = MAX_UPLOAD_BYTES if takes_file else MAX_BODY_BYTES

        def too_large() -> Response:
            request = Request(scope, receive)
            return self._refused(request, 413, FILE_TOO_LARGE) if takes_file else _too_large()

        if declared.isdigit() and int(declared) > most:
            await too_large()(scope, receive, send_with_headers)
            return
        started = False

        async def watched_send(message: Message) -> None:
            nonlocal started
            started = True
            await send_with_headers(message)

        try:
            await self.app(scope, _counted(receive, most), watched_send)
        except ClientDisconnect:
            # Whoever has gone, or was let go, is owed no answer.
            return
        except BodyTooLarge:
            if not started:
                await too_large()(scope, receive, send_with_headers)
        except Exception as error:
            said = self._unexpected(Request(scope, receive), error)
            if not started:
                await said(scope, receive, send_with_headers)


def _log(scope: Scope, status: int, began: float) -> None:
    if REQUESTS.isEnabledFor(logging.DEBUG):
        took = 1000 * (time.perf_counter() - began)
        REQUESTS.debug("%s %s %d, %.0f ms", scope["method"], scope["path"], status, took)


def _foreign() -> PlainTextResponse:
    return PlainTextResponse(
        "This was sent from another site and nothing was written. Open Lumbrel itself and try again.", 403
    )


def _too_large() -> SpokenJSON:
    return SpokenJSON({"detail": [{"loc": ["body"], "msg": TOO_LARGE}]}, 413)


def _from_another_site(headers: Headers) -> bool:
    """By the browser's own word: Sec-Fetch-Site, else Origin. Scripts send neither."""
    site = headers.get("sec-fetch-site")
    if site is not None and site not in ("same-origin", "none"):
        return True
    origin = headers.get("origin")
    return origin is not None and urlsplit(origin).netloc != headers.get("host", "")


def _complete(headers: MutableHeaders, path: str) -> None:
    headers["Content-Security-Policy"] = CONTENT_SECURITY_POLICY
    headers["X-Content-Type-Options"] = "nosniff"
    headers["Referrer-Policy"] = "same-origin"
    headers["Cross-Origin-Opener-Policy"] = "same-origin"
    if path.startswith("/static/"):
        headers["Cache-Control"] = "public, max-age=86400"
    else:
        headers.setdefault("Cache-Control", "no-store")

"""Headers on every answer, bodies bounded, writes from other sites refused."""

from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse, PlainTextResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

MAX_BODY_BYTES = 256 * 1024
CONTENT_SECURITY_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; "
    "font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; "
    "frame-ancestors 'none'"
)
SAFE_METHODS = ("GET", "HEAD", "OPTIONS")


class BodyTooLarge(Exception):
    """A body went over the bound while it was read."""


class Guard:
    """One plain ASGI layer around the application."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Check, then pass on with a counted body and completed headers."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)

        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                _complete(MutableHeaders(scope=message), scope["path"])
            await send(message)

        if scope["method"] not in SAFE_METHODS and _from_another_site(headers):
            answer = PlainTextResponse(
                "This was sent from another site and nothing was written. Open Lumbrel itself and "
                "try again.",
                403,
            )
            await answer(scope, receive, send_with_headers)
            return
        declared = headers.get("content-length", "")
        if declared.isdigit() and int(declared) > MAX_BODY_BYTES:
            await _too_large()(scope, receive, send_with_headers)
            return
        taken, started = 0, False

        async def counted_receive() -> Message:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > MAX_BODY_BYTES:
                raise BodyTooLarge
            return message

        async def watched_send(message: Message) -> None:
            nonlocal started
            started = True
            await send_with_headers(message)

        try:
            await self.app(scope, counted_receive, watched_send)
        except BodyTooLarge:
            if not started:
                await _too_large()(scope, receive, send_with_headers)


def _too_large() -> JSONResponse:
    sentence = f"A body may have at most {MAX_BODY_BYTES // 1024} KB; nothing was written."
    return JSONResponse({"detail": [{"loc": ["body"], "msg": sentence}]}, 413)


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

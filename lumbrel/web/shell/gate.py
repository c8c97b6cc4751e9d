"""Between the network and the application: who it is, and whether they may.

The machine itself calls through a door of its own on loopback and is asked nothing. All else comes
through a `Door`, which says so on every request; nothing that a request carries can say otherwise.
"""

import ipaddress
import logging
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from urllib.parse import quote

from starlette.datastructures import Headers
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.requests import Request
from starlette.responses import PlainTextResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Receive, Scope, Send

from lumbrel.services.access.doorkeeper import SESSION_LASTS, Doorkeeper, write_token
from lumbrel.web.shell.answer import SpokenJSON
from lumbrel.web.shell.caller import HERE, MACHINE, PUBLIC, STRANGER, Caller, called_by
from lumbrel.web.shell.doorway import vouch_for
from lumbrel.web.shell.room import READS
from lumbrel.web.shell.settings import system_clock
from lumbrel.web.shell.who_may import NOBODY, least_role
from lumbrel.words import _

LOG = logging.getLogger("lumbrel.access")
SEALED_COOKIE, PLAIN_COOKIE = "__Host-lumbrel", "lumbrel-plain"
"""A name that a browser takes over an encrypted connection only, for this host and no other; another
one where the owner chose to do without."""
FORWARDED = ("forwarded", "x-forwarded-for", "x-forwarded-host", "x-real-ip", "via")
LONGEST_COOKIE = 200
_DOOR = "lumbrel.door"
ENTER = "/enter"
NOT_IN = _(
    "This device is not paired, or was removed. Nothing was written. Pair it again with "
    "a code from the kitchen’s page; what you had typed stands here, to be copied."
)
NO_TOKEN = _(
    "This was not sent from a page that this device opened itself, or the page is of an "
    "earlier sign-in. Nothing was written. Open the page anew and send it again."
)
WRONG_HOST = _("Lumbrel is not called that here. Open it under one of the addresses that it shows.")
THROUGH_A_PROXY = _(
    "A proxy passed this on to the machine's own address, which lets everybody do "
    "everything. Start Lumbrel with --proxied NAME, and let the proxy pass on to the "
    "port that it says."
)
Refuse = Callable[[Request, int, str], Response]


@dataclass(frozen=True, kw_only=True)
class Door:
    """What a server that the network reaches calls in place of the application.

    Args:
        app: the application.
        doorkeeper: knows who is in.
        hosts: the names and addresses it may be called by, now.
        sealed: whether the connection is encrypted.
        proxied: whether a proxy stands before it, which says whose the request is.
    """

    app: ASGIApp
    doorkeeper: Doorkeeper
    hosts: Callable[[], set[str]]
    sealed: bool
    proxied: bool = False

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass on, marked as from the network."""
        if scope["type"] == "http":
            scope = {**scope, _DOOR: self}
            await self.app(scope, receive, send)

    @property
    def cookie(self) -> str:
        """The name of a device's cookie."""
        return SEALED_COOKIE if self.sealed else PLAIN_COOKIE

    def let_in(self, answer: Response, secret: str) -> None:
        """Give a device its cookie."""
        seconds = int(SESSION_LASTS.total_seconds())
        answer.set_cookie(
            self.cookie,
            secret,
            max_age=seconds,
            path="/",
            secure=self.sealed,
            httponly=True,
            samesite="strict",
        )

    def let_out(self, answer: Response) -> None:
        """Take its cookie back."""
        answer.delete_cookie(self.cookie, path="/", secure=self.sealed, httponly=True, samesite="strict")

    def origin(self, scope: Scope) -> str:
        """The address that a request comes from."""
        if self.proxied:
            passed = Headers(scope=scope).get("x-forwarded-for", "").split(",")[-1].strip()
            try:
                return str(ipaddress.ip_address(passed))
            except ValueError:
                return "proxy"
        client = scope.get("client")
        return str(client[0]) if client else ""

    def called_right(self, scope: Scope) -> bool:
        """Whether the request names this machine."""
        return _host_in(Headers(scope=scope).get("host", "")) in self.hosts()

    def caller(self, scope: Scope, now: datetime) -> Caller:
        """Whose the request is."""
        secret = _cookie(Headers(scope=scope), self.cookie)
        device = self.doorkeeper.device_of(secret, now, self.origin(scope)) if secret else None
        return Caller(device=device, token=write_token(secret)) if device else STRANGER


class Gate:
    """One plain ASGI layer: refuses whoever may not before anything is read of the record.

    Args:
        refused: what answers a form, with what was typed.
        clock: the real time.
    """

    def __init__(self, app: ASGIApp, refused: Refuse, clock: Callable[[], datetime] = system_clock) -> None:
        self.app, self._refused, self._clock = app, refused, clock

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass on, or refuse."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        answer = await self._refusal(scope, receive)
        await (answer or self.app)(scope, receive, send)

    async def _refusal(self, scope: Scope, receive: Receive) -> Response | None:
        door = door_of(scope)
        if door is None:
            called_by(scope, HERE)
            if any(name in FORWARDED for name in Headers(scope=scope)):
                return PlainTextResponse(THROUGH_A_PROXY, 403)
            return None
        if not door.called_right(scope):
            return PlainTextResponse(WRONG_HOST, 400)
        caller = door.caller(scope, self._clock())
        called_by(scope, caller)
        if caller.device:
            vouch_for(scope)
        least = least_role(scope["method"], scope["path"])
        if least == PUBLIC or caller.may(least):
            return None
        request = Request(scope, receive)
        if caller.stranger:
            return await self._stranger(request)
        if least == NOBODY and scope["method"] in READS:
            return None  # there is nothing: the application says so
        return await self._not_allowed(request, least)

    async def _stranger(self, request: Request) -> Response:
        if _is_for_a_program(request):
            return SpokenJSON({"detail": [{"loc": ["cookie"], "msg": NOT_IN}]}, 401)
        if request.method in READS:
            query = f"?{request.url.query}" if request.url.query else ""
            return RedirectResponse(f"{ENTER}?to={quote(request.url.path + query)}", 303)
        return await self._with_typed(request, 401, NOT_IN)

    async def _not_allowed(self, request: Request, least: str) -> Response:
        who = (
            _("who sits at the machine itself")
            if least == MACHINE
            else _("a device with the role {least}", least=least)
        )
        sentence = _("That is for {who}. Nothing was written.", who=who)
        if _is_for_a_program(request):
            return SpokenJSON({"detail": [{"loc": ["cookie"], "msg": sentence}]}, 403)
        return await self._with_typed(request, 403, sentence)

    async def _with_typed(self, request: Request, status: int, sentence: str) -> Response:
        """A refusal that shows what was typed, so that it can be copied."""
        if request.headers.get("content-type", "").startswith("application/x-www-form-urlencoded"):
            form = await request.form()
            typed = {k: v for k, v in form.items() if isinstance(v, str)}
            request.state.typed = typed
        return self._refused(request, status, sentence)


class Hosts(TrustedHostMiddleware):
    """Names that the machine itself may call it by; a door from the network has its own list."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Check, then pass on."""
        passed_on = self.app if door_of(scope) else super().__call__
        await passed_on(scope, receive, send)


def door_of(scope: Scope) -> Door | None:
    """The door that a request came through; None for the machine itself."""
    door = scope.get(_DOOR)
    assert door is None or isinstance(door, Door)
    return door


def _is_for_a_program(request: Request) -> bool:
    """Whether the answer is read by a script or a program, not shown as a page."""
    path = request.url.path
    if path.startswith(("/api/", "/healthz", "/live", "/alarms/")):
        return True
    return request.headers.get("sec-fetch-mode", "navigate") != "navigate"


def _cookie(headers: Headers, name: str) -> str:
    """A cookie of a request; of two with one name none, since one of them is somebody else's."""
    found = []
    for sent in headers.getlist("cookie"):
        for part in sent.split(";"):
            key, _any, value = part.strip().partition("=")
            if key == name:
                found.append(value)
    if len(found) != 1 or len(found[0]) > LONGEST_COOKIE:
        return ""
    return found[0]


def _host_in(host: str) -> str:
    """The name in a Host header, without its port."""
    host = host.strip().lower()
    if host.startswith("["):
        return host[1:].partition("]")[0]
    return host.rpartition(":")[0] if host.count(":") == 1 else host

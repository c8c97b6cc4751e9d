"""In which language a page is: the device's, else the kitchen's, else what the browser asks for."""

from starlette.datastructures import Headers
from starlette.requests import cookie_parser
from starlette.responses import Response
from starlette.types import ASGIApp, Receive, Scope, Send

from lumbrel.words import Language, Speaking, asked_for, language_of, speaking

LANGUAGE_COOKIE = "lumbrel-language"
LANGUAGE_FOR_SECONDS = 400 * 86400
_KEY = "lumbrel.speaking"


class Tongue:
    """One plain ASGI layer: within it everything is said in the language of whoever asks."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass on, with a language."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        own = own_language(headers)
        with speaking(own or asked_for(headers.get("accept-language", ""))) as here:
            # A program is answered as it asks; a page of a kitchen is in the kitchen's language.
            if own is None and not scope["path"].startswith("/api/"):
                scope[_KEY] = here
            here.is_own = own is not None
            await self.app(scope, receive, send)


def own_language(headers: Headers) -> Language | None:
    """What was chosen for a device; None where nothing was."""
    return language_of(cookie_parser(headers.get("cookie", "")).get(LANGUAGE_COOKIE, ""))


def choose_language(answer: Response, key: str) -> None:
    """Keep what was chosen for a device; nothing for a key that is no language."""
    if language_of(key):
        seconds = LANGUAGE_FOR_SECONDS
        answer.set_cookie(LANGUAGE_COOKIE, key, max_age=seconds, path="/", httponly=True, samesite="lax")
    else:
        answer.delete_cookie(LANGUAGE_COOKIE, path="/", httponly=True, samesite="lax")


def speak_as_here(scope: Scope, key: str) -> None:
    """The kitchen has a language: it holds where the device has none of its own."""
    here, chosen = scope.get(_KEY), language_of(key)
    if chosen and isinstance(here, Speaking):
        here.language = chosen

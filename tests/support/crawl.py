"""The application as a visitor goes through it: every page that links lead to, every form on them."""

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from html import unescape
from html.parser import HTMLParser
from urllib.parse import unquote, urldefrag, urljoin, urlsplit

from fastapi.testclient import TestClient
from httpx2 import Response

from lumbrel.web.shell.who_may import NOBODY, address_of


@dataclass
class Sent:
    """A form of a page as it stands there."""

    action: str
    fields: dict[str, str] = field(default_factory=dict)


class _Reader(HTMLParser):
    """Links and forms of a page."""

    def __init__(self) -> None:
        super().__init__()
        self.links: list[str] = []
        self.forms: list[Sent] = []
        self._open: Sent | None = None
        self._select = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        said = {name: value or "" for name, value in attrs}
        if tag == "a" and "href" in said and "download" not in said:
            self.links.append(said["href"])
        if tag == "form" and said.get("method") == "post":
            self._open = Sent(said.get("action", ""))
            self.forms.append(self._open)
        if self._open is None:
            return
        name = said.get("name", "")
        if tag == "select":
            self._select = name
        elif (
            tag == "option" and self._select and ("selected" in said or self._select not in self._open.fields)
        ):
            self._open.fields[self._select] = said.get("value", "")
        elif tag == "input" and name and said.get("type") not in ("file", "submit"):
            if said.get("type") not in ("checkbox", "radio") or "checked" in said:
                self._open.fields[name] = said.get("value", "")
        elif tag == "textarea" and name:
            self._open.fields[name] = ""

    def handle_endtag(self, tag: str) -> None:
        if tag == "form":
            self._open = None
        if tag == "select":
            self._select = ""


def forms(page: str) -> list[Sent]:
    """The forms of a page."""
    reader = _Reader()
    reader.feed(page)
    return reader.forms


def links(page: str) -> list[str]:
    """Where a page leads to."""
    reader = _Reader()
    reader.feed(page)
    return reader.links


class _Words(HTMLParser):
    """What a page says, shows in a field, or tells who cannot see it."""

    def __init__(self) -> None:
        super().__init__()
        self.said: list[str] = []
        self._hidden = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._hidden += tag in ("script", "style")
        given = dict(attrs)
        self.said += [given.get(name) or "" for name in ("aria-label", "title", "placeholder")]
        if tag == "input" and given.get("type") not in ("hidden", "radio", "checkbox"):
            self.said.append(given.get("value") or "")

    def handle_endtag(self, tag: str) -> None:
        self._hidden -= tag in ("script", "style")

    def handle_data(self, data: str) -> None:
        if not self._hidden:
            self.said.append(re.sub(r"[ \n]+", " ", data))


def said(page: str) -> list[str]:
    """What a page says, in its order."""
    words = _Words()
    words.feed(page)
    return words.said


def route_of(method: str, path: str) -> str:
    """The address of the application that answers, as the table of who may has it; "" for none."""
    address, least = address_of(method, unquote(urlsplit(path).path))
    return "" if least == NOBODY else address


def pages(client: TestClient, begin: str = "/", each: int = 2) -> Iterator[tuple[str, Response]]:
    """Every page from one on, of each address so many."""
    known, ahead = {begin}, [begin]
    seen: Counter[str] = Counter()
    while ahead:
        path = ahead.pop(0)
        answer = client.get(path, follow_redirects=True)
        yield path, answer
        if "text/html" not in answer.headers.get("content-type", ""):
            continue
        for link in links(answer.text):
            there = urldefrag(urljoin(path, link)).url
            if not there.startswith("/") or there in known or re.match("/static/|/leave", there):
                continue
            route = route_of("GET", there)
            if route and seen[route] < each:
                seen[route] += 1
                known.add(there)
                ahead.append(there)


_LIVE = re.compile(r"<(span|b)\b[^>]*\bx-text=[^>]*>[^<]*</\1>")
_UNREAD = re.compile(r"<(script|style|svg|select|textarea)\b.*?</\1>", re.S)
_WITHIN = re.compile(r"</?(?:a|b|i|em|small|span|strong|time|code)\b[^>]*>")
_TAG, _SPACE = re.compile(r"<[^>]+>"), re.compile(r"\s+")


def flat(page: str) -> str:
    """What a page says, a block a line, as it is read: what stands within a line parts no words."""
    page = _SPACE.sub(" ", _UNREAD.sub(" ", _LIVE.sub("live", page)))
    return _TAG.sub("\n", _WITHIN.sub("", unescape(page)))

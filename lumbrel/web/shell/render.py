"""From a service's object to a page: one environment, one formatter, one error page."""

import re
from collections.abc import Iterable, Mapping
from contextvars import ContextVar
from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache
from importlib import import_module
from pathlib import Path
from sqlite3 import Connection
from types import ModuleType
from typing import Any
from uuid import uuid4

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape
from markupsafe import Markup, escape

from lumbrel import __version__
from lumbrel.core.units import said
from lumbrel.services import stations
from lumbrel.services.base.asked import Field, asked_in_rows
from lumbrel.services.base.codes import called
from lumbrel.services.base.facts import KINDS
from lumbrel.services.base.figures import FIGURES
from lumbrel.services.base.form import CONFIRMED, SEEN, BadInput
from lumbrel.services.pan.faults import faults, is_guessed
from lumbrel.store.disk import disk_of
from lumbrel.store.instruments import ScaleDetail, instruments_of
from lumbrel.store.kitchen import Kitchen, load_kitchen
from lumbrel.web.shell.caller import TOKEN, Caller, caller_of
from lumbrel.web.shell.display import Display
from lumbrel.web.shell.keypad import keys_of
from lumbrel.web.shell.plot import grade_key
from lumbrel.web.shell.saved import SAVED, saved_of
from lumbrel.web.shell.telling import Pages, sentence, sentence_of
from lumbrel.web.shell.who_may import least_role
from lumbrel.web.shell.workspace import AT, workspace_of
from lumbrel.words import LANGUAGES, Language, Sentence, begun, language, listed, own_language

WEB = Path(__file__).parent.parent
STATIC = f"/static/{__version__}"
"""Scripts and styles live under their version, so that a browser keeps none of an older one."""


DECLARED = "shell/declared_fields.html"
"""The fields of a kind that has no page's part of its own."""


def new_id() -> str:
    """An id for one write; the form carries it so that sending twice writes once."""
    return str(uuid4())


def picture_of(folder: str, module: str = "picture") -> ModuleType:
    """The geometry of a station's pictures, for its templates."""
    return import_module(f"lumbrel.web.{folder}.{module}")


def fields_of(kind: str, room: str = "") -> str:
    """The template with the fields of a kind of line: its own in the folder of its station, or the one that
    shows whatever a kind declares."""
    own = f"{room or stations.home_of(kind).key}/{kind}_fields.html"
    return own if (WEB / own).exists() else DECLARED


def fields_declared(kind: str) -> list[list[Field]]:
    """The fields that a kind of line declares, row by row."""
    return asked_in_rows(KINDS[kind])


def has_fields(kind: str) -> bool:
    """Whether a kind of line holds anything that could be corrected; the others are only struck."""
    if not stations.is_kind(kind):
        return False
    return fields_of(kind) != DECLARED or bool(fields_declared(kind))


@dataclass(frozen=True)
class _Made:
    """For whom a page is made, of which workspace, and when."""

    kitchen: Kitchen
    caller: Caller
    workspace: str
    now: datetime
    scales: tuple[tuple[str, str], ...]
    """Those that speak by themselves, each with its name."""


FIGURE = re.compile(r"\d")
_MADE: ContextVar[_Made] = ContextVar("made")
"""Of the page that is being made: macros and pieces of text know it by this."""


def _own(text: object) -> object:
    """A fixed sentence with its quantities in the kitchen's own units."""
    made = _MADE.get(None)
    if made is None or made.kitchen.both_units or not isinstance(text, str):
        return text
    if not FIGURE.search(text):
        return text if isinstance(text, Markup) else str(text)
    told = said(str(text), made.kitchen.units)
    return Markup(told) if isinstance(text, Markup) else told


def sent(code: object) -> object:
    """What a form sends: in no language, though its name is."""
    return code.english if isinstance(code, Sentence) else code


def made_once(template: str, **about: Any) -> Markup:
    """A piece of all pages that never changes: made once for each language and what it is about."""
    return _made_once(template, language(), tuple((name, _fixed(value)) for name, value in about.items()))


def _fixed(value: Any) -> Any:
    return tuple(value) if isinstance(value, list) else value


@lru_cache(maxsize=256)
def _made_once(template: str, _spoken: Language, about: tuple[tuple[str, Any], ...]) -> Markup:
    return Markup(TEMPLATES.get_template(template).render(dict(about)))


def scales_for(kind: str) -> tuple[tuple[str, str], ...]:
    """The scales that a weight may be taken from; none where no weight is asked for."""
    made = _MADE.get(None)
    return made.scales if made and kind in WEIGHED else ()


MOST_SCALES, WEIGHED = 3, ("mass", "piece", "amount")


def goes_to(address: str) -> Markup:
    """Where a form is sent, and of which workspace it is; it is not shown to whoever may not send it."""
    made, path = _MADE.get(None), address.partition("?")[0]
    if made is None:
        return Markup('action="{}"').format(address)
    at = f"{address}{'&' if '?' in address else '?'}{AT}={made.workspace}"
    shut = "" if made.caller.may(least_role("POST", path)) else Markup("hidden inert ")
    return Markup('{}action="{}"').format(shut, at)


def carried(own_id: str = "") -> Markup:
    """What a form brings along: its own id, when its page was made, and the device's token."""
    made = _MADE.get(None)
    if made is None:
        return Markup()
    brings = {"id": own_id, SEEN: made.now.isoformat(), TOKEN: made.caller.token}
    one = Markup('<input type="hidden" name="{}" value="{}">')
    return Markup().join(one.format(name, value) for name, value in brings.items() if value)


def _environment() -> Environment:
    environment = Pages(
        loader=FileSystemLoader(WEB),
        autoescape=select_autoescape(default=True, default_for_string=True),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.globals |= {
        "language": language,
        "languages": tuple(LANGUAGES.values()),
        "own_language": own_language,
        "_": sentence,
        "n_": sentence_of,
        "static": STATIC,
        "new_id": new_id,
        "goes_to": goes_to,
        "carried": carried,
        "scales_for": scales_for,
        "picture_of": picture_of,
        "fields_of": fields_of,
        "fields_declared": fields_declared,
        "figures": FIGURES,
        "faults": faults,
        "is_guessed": is_guessed,
        "keys_of": keys_of,
        "made_once": made_once,
        "confirmed": CONFIRMED,
    }
    environment.filters["grade_key"] = grade_key
    environment.filters["own"] = _own
    environment.filters["sent"] = sent
    environment.filters["begun"] = begun
    environment.filters["listed"] = listed
    environment.filters["in_a_row"] = lambda parts: Markup(", ").join([part for part in parts if part])
    environment.filters["pair"] = lambda code: (code, called(code))
    environment.filters["called"] = called
    environment.filters["named"] = lambda things: [(thing.id, thing.name) for thing in things]
    return environment


TEMPLATES = _environment()


@dataclass
class Filled:
    """What a form shows: what was typed, what was wrong with it, what is asked.

    `name` tells forms of one page apart: a field's id begins with it.
    """

    fields: Mapping[str, str] = field(default_factory=dict)
    errors: dict[str, str] = field(default_factory=dict)
    asks: dict[str, str] = field(default_factory=dict)
    name: str = "f"

    def value(self, name: str, default: str = "") -> str:
        """What was typed, else the default."""
        return self.fields.get(name, default)

    def id_of(self, field_name: str) -> str:
        """The id of a field on its page."""
        return f"{self.name}-{field_name}"

    def named(self, name: str) -> "Filled":
        """The same form under a name of its own."""
        return Filled(self.fields, self.errors, self.asks, name)

    def blank(self) -> "Filled":
        """An empty form beside it."""
        return Filled()

    def refuses(self, *names: str) -> bool:
        """Whether one of these fields is wrong, or asked about."""
        return any(name in self.errors or name in self.asks for name in names)

    @property
    def wrong(self) -> bool:
        """Whether the page shows a form that was not taken."""
        return bool(self.errors or self.asks)


def refilled(fields: Mapping[str, str], bad: BadInput | None) -> Filled:
    """A form as it was sent, with what stood in its way."""
    return Filled(fields, bad.errors, bad.asks) if bad else Filled(fields)


def page(
    request: Request, db: Connection, template: str, here: str, status: int = 200, **more: Any
) -> HTMLResponse:
    """A whole page, with what every page knows."""
    settings = workspace_of(request).settings
    now = settings.clock()
    known = {
        "here": here,
        "line": stations.line(db, now),
        "cautions": stations.cautions_of(here),
        "demo": settings.demo,
        "live": settings.refresh_seconds > 0,
        "today_key": f"{now:%Y-%m-%d}",
        "saved_line": saved_of(db, request.query_params.get(SAVED, ""), now),
        "disk": disk_of(settings.database).said,
    }
    return fragment(request, db, template, status, **(known | more))


def fragment(request: Request, db: Connection, template: str, status: int = 200, **more: Any) -> HTMLResponse:
    """A piece of a page, for a page that is already open."""
    workspace = workspace_of(request)
    kitchen, caller = load_kitchen(db), caller_of(request.scope)
    now = workspace.settings.clock()
    known = {
        "who": caller,
        "request": request,
        "now": now,
        "kitchen": kitchen,
        "show": Display(kitchen),
        "form": Filled(),
        "unsaid": Filled(),
        "practice": workspace.pan,
        "workspace": workspace.name,
    }
    shown, made = known | more, TEMPLATES.get_template(template)
    scales = tuple((one.id, one.name) for one in instruments_of(db, ScaleDetail)[:MOST_SCALES])
    own = _MADE.set(_Made(kitchen, caller, workspace.name, now, scales))
    try:
        rendered = made.render(shown)
        unsaid = _unsaid(rendered, shown.values())
        if unsaid.wrong:
            rendered = made.render(shown | {"unsaid": unsaid})
    finally:
        _MADE.reset(own)
    return HTMLResponse(rendered, status)


def _forms(shown: object) -> Iterable[Filled]:
    """What a form shows, or those among several."""
    match shown:
        case Filled():
            yield shown
        case dict():
            yield from (one for one in shown.values() if isinstance(one, Filled))
        case tuple() | list():
            yield from (one for one in shown if isinstance(one, Filled))


def _unsaid(rendered: str, shown: Iterable[object]) -> Filled:
    """What stood in a form's way and its page does not say, since the form is not on it now, or has no
    place for it: with all that was typed, so that it can be confirmed and sent again."""
    sent = [form for value in shown for form in _forms(value) if form.wrong]
    errors = {
        name: text
        for form in sent
        for name, text in form.errors.items()
        if escape(text) not in rendered and escape(str(_own(text))) not in rendered
    }
    for form in sent:
        asks = {
            name: text
            for name, text in form.asks.items()
            if escape(text) not in rendered or f'name="{name}{CONFIRMED}"' not in rendered
        }
        if asks:
            kept = {name: text for name, text in form.fields.items() if name != SEEN}
            return Filled(kept, errors, asks, "unsaid")
    return Filled({}, errors, {}, "unsaid")

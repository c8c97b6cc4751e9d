"""From a service's object to a page: one environment, one formatter, one error page."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from sqlite3 import Connection
from typing import Any
from uuid import uuid4

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape

from lumbrel import __version__
from lumbrel.services import kitchen as kitchen_service
from lumbrel.services.typed import BadInput
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web import cautions, pictures
from lumbrel.web.shower import Shower
from lumbrel.web.worlds import world_of

TEMPLATES = Environment(
    loader=FileSystemLoader(Path(__file__).parent / "templates"),
    autoescape=select_autoescape(default=True, default_for_string=True),
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)


@dataclass
class Filled:
    """What a form shows: what was typed, what was wrong with it, what is asked."""

    fields: Mapping[str, str] = field(default_factory=dict)
    errors: dict[str, str] = field(default_factory=dict)
    asks: dict[str, str] = field(default_factory=dict)

    def value(self, name: str, default: str = "") -> str:
        """What was typed, else the default."""
        return self.fields.get(name, default)

    @property
    def wrong(self) -> bool:
        """Whether the page shows a form that was not taken."""
        return bool(self.errors or self.asks)


def refilled(fields: Mapping[str, str], bad: BadInput | None) -> Filled:
    """A form as it was sent, with what stood in its way."""
    return Filled(fields, bad.errors, bad.asks) if bad else Filled(fields)


def context_of(request: Request, db: Connection, here: str) -> dict[str, Any]:
    """What every page knows."""
    world = world_of(request)
    now = world.settings.clock()
    kitchen = load_kitchen(db)
    return {
        "request": request, "here": here, "now": now, "kitchen": kitchen,
        "line": kitchen_service.line(db, now), "show": Shower(kitchen), "new_id": new_id,
        "version": __version__, "cautions": cautions.AT.get(here, ()), "pictures": pictures,
        "form": Filled(), "demo": world.settings.demo, "practice": world.pan,
        "live": world.settings.refresh_seconds > 0, "today_key": f"{now:%Y-%m-%d}",
    }  # fmt: skip


def new_id() -> str:
    """An id for one write; the form carries it so that sending twice writes once."""
    return str(uuid4())


def page(
    request: Request, db: Connection, template: str, here: str, status: int = 200, **more: Any
) -> HTMLResponse:
    """A whole page."""
    body = TEMPLATES.get_template(template).render(context_of(request, db, here) | more)
    return HTMLResponse(body, status)


def fragment(request: Request, db: Connection, template: str, **more: Any) -> HTMLResponse:
    """A piece of a page, for a page that is already open."""
    world = world_of(request)
    now = world.settings.clock()
    kitchen = load_kitchen(db)
    known = {
        "practice": world.pan,
        "request": request, "show": Shower(kitchen), "kitchen": kitchen, "now": now,
        "pictures": pictures, "new_id": new_id, "form": Filled(),
    }  # fmt: skip
    return HTMLResponse(TEMPLATES.get_template(template).render(known | more))

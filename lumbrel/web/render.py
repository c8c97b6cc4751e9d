"""From a service's object to a page: one environment, one formatter, one error page."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from sqlite3 import Connection
from typing import Any
from uuid import uuid4

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape

from lumbrel import __version__
from lumbrel.core import units
from lumbrel.services import kitchen as kitchen_service
from lumbrel.services.typed import BadInput, local_time
from lumbrel.store.kitchen import Kitchen, load_kitchen
from lumbrel.web import cautions, pictures

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


class Shower:
    """Shows quantities and times in the kitchen's own units and zone."""

    def __init__(self, kitchen: Kitchen) -> None:
        self.kitchen = kitchen

    def __call__(
        self, value: float | None, kind: str, decimals: int | None = None, symbol: bool = True
    ) -> str:
        """A value in the kitchen's unit of its kind."""
        unit = self.kitchen.units.get(kind, "")
        return units.show(value, kind, unit, decimals, symbol, self.kitchen.both_units)

    def both(self, value: float | None, kind: str, decimals: int | None = None) -> str:
        """A value in the kitchen's other unit of its kind, for the small print."""
        chosen = self.kitchen.units.get(kind, "")
        other = units.other_unit(kind, chosen)
        return units.show(value, kind, other.key if other else chosen, decimals)

    def typed(self, value: float | None, kind: str, decimals: int | None = None) -> str:
        """A value as a person would type it into a field."""
        return units.show(value, kind, self.kitchen.units.get(kind, ""), decimals)

    def in_unit(self, value: float | None, kind: str, unit: str) -> str:
        """A value in one unit of its kind, whatever the kitchen's is."""
        return units.show(value, kind, unit)

    def symbol(self, kind: str) -> str:
        """The symbol of the kitchen's unit of a kind."""
        return units.KINDS[kind].unit(self.kitchen.units.get(kind, "")).symbol

    def clock(self, at: datetime | None, seconds: bool = False) -> str:
        """HH:MM (or HH:MM:SS) in the kitchen's zone."""
        form = "%H:%M:%S" if seconds else "%H:%M"
        return local_time(at, self.kitchen).strftime(form) if at else "–"

    def date(self, at: datetime) -> str:
        """A day, as 18 April 2026."""
        local = local_time(at, self.kitchen)
        return f"{local.day} {local:%B %Y}"

    def when(self, at: datetime, now: datetime) -> str:
        """The time, with the day when it is not today."""
        local, today = local_time(at, self.kitchen), local_time(now, self.kitchen)
        short = f"{local:%H:%M}"
        return short if local.date() == today.date() else f"{local.day} {local:%b}, {short}"


def context_of(request: Request, db: Connection, here: str) -> dict[str, Any]:
    """What every page knows."""
    now = request.app.state.settings.clock()
    kitchen = load_kitchen(db)
    return {
        "request": request, "here": here, "now": now, "kitchen": kitchen,
        "line": kitchen_service.line(db, now), "show": Shower(kitchen), "new_id": new_id,
        "version": __version__, "cautions": cautions.AT.get(here, ()), "pictures": pictures,
        "form": Filled(), "demo": request.app.state.settings.demo, "today_key": f"{now:%Y-%m-%d}",
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
    now = request.app.state.settings.clock()
    kitchen = load_kitchen(db)
    known = {
        "request": request, "show": Shower(kitchen), "kitchen": kitchen, "now": now,
        "pictures": pictures, "new_id": new_id, "form": Filled(),
    }  # fmt: skip
    return HTMLResponse(TEMPLATES.get_template(template).render(known | more))

"""A line of the book that stands on no slip: shown, corrected, struck."""

from urllib.parse import quote

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.access.roles import OWNER
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import Facts
from lumbrel.services.base.form import CONFIRMED, BadInput
from lumbrel.services.sap import gathered_sap, gathering, tanks, taps
from lumbrel.services.sap.facts import GatheredFacts
from lumbrel.services.sap.played import REASONS
from lumbrel.services.stations import book
from lumbrel.store.instruments import BarometerDetail, ThermometerDetail, instruments, instruments_of
from lumbrel.web.shell.render import Filled, fields_of, refilled
from lumbrel.web.shell.request import Fields, Here, local_address
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.web.shell.saved import BACK
from lumbrel.words import _

router = RoomRoutes(prefix="/line")
GATHERED = GatheredFacts.key()
PLACES = {
    "instrument": "/kitchen/instrument/",
    "vessel": "/kitchen/vessel/",
    "tank": "/sap/tank/",
    "tree": "/sap/tree/",
    "woodlot": "/sap/woodlot/",
}
KITCHENS = {"pressure": "/day", "setting": "/kitchen"}
STATION = {"day": "day", "sap": "sap"}
OWN_PLACE = ("why", "reading", "ice", "thermometer", "pressure", "elevation", "outdoor", "brix", "at")
"""Fields whose mistakes stand beside them on every form."""


def home_of(line: Entry[Facts]) -> str:
    """Where a line is seen with others of its thing."""
    tank = getattr(line.facts, "tank_id", "")
    about, key = ("tank", tank) if tank else (line.about, line.about_id)
    if about in PLACES:
        return PLACES[about] + quote(key, safe="")
    return KITCHENS.get(line.kind, "/sap")


def _line(
    visit: Here, line_id: str, form: Filled | None = None, struck: Filled | None = None, status: int = 0
) -> HTMLResponse:
    shown = book.shown(visit.db, line_id)
    line, kind = shown.line, shown.kind
    said = {name: text for name, text in line.typed.items() if not name.endswith(CONFIRMED) and text}
    about = next((i for i in instruments(visit.db, retired=True) if i.id == line.about_id), None)
    typed = {**line.typed, "thermometer": line.about_id}
    return visit.page(
        "record/line.html",
        STATION.get(home_of(line).split("/")[1], "settings"),
        status or (422 if form or struck else 200),
        shown=shown,
        typed="; ".join(f"{name} {text}" for name, text in said.items()),
        form=form or Filled(typed),
        struck=(struck or Filled()).named("strike"),
        fields_template=fields_of(line.kind, kind.room) if kind and kind.correct else "",
        shown_fields=[*line.typed, *OWN_PLACE],
        home=home_of(line),
        instrument=about,
        thermometer_names=[(i.id, i.name) for i in instruments_of(visit.db, ThermometerDetail)],
        reasons=list(REASONS.items()),
        others=tanks.others(visit.db, line.about_id),
        left_as=list(taps.LEFT_AS.items()),
        clarities=list(gathered_sap.CLARITY.items()),
        page=gathering.page(visit.db, line.about_id, visit.now) if line.kind == GATHERED else None,
        barometers=[(b.id, b.name) for b in instruments_of(visit.db, BarometerDetail)],
    )


def _allowed(visit: Here, line_id: str) -> None:
    """What only an owner sets, only an owner strikes."""
    shown = book.shown(visit.db, line_id)
    if shown.kind and shown.kind.owners(shown.line) and not visit.caller.may(OWNER):
        raise BadInput({"why": _("That is for a device of the owner. Nothing was written.")})


def _by_another(visit: Here, line_id: str, fields: Fields) -> bool:
    """Whether somebody else corrected or struck it first: its page says who, and when."""
    instead = book.shown(visit.db, line_id).instead
    return instead is not None and instead.id != fields.get("id", "").strip()


@router.get("/{line}")
def show(visit: Here, line: str) -> HTMLResponse:
    """What it says, who wrote it when, and what became of it."""
    return _line(visit, line)


@router.post("/{line}/correct")
def correct(visit: Here, line: str, fields: Fields) -> Response:
    """Correct it: a new line supersedes it."""
    if _by_another(visit, line, fields):
        return _line(visit, line, status=409)
    try:
        book.correct(visit.db, line, fields, visit.now)
    except BadInput as bad:
        return _line(visit, line, refilled(fields, bad))
    return RedirectResponse(home_of(book.shown(visit.db, line).line), 303)


@router.post("/{line}/strike")
def strike(visit: Here, line: str, fields: Fields) -> Response:
    """Strike it out."""
    asked = fields.pop(BACK, "")
    if _by_another(visit, line, fields):
        return _line(visit, line, status=409)
    try:
        _allowed(visit, line)
        book.strike(visit.db, line, fields, visit.now)
    except BadInput as bad:
        return _line(visit, line, struck=refilled(fields, bad))
    leads = home_of(book.shown(visit.db, line).line)
    return RedirectResponse(local_address(asked, leads), 303)

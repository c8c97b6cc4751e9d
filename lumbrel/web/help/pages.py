"""Help where one stands: a half page for each station, and all of them as a small handbook."""

from fastapi.responses import HTMLResponse

from lumbrel.services.base.form import NotFound
from lumbrel.services.kitchen.handbook import HELPED, TITLES, own
from lumbrel.services.stations import cautions_of
from lumbrel.web.shell.request import Here
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.words import _, joined

router = RoomRoutes(prefix="/help")


@router.get("")
def handbook(visit: Here) -> HTMLResponse:
    """Every half page, with this kitchen's own numbers, to print."""
    rooms = [(key, TITLES[key], cautions_of(key)) for key in HELPED]
    return visit.page("help/handbook.html", "help", own=own(visit.db, visit.now), rooms=rooms)


@router.get("/{room}")
def half_page(visit: Here, room: str) -> HTMLResponse:
    """What a station does, what its words mean, what to do when."""
    if room not in HELPED:
        raise NotFound(_("There is help for {HELPED}.", HELPED=joined(", ", HELPED)))
    mine, title = own(visit.db, visit.now), TITLES[room]
    if visit.wants_part:
        return visit.fragment("help/half_page.html", own=mine, room=room, title=title)
    return visit.page("help/page.html", "help", own=mine, room=room, title=title)

"""The wall: a screen that shows all vessels from four metres, and asks for nothing."""

from fastapi.responses import HTMLResponse

from lumbrel.services.kitchen.wall import wall
from lumbrel.web.shell.request import Here
from lumbrel.web.shell.room import RoomRoutes

router = RoomRoutes(prefix="/wall")


@router.get("")
def show(visit: Here) -> HTMLResponse:
    """Every vessel at work."""
    return visit.page("wall/wall.html", "wall", wall=wall(visit.db, visit.now))


@router.get("/board")
def board(visit: Here) -> HTMLResponse:
    """The part that changes."""
    return visit.fragment("wall/panes.html", wall=wall(visit.db, visit.now))

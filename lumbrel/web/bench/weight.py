"""What a scale shows, for the fields that ask for a weight."""

from fastapi.responses import Response

from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.shell.answer import SpokenJSON
from lumbrel.web.shell.display import Display
from lumbrel.web.shell.request import Here
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.words import _

router = RoomRoutes()


@router.get("/scale")
def shows(visit: Here, scale: str = "", kind: str = "mass") -> Response:
    """What a scale shows, as it would be typed into a field of a kind."""
    kg = visit.weight_kg(scale)
    if kg is None:
        return SpokenJSON({"typed": "", "said": _("The scale says nothing. Is it on, and plugged in?")})
    show = Display(load_kitchen(visit.db))
    typed = show.typed(1000 * kg, "piece", 1) if kind == "piece" else show.typed(kg, "mass", 3)
    return SpokenJSON({"typed": typed, "said": ""})

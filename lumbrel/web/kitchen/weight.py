"""What the scales show, for the fields that ask for a weight and for jars that are filled by it."""

from fastapi.responses import HTMLResponse, Response

from lumbrel.services.jar.kettle import sizes_at_hand
from lumbrel.services.jar.weighed import fills
from lumbrel.services.probes.ears import Ears
from lumbrel.store.instruments import ScaleDetail, instruments_of
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.shell.answer import SpokenJSON
from lumbrel.web.shell.display import Display
from lumbrel.web.shell.request import Here, Visit
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.words import _

router = RoomRoutes()
GRAMS, FINE = 1000.0, 3


def _shows_kg(visit: Visit, scale: str) -> float | None:
    ears: Ears = visit.request.app.state.ears
    return None if visit.workspace.pan else ears.weight_kg(scale)


@router.get("/scale")
def shows(visit: Here, scale: str = "", kind: str = "mass") -> Response:
    """What a scale shows, as it would be typed into a field of a kind."""
    kg = _shows_kg(visit, scale)
    if kg is None:
        return SpokenJSON({"typed": "", "said": _("The scale says nothing. Is it on, and plugged in?")})
    show = Display(load_kitchen(visit.db))
    typed = show.typed(kg * GRAMS, "piece", 1) if kind == "piece" else show.typed(kg, "mass", FINE)
    return SpokenJSON({"typed": typed, "said": ""})


@router.get("/jar/{code}/scale")
def filling(visit: Here, code: str) -> HTMLResponse:
    """How far the jar on the scale is filled, as a piece of the kettle's page."""
    context = visit.batch(code)
    scales = [one for one in instruments_of(visit.db, ScaleDetail) if one.vessel_id is None]
    shown = next((kg for one in scales if (kg := _shows_kg(visit, one.id)) is not None), None)
    sizes = list(sizes_at_hand(context))
    return visit.fragment(
        "jar/on_the_scale.html",
        shown_g=None if shown is None else shown * GRAMS,
        fills=fills(context, sizes, None if shown is None else shown * GRAMS),
    )

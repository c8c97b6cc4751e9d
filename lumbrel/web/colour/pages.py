"""The colour: who waits, one batch beside the row of references, a photograph with its boxes."""

import random
from dataclasses import dataclass
from typing import Any

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.colour import entries, photograph
from lumbrel.services.colour.classes import CLASSES
from lumbrel.services.colour.meter import read_meter
from lumbrel.services.colour.row import row_of
from lumbrel.services.colour.station import STATION
from lumbrel.web.colour import blend
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.station import station_page, station_routes
from lumbrel.words import _
from lumbrel.worlds.photograph import LAMPS, lit

FOR_EVER = {"Cache-Control": "private, max-age=31536000, immutable"}


def _more(visit: Visit, code: str) -> dict[str, Any]:
    return {"classes": CLASSES, "row": row_of(visit.batch(code))}


router = station_routes(STATION, _more)
router.include_router(blend.router)


@router.post("/colour/{code}/photo")
def photo(visit: Here, code: str, fields: Fields) -> Response:
    """Put a photograph down, to draw the boxes on it."""
    try:
        name = photograph.take(visit.batch(code), visit.upload)
    except BadInput as bad:
        filled = refilled({**fields, "by": "photo"}, bad)
        return station_page(visit, STATION, code, filled, _more)
    return RedirectResponse(f"/colour/{code}/photo/{name}#photo", 303)


@router.post("/colour/{code}/example")
def example(visit: Here, code: str) -> Response:
    """A photograph of two vials under some lamp, where nobody has any: in the demonstration and in practice."""
    if not (visit.workspace.settings.demo or visit.workspace.pan):
        raise NotFound(_("An example photograph is the demonstration's only."))
    context = visit.batch(code)
    chance = random.Random(context.batch.id)
    light, lamp = chance.uniform(20, 85), chance.choice(LAMPS)
    picture = lit(chance, light, lamp, row_of(context).path_mm)
    name = photograph.take(context, picture)
    return RedirectResponse(f"/colour/{code}/photo/{name}#photo", 303)


@router.get("/colour/{code}/photo/{name}")
def look(visit: Here, code: str, name: str) -> Response:
    """The colour's page with a photograph on it."""
    found = photograph.found(visit.batch(code), name)
    return station_page(visit, STATION, code, Filled({"by": "photo", "photo": found.name}), _more)


@router.get("/colour/{code}/meter")
def meter(visit: Here, code: str) -> Response:
    """The colour's page with what the demonstration's meter shows, to be looked over and saved."""
    if not visit.workspace.settings.demo:
        raise NotFound(_("No meter is connected. Type what yours shows."))
    shown = read_meter(visit.batch(code))
    return station_page(visit, STATION, code, Filled(shown), _more)


@dataclass(frozen=True)
class PhotographSays:
    """What a photograph says; or why it says nothing."""

    sentence: str = ""
    light: float = 0.0
    sigma: float = 0.0
    ranked: tuple[tuple[str, float], ...] = ()
    hints: tuple[str, ...] = ()


@router.get("/colour/{code}/photo/{name}/said")
def said(visit: Here, code: str, name: str) -> HTMLResponse:
    """What a photograph says with the boxes where they are now."""
    asked = dict(visit.request.query_params)
    judged = entries.tried(visit.batch(code), {**asked, "photo": name})
    if isinstance(judged, str):
        return visit.fragment("colour/photo_said.html", said=PhotographSays(judged))
    ranked = tuple(sorted(judged.chances.items(), key=lambda one: -one[1]))
    told = PhotographSays("", judged.transmittance_percent, judged.sigma_points, ranked, judged.hints)
    return visit.fragment("colour/photo_said.html", said=told)


@router.get("/photographs/{name}.jpg")
def file(visit: Here, name: str) -> Response:
    """A photograph."""
    content = photograph.file_of(visit.db, name)
    if content is None:
        raise NotFound(_("There is no such photograph."))
    return Response(content, media_type="image/jpeg", headers=FOR_EVER)

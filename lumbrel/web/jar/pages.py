"""Jars: who waits, how many were filled, and their labels."""

from typing import Any

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.facts import AddedFacts, JarFacts
from lumbrel.services.base.form import BadInput
from lumbrel.services.jar.entries import BIGGEST_JAR_ML, SMALLEST_JAR_ML
from lumbrel.services.jar.filling import filling
from lumbrel.services.jar.kettle import NEXT_DAY, kettle_of, sizes_at_hand
from lumbrel.services.jar.station import STATION
from lumbrel.services.jar.weighed import fills
from lumbrel.services.pan.choices import pourable
from lumbrel.services.pan.off_fire import speaking
from lumbrel.services.stations import slip
from lumbrel.store.instruments import ScaleDetail, instruments_of
from lumbrel.web.jar import labels
from lumbrel.web.shell.render import refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.station import station_page, station_routes

NOTES = ("kettle", "reheat", "checked", "packed")


def _more(visit: Visit, code: str) -> dict[str, Any]:
    context = visit.batch(code)
    asked = visit.request.query_params
    size, refused = _size_ml(asked.get("size", "")), ""
    wished = {s: n for s in sizes_at_hand(context) if (n := _count(asked.get(f"wish_{s}", "")))}
    try:
        kettle = kettle_of(context, size, wished)
    except OutOfRange as error:
        kettle, refused = kettle_of(context, size), error.sentence
    last = context.last(JarFacts)
    return {
        "filling": filling(context),
        "kettle": kettle,
        "sizes": sizes_at_hand(context),
        "wished": wished,
        "wish_refused": refused,
        "probes": [probe for probe, _any in speaking(context)],
        "care": last.facts.care if last else (),
        "due": last is not None and visit.now - last.at >= NEXT_DAY,
        "pools": True,
        "others": pourable(context),
    }


def _size_ml(text: str) -> float | None:
    try:
        size = float(text)
    except ValueError:
        return None
    return size if SMALLEST_JAR_ML <= size <= BIGGEST_JAR_ML else None


def _count(text: str) -> int:
    return int(text) if text.isascii() and text.isdigit() and len(text) <= 5 else 0


router = station_routes(STATION, _more, NOTES)
router.include_router(labels.router)


@router.get("/jar/{code}/scale")
def on_the_scale(visit: Here, code: str) -> HTMLResponse:
    """How far the jar on the scale is filled, as a piece of the kettle's page."""
    context = visit.batch(code)
    scales = [one for one in instruments_of(visit.db, ScaleDetail) if one.vessel_id is None]
    kg = next((kg for one in scales if (kg := visit.weight_kg(one.id)) is not None), None)
    shown_g = None if kg is None else 1000 * kg
    filled = fills(context, sizes_at_hand(context), shown_g)
    return visit.fragment("jar/on_the_scale.html", shown_g=shown_g, fills=filled)


@router.post("/jar/{code}/pour")
def pour(visit: Here, code: str, fields: Fields) -> Response:
    """Pour another kettle into this one's: they are packed together."""
    try:
        slip.put(visit.db, code, AddedFacts.key(), fields, visit.now)
    except BadInput as bad:
        return station_page(visit, STATION, code, more=_more, pour=refilled(fields, bad))
    return RedirectResponse(f"/jar/{code}", 303)

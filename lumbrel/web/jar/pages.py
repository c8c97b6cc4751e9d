"""Jars: who waits, how many were filled, and their labels."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.jar.filling import filling
from lumbrel.services.jar.labels import labels as labels_of
from lumbrel.services.jar.station import STATION
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here
from lumbrel.web.shell.station import put, station_page, waiting_page

router = APIRouter()
LABELS_A_SHEET = 24


def _page(visit: Here, code: str, form: Filled | None = None) -> Response:
    return station_page(visit, STATION, code, form, filling=filling(visit.batch(code)))


@router.get("/jar")
def queue(visit: Here) -> Response:
    """The batches that wait for jars."""
    return waiting_page(visit, STATION, "to jar")


@router.get("/jar/{code}")
def show(visit: Here, code: str) -> Response:
    """One batch and its jars."""
    return _page(visit, code)


@router.post("/jar/{code}")
def jarred(visit: Here, code: str, fields: Fields) -> Response:
    """Put jars on the slip."""
    bad = put(visit, STATION, code, fields)
    if bad:
        return _page(visit, code, refilled(fields, bad))
    return RedirectResponse(f"/jar/{code}", 303)


@router.get("/jar/{code}/labels")
def labels(visit: Here, code: str) -> HTMLResponse:
    """One printable sheet of labels."""
    context = visit.batch(code)
    found = labels_of(visit.db, code, visit.now)
    return visit.page("jar/labels.html", "jar", context=context, labels=found, most=LABELS_A_SHEET)

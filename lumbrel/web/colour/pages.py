"""Colour: who waits, and what class it is."""

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from lumbrel.services.colour.classes import CLASSES
from lumbrel.services.colour.station import STATION
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here
from lumbrel.web.shell.station import put, station_page, waiting_page

router = APIRouter()


def _page(visit: Here, code: str, form: Filled | None = None) -> Response:
    return station_page(visit, STATION, code, form, classes=CLASSES)


@router.get("/colour")
def queue(visit: Here) -> Response:
    """The batches that wait to be graded."""
    return waiting_page(visit, STATION, "to grade")


@router.get("/colour/{code}")
def show(visit: Here, code: str) -> Response:
    """One batch held to the light."""
    return _page(visit, code)


@router.post("/colour/{code}")
def graded(visit: Here, code: str, fields: Fields) -> Response:
    """Put the colour on the slip."""
    bad = put(visit, STATION, code, fields)
    if bad:
        return _page(visit, code, refilled(fields, bad))
    return RedirectResponse(f"/colour/{code}", 303)

"""The filter: who waits, and what was done."""

from fastapi import APIRouter
from fastapi.responses import RedirectResponse, Response

from lumbrel.services.filter.station import STATION
from lumbrel.web.shell.render import refilled
from lumbrel.web.shell.request import Fields, Here
from lumbrel.web.shell.station import put, station_page, waiting_page

router = APIRouter()


@router.get("/filter")
def queue(visit: Here) -> Response:
    """The batches that wait for the filter."""
    return waiting_page(visit, STATION, "to filter")


@router.get("/filter/{code}")
def show(visit: Here, code: str) -> Response:
    """One batch at the filter."""
    return station_page(visit, STATION, code)


@router.post("/filter/{code}")
def filtered(visit: Here, code: str, fields: Fields) -> Response:
    """Put the filter on the slip."""
    bad = put(visit, STATION, code, fields)
    if bad:
        return station_page(visit, STATION, code, refilled(fields, bad))
    return RedirectResponse(f"/filter/{code}", 303)

"""Jars: who waits, how many were filled, and their labels."""

from typing import Any

from fastapi.responses import HTMLResponse

from lumbrel.services.jar.filling import filling
from lumbrel.services.jar.labels import labels as labels_of
from lumbrel.services.jar.station import STATION
from lumbrel.web.shell.request import Here, Visit
from lumbrel.web.shell.station import station_routes

LABELS_A_SHEET = 24


def _more(visit: Visit, code: str) -> dict[str, Any]:
    return {"filling": filling(visit.batch(code))}


router = station_routes(STATION, "to jar", _more)


@router.get("/jar/{code}/labels")
def labels(visit: Here, code: str) -> HTMLResponse:
    """One printable sheet of labels."""
    context = visit.batch(code)
    found = labels_of(visit.db, code, visit.now)
    return visit.page("jar/labels.html", "jar", context=context, labels=found, most=LABELS_A_SHEET)

"""The colour: who waits, and one batch beside the row of references."""

from typing import Any

from lumbrel.services.colour.classes import CLASSES
from lumbrel.services.colour.row import row_of
from lumbrel.services.colour.station import STATION
from lumbrel.web.shell.request import Visit
from lumbrel.web.shell.station import station_routes


def _more(visit: Visit, code: str) -> dict[str, Any]:
    return {"classes": CLASSES, "row": row_of(visit.batch(code))}


router = station_routes(STATION, "to grade", _more)

"""The filter: who waits, and one batch while it runs through."""

from typing import Any

from fastapi.responses import RedirectResponse, Response

from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.filter.stack import COLDEST_GOOD_FILTER_C, cold_viscosity, stack_of
from lumbrel.services.filter.station import STATION
from lumbrel.services.stations import slip
from lumbrel.web.shell.render import refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.station import station_page, station_routes

HERE = ("passed", "pulled", "kettle")


def _more(visit: Visit, code: str) -> dict[str, Any]:
    stack = stack_of(visit.batch(code), visit.request.query_params.get("through", ""))
    return {
        "stack": stack,
        "coldest_c": COLDEST_GOOD_FILTER_C,
        "cold_viscosity": cold_viscosity(stack.after) if stack else 0.0,
    }


router = station_routes(STATION, "to filter", _more)


@router.post("/filter/{code}/slip/{kind}")
def put(visit: Here, code: str, kind: str, fields: Fields) -> Response:
    """A note while it runs: how much is through, a layer pulled, what the kettle shows."""
    if kind not in HERE:
        raise NotFound("The filter has no such line.")
    try:
        slip.put(visit.db, code, kind, fields, visit.now)
    except BadInput as bad:
        return station_page(visit, STATION, code, refilled(fields, bad), more=_more, typed=kind)
    return RedirectResponse(f"/filter/{code}", 303)

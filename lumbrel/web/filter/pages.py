"""The filter: who waits, and one batch while it runs through."""

from typing import Any

from lumbrel.services.base.facts import StrainedFacts
from lumbrel.services.filter.stack import COLDEST_GOOD_FILTER_C, stack_of
from lumbrel.services.filter.station import STATION
from lumbrel.web.shell.request import Visit
from lumbrel.web.shell.station import station_routes

NOTES = ("passed", "pulled", "kettle")


def _more(visit: Visit, code: str) -> dict[str, Any]:
    context = visit.batch(code)
    stack = stack_of(context, visit.request.query_params.get("through", ""))
    return {"stack": stack, "strained": context.first(StrainedFacts), "coldest_c": COLDEST_GOOD_FILTER_C}


router = station_routes(STATION, _more, NOTES)

"""One route for every calculation of the services."""

from collections.abc import Awaitable, Callable
from typing import Any

from fastapi import Response

from lumbrel.services.access.roles import LOOKER
from lumbrel.services.base.calculation import Calculation
from lumbrel.services.stations import CALCULATIONS
from lumbrel.web.shell.room import RoomRoutes

router = RoomRoutes(writes=LOOKER, prefix="/api", tags=["calculations"])


def _endpoint(calculation: Calculation) -> Callable[..., Awaitable[Response]]:
    """A route that computes; async, since it takes microseconds and waits for nothing."""

    async def endpoint(request: Any) -> Response:
        # Written once here: FastAPI would check the answer against its own model again.
        return Response(calculation.run(request).model_dump_json(), media_type="application/json")

    endpoint.__annotations__["request"] = calculation.request
    endpoint.__name__ = calculation.name.replace("/", "_").replace("-", "_")
    return endpoint


for _calculation in CALCULATIONS:
    router.add_api_route(
        f"/{_calculation.name}",
        _endpoint(_calculation),
        methods=["POST"],
        response_model=_calculation.answer,
        summary=_calculation.summary,
    )

"""Health, the documentation's page, how a typed quantity is understood, and what is not there."""

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse
from starlette.exceptions import HTTPException

from lumbrel import __version__
from lumbrel.core import units
from lumbrel.core.errors import OutOfRange
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.shell.display import Display
from lumbrel.web.shell.render import TEMPLATES
from lumbrel.web.shell.request import Here

router = APIRouter()
last = APIRouter()
UNITS_OF_THEIR_OWN = ("brix", "percent", "count")
"""Kinds that are shown in one unit only."""


@router.get("/healthz", tags=["meta"])
async def health() -> dict[str, str]:
    """That the server answers, and its version."""
    return {"status": "ok", "version": __version__}


@router.get("/api/constant", include_in_schema=False)
async def constant() -> dict[str, float]:
    """A constant, the yardstick of the benchmark."""
    return {"brix": 66.08, "uncertainty_brix": 0.5}


@router.get("/api/docs", include_in_schema=False)
async def docs() -> HTMLResponse:
    """The API's documentation, from shipped assets."""
    return HTMLResponse(TEMPLATES.get_template("api/docs.html").render(version=__version__))


@router.get("/api/understood", tags=["meta"])
def understood(
    visit: Here, kind: str = Query(max_length=20), text: str = Query(max_length=60)
) -> dict[str, str | bool | float | None]:
    """How a quantity is understood as it is typed, in the kitchen's units and the other one."""
    if kind not in units.KINDS:
        raise OutOfRange(f"The kind must be one of {', '.join(units.KINDS)}.", "kind")
    kitchen = load_kitchen(visit.db)
    try:
        typed = units.parse(text, kind, kitchen.units.get(kind, ""))
    except OutOfRange as error:
        return {"ok": False, "said": error.sentence, "value": None, "unit": ""}
    show = Display(kitchen)
    said = show(typed.value, kind)
    if kind not in UNITS_OF_THEIR_OWN:
        said += f", {show.both(typed.value, kind)}"
    inside = units.KINDS[kind].inside.symbol
    return {"ok": True, "said": said, "value": typed.value, "unit": inside}


@last.api_route(
    "/api/{path:path}", methods=["GET", "POST", "PUT", "DELETE"], include_in_schema=False
)
async def nothing_here(path: str) -> None:
    """Anything else under /api/ is answered as JSON."""
    raise HTTPException(404, "There is no such calculation; see /api/docs.")

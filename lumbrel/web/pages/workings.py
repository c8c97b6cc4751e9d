"""Press a figure to see its working: a fragment for the page that is open, or a page of its own."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from lumbrel.services import context as contexts
from lumbrel.services import day as days
from lumbrel.services import pan, workings
from lumbrel.services.workings import Working
from lumbrel.web.render import fragment, page
from lumbrel.web.request import Db, Now

router = APIRouter(prefix="/working")


def _shown(
    request: Request, db: Db, working: Working, here: str, back: str, mend: str = ""
) -> HTMLResponse:
    if request.query_params.get("part"):
        return fragment(request, db, "parts/working.html", working=working, mend=mend)
    return page(request, db, "working.html", here, working=working, back=back, mend=mend)


@router.get("/day/{figure}")
def of_day(
    request: Request, db: Db, now: Now, figure: str, thermometer: str = "", sugar: str = "maple"
) -> HTMLResponse:
    """Where water boils, or a mark of the heat ladder."""
    kind = sugar if sugar in ("maple", "walnut", "birch") else "maple"
    day = days.today(db, now, thermometer, kind)
    found = workings.boil_of_water(day) if figure == "boil" else workings.rung(day, figure)
    return _shown(request, db, found, "day", f"/day?thermometer={thermometer}&sugar={kind}")


@router.get("/pan/{code}/{figure}")
def of_pan(request: Request, db: Db, now: Now, code: str, figure: str) -> HTMLResponse:
    """A figure of the pan's board."""
    found = workings.of_pan(pan.board_of(contexts.load(db, code, now)), figure)
    return _shown(request, db, found, "pan", f"/pan/{code}")


@router.get("/slip/{code}/{entry_id}")
def of_slip(request: Request, db: Db, now: Now, code: str, entry_id: str) -> HTMLResponse:
    """A line of the slip."""
    found = workings.line(contexts.load(db, code, now), entry_id)
    mend = f"/batch/{code}/amend/{entry_id}"
    return _shown(request, db, found, "pan", f"/pan/{code}", mend)

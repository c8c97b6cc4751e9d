"""Press a figure to see its working: a fragment for the page that is open, or a page of its own."""

from fastapi.responses import HTMLResponse

from lumbrel.services.base.figures import FIGURES
from lumbrel.services.base.working import Working
from lumbrel.services.day import ladder
from lumbrel.services.day import working as day_working
from lumbrel.services.pan import working as pan_working
from lumbrel.services.pan.board import board_now
from lumbrel.services.record import working as slip_working
from lumbrel.services.stations import named, slip
from lumbrel.web.shell.request import Here
from lumbrel.web.shell.room import RoomRoutes

router = RoomRoutes(prefix="/working")
MAPLE = FIGURES.sugar_kinds[0]


def _shown(visit: Here, working: Working, here: str, back: str, correct: str = "") -> HTMLResponse:
    if visit.wants_part:
        return visit.fragment("record/working_part.html", working=working, correct=correct)
    return visit.page("record/working.html", here, working=working, back=back, correct=correct)


@router.get("/day/{figure}")
def of_day(visit: Here, figure: str, thermometer: str = "", sugar: str = MAPLE) -> HTMLResponse:
    """Where water boils, or a mark of the heat ladder."""
    kind = sugar if sugar in FIGURES.sugar_kinds else MAPLE
    day = ladder.today(visit.db, visit.now, thermometer, kind)
    found = day_working.boil_of_water(day) if figure == "boil" else day_working.rung(day, figure)
    return _shown(visit, found, "day", f"/day?thermometer={thermometer}&sugar={kind}")


@router.get("/pan/{code}/{figure}")
def of_pan(visit: Here, code: str, figure: str) -> HTMLResponse:
    """A figure of the pan's board."""
    found = pan_working.of_pan(board_now(visit.batch(code)), figure)
    return _shown(visit, found, "pan", f"/pan/{code}")


@router.get("/slip/{code}/{entry_id}")
def of_slip(visit: Here, code: str, entry_id: str) -> HTMLResponse:
    """A line of the slip."""
    context = visit.batch(code)
    found = slip_working.line(context, slip.lines(context), entry_id, lambda line: named(context, line))
    correct = f"/batch/{code}/correct/{entry_id}"
    return _shown(visit, found, "pan", f"/pan/{code}", correct)

"""The shelf and its lots."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from lumbrel.services.base.facts import ColourFacts, DrawFacts
from lumbrel.services.jar.labels import allergens
from lumbrel.services.pan.board import board_of
from lumbrel.services.shelf import lots
from lumbrel.services.shelf.trace import summary
from lumbrel.services.stations import slip
from lumbrel.store import flow
from lumbrel.web.shell.request import Here

router = APIRouter()
LONGEST_SEARCH = 60


@router.get("/shelf")
def find(visit: Here, q: str = "", woodlot: str = "", grade: str = "") -> HTMLResponse:
    """Lots by code, woodlot or grade."""
    wanted = q[:LONGEST_SEARCH]
    return visit.page(
        "shelf/shelf.html",
        "shelf",
        shelf=lots.find(visit.db, wanted, woodlot, grade),
        q=wanted,
        woodlot=woodlot,
        grade=grade,
        grades=lots.GRADES,
    )


@router.get("/shelf/{lot:path}")
def show(visit: Here, lot: str) -> HTMLResponse:
    """One lot with its whole slip."""
    context = visit.batch(lots.batch_of_lot(visit.db, lot))
    graded = context.first(ColourFacts)
    return visit.page(
        "shelf/lot.html",
        "shelf",
        lot=lot,
        context=context,
        lines=slip.lines(context),
        summary=summary(context),
        drawn=context.first(DrawFacts),
        jars=flow.jars_of(visit.db, lot),
        grade=graded.facts.grade if graded else "",
        allergens=allergens(context),
        board=board_of(context),
    )

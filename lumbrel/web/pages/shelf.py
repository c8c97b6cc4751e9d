"""The shelf and its lots."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from lumbrel.services import context as contexts
from lumbrel.services import pan, slip
from lumbrel.services import shelf as service
from lumbrel.store import flow
from lumbrel.web.render import page
from lumbrel.web.request import Db, Now

router = APIRouter()


@router.get("/shelf")
def find(request: Request, db: Db, q: str = "", woodlot: str = "", grade: str = "") -> HTMLResponse:
    """Lots by code, woodlot or grade."""
    return page(
        request, db, "shelf/shelf.html", "shelf", shelf=service.find(db, q[:60], woodlot, grade),
        q=q[:60], woodlot=woodlot, grade=grade, grades=service.GRADES,
    )  # fmt: skip


@router.get("/shelf/{lot:path}")
def show(request: Request, db: Db, now: Now, lot: str) -> HTMLResponse:
    """One lot with its whole slip."""
    context = contexts.load(db, service.batch_of_lot(db, lot), now)
    graded = context.first("colour")
    return page(
        request, db, "shelf/lot.html", "shelf", lot=lot, context=context,
        lines=slip.lines(context), summary=service.summary(context),
        jars=flow.jars_of(db, lot), grade=graded.facts["grade"] if graded else "",
        allergens=service.allergens(context), board=pan.board_of(context),
    )  # fmt: skip

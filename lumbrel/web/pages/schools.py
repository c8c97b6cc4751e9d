"""Where practitioners disagree: taking sides, and what each side would have done with a batch."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services import context as contexts
from lumbrel.services import pan, schools
from lumbrel.services.typed import BadInput
from lumbrel.web.render import Filled, fragment, page, refilled
from lumbrel.web.request import Db, Fields, Now

router = APIRouter()


def _questions(
    request: Request, db: Db, form: Filled | None = None, saved: bool = False
) -> HTMLResponse:
    return page(
        request, db, "kitchen/schools.html", "settings", 422 if form else 200,
        questions=schools.QUESTIONS, form=form or Filled(), saved=saved,
    )  # fmt: skip


@router.get("/kitchen/schools")
def show(request: Request, db: Db, saved: str = "") -> HTMLResponse:
    """Every question and the side taken."""
    return _questions(request, db, saved=bool(saved))


@router.post("/kitchen/schools")
def save(request: Request, db: Db, fields: Fields) -> Response:
    """Take sides."""
    try:
        schools.save(db, fields)
    except BadInput as bad:
        return _questions(request, db, refilled(fields, bad))
    return RedirectResponse("/kitchen/schools?saved=1", 303)


@router.get("/working/schools/{code}")
def of_batch(request: Request, db: Db, now: Now, code: str) -> HTMLResponse:
    """What every school would have done with a batch."""
    context = contexts.load(db, code, now)
    shown = {
        "context": context, "comparisons": schools.compare(pan.board_of(context)),
        "fits": schools.verdict_of,
    }  # fmt: skip
    if request.query_params.get("part"):
        return fragment(request, db, "parts/schools.html", **shown)
    return page(request, db, "schools_of_batch.html", "pan", **shown)

"""Where practitioners disagree: choosing methods, and what each would have done with a batch."""

from typing import Any

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.access.roles import OWNER
from lumbrel.services.base.form import BadInput
from lumbrel.services.methods import compare
from lumbrel.services.methods.questions import QUESTIONS
from lumbrel.services.pan.board import board_now
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here
from lumbrel.web.shell.room import RoomRoutes, least

router = RoomRoutes()


def _questions(visit: Here, form: Filled | None = None, saved: bool = False) -> HTMLResponse:
    return visit.page(
        "methods/choose.html",
        "settings",
        422 if form else 200,
        questions=QUESTIONS,
        form=form or Filled(),
        saved=saved,
    )


@router.get("/kitchen/methods")
def show(visit: Here, saved: str = "") -> HTMLResponse:
    """Every question and the method chosen."""
    return _questions(visit, saved=bool(saved))


@router.post("/kitchen/methods")
@least(OWNER)
def save(visit: Here, fields: Fields) -> Response:
    """Choose methods."""
    try:
        compare.save(visit.db, fields, visit.now)
    except BadInput as bad:
        return _questions(visit, refilled(fields, bad))
    return RedirectResponse("/kitchen/methods?saved=1", 303)


@router.get("/kitchen/schools")
def moved() -> Response:
    """Where the methods stood before."""
    return RedirectResponse("/kitchen/methods", 301)


@router.get("/working/methods/{code}")
def of_batch(visit: Here, code: str) -> HTMLResponse:
    """What every method would have done with a batch."""
    context = visit.batch(code)
    shown: dict[str, Any] = {
        "context": context,
        "comparisons": compare.compare(board_now(context)),
        "fits": compare.verdict_of,
    }
    if visit.wants_part:
        return visit.fragment("methods/comparison.html", **shown)
    return visit.page("methods/of_batch.html", "pan", **shown)

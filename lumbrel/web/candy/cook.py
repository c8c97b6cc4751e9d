"""A cook: begun as planned, cooked along, and what came of it."""

from typing import Any

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import ScoredFacts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.candy.after import keeps_of, learned_words, worked
from lumbrel.services.candy.choices import choices
from lumbrel.services.candy.clinic import clinic
from lumbrel.services.candy.on_fire import BOIL_WORDS
from lumbrel.services.candy.pot import CookBoard, pot_of
from lumbrel.services.candy.station import cautions_at
from lumbrel.services.candy.working import steps_of
from lumbrel.services.colour import photograph
from lumbrel.services.pan.board import FAR_MINUTES
from lumbrel.services.stations import slip, waiting
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.words import _

router = RoomRoutes()
KINDS = (
    "pot",
    "cold_water",
    "cooked",
    "bath",
    "stir",
    "turned",
    "made",
    "scored",
    "foam",
    "burner",
    "added",
    "note",
    "called_off",
)


def _cook(visit: Visit, code: str) -> BatchContext:
    context = visit.batch(code)
    if not context.is_cook:
        raise NotFound(_("{code} is a boil of syrup: it has its page at the pan.", code=code))
    return context


def _state(context: BatchContext) -> dict[str, Any]:
    board = pot_of(context)
    return {
        "context": context,
        "board": board,
        "stirred": worked(board.piece.key),
        "far_minutes": FAR_MINUTES,
        "boil_words": BOIL_WORDS,
    }


def _page(visit: Visit, code: str, form: Filled | None = None, typed: str = "") -> HTMLResponse:
    context = _cook(visit, code)
    if context.called_off:
        return visit.page(
            "pan/gone.html", "candy", context=context, lines=slip.lines(context), into=None, tabs=[]
        )
    state = _state(context)
    board: CookBoard = state["board"]
    score = context.last(ScoredFacts)
    wrong = visit.request.query_params.get("wrong", "")
    flaw = wrong or (score.facts.flaw or "" if score else "")
    return visit.page(
        "candy/cook.html",
        "candy",
        422 if form else 200,
        **state,
        lines=slip.lines(context),
        choices=choices(context),
        form=form or Filled(),
        typed=typed,
        cautions=cautions_at(board),
        steps=steps_of(board),
        others=[b for b in waiting(visit.db)["candy"] if b.id != context.batch.id],
        score=score,
        score_words=[line.detail for line in slip.lines(context) if line.entry == score],
        keeps=keeps_of(board),
        learned=learned_words(board),
        clinic=clinic(board, flaw),
    )


@router.get("/candy/cook/{code}")
def show(visit: Here, code: str) -> HTMLResponse:
    """A cook at its step."""
    return _page(visit, code)


@router.get("/candy/cook/{code}/board")
def board(visit: Here, code: str) -> HTMLResponse:
    """The changing part of the page."""
    context = _cook(visit, code)
    return visit.fragment(
        "candy/cook_board.html",
        **_state(context),
        form=Filled(),
        typed="",
        choices=choices(context),
        address=f"/candy/cook/{code}",
    )


@router.post("/candy/cook/{code}/slip/{kind}")
def put(visit: Here, code: str, kind: str, fields: Fields) -> Response:
    """Put a reading, a step or the scores on the slip."""
    context = _cook(visit, code)
    if kind not in KINDS:
        raise NotFound(_("A cook's slip has no such line."))
    try:
        sent = dict(fields)
        if kind == "scored" and visit.upload:
            sent["photo"] = photograph.take(context, visit.upload)
        slip.put(visit.db, code, kind, sent, visit.now)
    except BadInput as bad:
        return _page(visit, code, refilled(fields, bad), kind)
    return RedirectResponse(f"/candy/cook/{code}", 303)

"""The shelf and its lots."""

import re
from urllib.parse import quote

from fastapi.responses import HTMLResponse, Response

from lumbrel.exchange import ledger_files
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import ColourFacts, DrawnFacts, ScoredFacts
from lumbrel.services.base.form import BadInput
from lumbrel.services.candy.after import keeps_of
from lumbrel.services.candy.clinic import clinic as candy_clinic
from lumbrel.services.candy.pot import pot_of
from lumbrel.services.jar.labels import allergens, allergens_of_cook
from lumbrel.services.pan.board import board_now
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.shelf import lots
from lumbrel.services.shelf.accounts import HERE, MISSING
from lumbrel.services.shelf.accounts import accounts as accounts_of
from lumbrel.services.shelf.choices import QUICK_REASONS, choices
from lumbrel.services.shelf.clinic import clinic as clinic_of
from lumbrel.services.shelf.ledger import ledger as ledger_of
from lumbrel.services.shelf.recall import recall as recall_of
from lumbrel.services.shelf.statement import statement as statement_of
from lumbrel.services.shelf.trace import flows_of, summary
from lumbrel.services.shelf.trace_web import web_of
from lumbrel.services.stations import slip
from lumbrel.store import flow, jars, kept
from lumbrel.web.shell import saved
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here
from lumbrel.web.shell.room import RoomRoutes

router = RoomRoutes()
LONGEST_SEARCH = 60
LEAST_SHOWN_KG = 0.0005
SPREADSHEET = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
SIZE = re.compile(r"\d{1,5}(?:\.\d{1,3})?")
YEAR, PAGE = re.compile(r"[12]\d{3}"), re.compile(r"[1-9]\d{0,4}")


@router.get("/shelf")
def find(
    visit: Here,
    q: str = "",
    woodlot: str = "",
    grade: str = "",
    season: str = "",
    size: str = "",
    page: str = "",
) -> HTMLResponse:
    """Lots by code, woodlot, grade, season or size of jar, a page at a time."""
    wanted = q[:LONGEST_SEARCH]
    year = int(season) if YEAR.fullmatch(season) else None
    at = int(page) if PAGE.fullmatch(page) else 1
    return visit.page(
        "shelf/shelf.html",
        "shelf",
        shelf=lots.find(
            visit.db,
            visit.now,
            text=wanted,
            woodlot=woodlot,
            grade=grade,
            season=year,
            size_ml=float(size) if SIZE.fullmatch(size) else None,
            page=at,
        ),
        size=size,
        q=wanted,
        woodlot=woodlot,
        grade=grade,
        grades=lots.GRADES,
        promises=kept.promises_kept(visit.db, year or visit.local.year),
    )


@router.get("/trace/{code:path}")
def trace(visit: Here, code: str, kind: str = "") -> HTMLResponse:
    """One parcel both ways: what went into it, what came of it."""
    traced = flows_of(visit.db, code[:LONGEST_SEARCH], kind)
    web = web_of(visit.db, traced.code, traced.kind)
    return visit.page("shelf/trace.html", "shelf", traced=traced, web=web)


@router.get("/recall/{code:path}")
def recall(visit: Here, code: str, kind: str = "") -> HTMLResponse:
    """What is called back with a parcel, as a list that prints."""
    called = recall_of(visit.db, code[:LONGEST_SEARCH], kind)
    return visit.page("shelf/recall.html", "shelf", recall=called)


@router.get("/accounts")
def accounts(visit: Here, season: str = "") -> HTMLResponse:
    """Whose sugar came in, and what became of it."""
    year = int(season) if YEAR.fullmatch(season) else visit.local.year
    return visit.page(
        "shelf/accounts.html",
        "shelf",
        accounts=accounts_of(visit.db, year),
        this_year=visit.local.year,
        here_words=HERE,
        least_kg=LEAST_SHOWN_KG,
        missing_words=MISSING,
    )


@router.get("/accounts/{season}.xlsx")
def as_spreadsheet(visit: Here, season: int) -> Response:
    """A season's tables as a spreadsheet."""
    body = ledger_files.as_spreadsheet(ledger_of(visit.db, season))
    return _file(body, SPREADSHEET, f"season-{season}.xlsx")


@router.get("/accounts/{season}.zip")
def as_csv(visit: Here, season: int) -> Response:
    """A season's tables as CSV."""
    body = ledger_files.as_csv(ledger_of(visit.db, season))
    return _file(body, "application/zip", f"season-{season}.zip")


def _file(body: bytes, kind: str, name: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(body, media_type=kind, headers=headers)


@router.get("/accounts/{season}/{woodlot}")
def statement(visit: Here, season: int, woodlot: str) -> HTMLResponse:
    """A woodlot's statement, that prints."""
    found = statement_of(visit.db, woodlot[:LONGEST_SEARCH], season)
    return visit.page("shelf/statement.html", "shelf", statement=found)


@router.get("/shelf/{lot:path}")
def show(visit: Here, lot: str) -> HTMLResponse:
    """One lot with its whole slip."""
    return _lot(visit, lot, wrong=visit.request.query_params.get("wrong", ""))


@router.post("/shelf/{lot:path}")
def move(visit: Here, lot: str, fields: Fields) -> Response:
    """Take jars out, or put back what came back."""
    kind = "came_back" if fields.get("way") == "back" else "taken_out"
    sent = {name: text for name, text in fields.items() if name != "way"} | {"lot": lot}
    try:
        slip.put(visit.db, lots.batch_of_lot(visit.db, lot), kind, sent, visit.now)
    except BadInput as bad:
        return _lot(visit, lot, refilled(fields, bad), kind)
    mine = fields.get("id", "")
    wrong = fields.get("complaint", "").strip()
    ask = f"?wrong={quote(wrong)}" if wrong and kind == "came_back" else ""
    return saved.to(f"/shelf/{quote(lot)}{ask}", mine)


def _lot(visit: Here, lot: str, form: Filled | None = None, moved: str = "", wrong: str = "") -> HTMLResponse:
    context = visit.batch(lots.batch_of_lot(visit.db, lot))
    if context.is_cook:
        return _confection(visit, context, lot, form=form, moved=moved, wrong=wrong)
    graded = context.first(ColourFacts)
    return visit.page(
        "shelf/lot.html",
        "shelf",
        422 if form else 200,
        lot=lot,
        context=context,
        lines=slip.lines(context),
        summary=summary(context),
        drawn=context.of_kind(DrawnFacts),
        sigma_brix=after_draw(context).sigma_brix if context.of_kind(DrawnFacts) else None,
        jars=jars.jars_of(visit.db, lot),
        filled=jars.jars_filled(visit.db, lot),
        choices=choices(context),
        reasons=QUICK_REASONS,
        form=form or Filled(),
        moved=moved,
        trace=flows_of(visit.db, lot, kind=flow.LOT),
        grade=graded.facts.grade if graded else "",
        allergens=allergens(context),
        board=board_now(context),
        clinic=clinic_of(context, lot, wrong),
        promised=kept.promise(visit.db, context.batch.id),
    )


def _confection(
    visit: Here, context: BatchContext, lot: str, *, form: Filled | None, moved: str, wrong: str
) -> HTMLResponse:
    """A lot of a confection."""
    board = pot_of(context)
    score = context.last(ScoredFacts)
    return visit.page(
        "shelf/confection.html",
        "shelf",
        422 if form else 200,
        lot=lot,
        context=context,
        board=board,
        lines=slip.lines(context),
        jars=jars.jars_of(visit.db, lot),
        filled=jars.jars_filled(visit.db, lot),
        choices=choices(context),
        reasons=QUICK_REASONS,
        form=form or Filled(),
        moved=moved,
        trace=flows_of(visit.db, lot, kind=flow.CONFECTION),
        allergens=allergens_of_cook(context, board.cook.from_lot),
        keeps=keeps_of(board),
        score=score,
        clinic=candy_clinic(board, wrong),
        address=f"/shelf/{quote(lot)}",
    )

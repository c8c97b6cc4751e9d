"""Candy: the firmness map, and a cook planned."""

from typing import Any
from urllib.parse import quote

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.core.errors import OutOfRange
from lumbrel.exchange.calendar import as_calendar
from lumbrel.services.base.facts import InvertFacts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.candy import begin, plan
from lumbrel.services.candy import day as days
from lumbrel.services.candy.choices import BATHS, PIECES, WANTED
from lumbrel.services.candy.station import cautions_before
from lumbrel.services.shelf.lots import batch_of_lot
from lumbrel.services.stations import slip, waiting
from lumbrel.store.kitchen import load_kitchen, woodlots
from lumbrel.web.candy import cook
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.words import _

router = RoomRoutes()
router.include_router(cook.router)
ROWS = range(1, days.ROWS + 1)
ASKED = (
    *("syrup", "brix", "piece", "thermometer", "above", "stir", "serving", "pressure", "lot", "meter"),
    *("dilution", "by", "made", "pieces", "each", "jars", "jar", "pot", "bath", "ready"),
    "price",
    "fuel",
)


DAY_ASKED = (*days.STANDARD, *(name.format(i) for i in ROWS for name in (days.PIECE, days.SYRUP)))


def _asked(visit: Visit, names: tuple[str, ...] = ASKED) -> dict[str, str]:
    """What the address says of these."""
    query = visit.request.query_params
    return {name: query[name] for name in names if query.get(name, "").strip()}


@router.get("/candy")
def show(visit: Here) -> HTMLResponse:
    """The map with its point, what suits it, and the cook."""
    return _shown(visit, _asked(visit))


def _shown(visit: Visit, asked: dict[str, str], begun: Filled | None = None) -> HTMLResponse:
    page, errors = _page(visit, asked)
    lot = page.syrup.lot if page.syrup else None
    each = page.cook.plan.syrup_each_kg if page.cook else 0.0
    on = {batch.vessel_id: batch.code for batch in waiting(visit.db)["candy"]}
    planning = bool(errors or begun or set(asked) - {"lot"})
    about = {"cautions": cautions_before(page.chosen.confection)} if planning and page.chosen else {}
    return visit.page(
        "candy/candy.html",
        "candy",
        422 if errors or begun else 200,
        page=page,
        planning=planning,
        form=Filled({**page.typed, **asked}, errors),
        pieces=PIECES,
        wanted=WANTED,
        baths=BATHS,
        begun=begun or Filled(),
        pots=begin.pots(visit.db),
        on=on,
        to_open=begin.to_open(visit.db, lot, each),
        names_open=begin.OPEN.format,
        whose=[(w.id, w.name) for w in woodlots(visit.db, retired=False)],
        **about,
    )


@router.post("/candy/cook")
def start(visit: Here, fields: Fields) -> Response:
    """Begin a cook as it was planned."""
    try:
        code = begin.begin(visit.db, visit.now, fields)
    except BadInput as bad:
        asked = {name: fields[name] for name in ASKED if fields.get(name, "").strip()}
        return _shown(visit, asked, refilled(fields, bad))
    return RedirectResponse(f"/candy/cook/{code}", 303)


@router.post("/candy/invert/{lot:path}")
def invert(visit: Here, lot: str, fields: Fields) -> Response:
    """Put what a glucose meter said of a lot on its batch's slip."""
    slip.put(visit.db, batch_of_lot(visit.db, lot), InvertFacts.key(), fields, visit.now)
    return RedirectResponse(f"/candy?lot={quote(lot)}", 303)


def _page(visit: Visit, asked: dict[str, str]) -> tuple[plan.CandyPage, dict[str, str]]:
    """The page as it was asked for; without what of that is wrong, and why it is."""
    errors: dict[str, str] = {}
    kept: dict[str, Any] = dict(asked)
    while True:
        try:
            return plan.page(visit.db, visit.now, kept), errors
        except BadInput as bad:
            errors |= bad.errors
            left = {name: value for name, value in kept.items() if name not in bad.errors}
            kept = left if len(left) < len(kept) else {}


@router.get("/candy/day")
def day(visit: Here) -> HTMLResponse:
    """A day of several cooks, laid out."""
    asked, errors = _asked(visit, DAY_ASKED), {}
    try:
        laid = days.candy_day(visit.db, visit.now, asked)
    except BadInput as bad:
        laid, errors = None, bad.errors
    return visit.page(
        "candy/day.html",
        "candy",
        422 if errors else 200,
        day=laid,
        form=Filled(days.standard(load_kitchen(visit.db)) | asked, errors),
        pieces=PIECES,
        baths=BATHS,
        rows=ROWS,
    )


@router.get("/candy/day.ics")
def day_as_calendar(visit: Here) -> Response:
    """The day as iCalendar."""
    laid = days.candy_day(visit.db, visit.now, _asked(visit, DAY_ASKED))
    if laid is None:
        raise NotFound(_("No cook is named: lay out a day first."))
    body = as_calendar(laid, load_kitchen(visit.db).name, visit.now)
    headers = {"Content-Disposition": 'attachment; filename="candy-day.ics"'}
    return Response(body, media_type="text/calendar; charset=utf-8", headers=headers)


@router.get("/candy/map")
def moved(visit: Here) -> HTMLResponse:
    """The map alone, while its point is dragged."""
    try:
        page = plan.page(visit.db, visit.now, _asked(visit), only_map=True)
    except (BadInput, OutOfRange) as error:
        sentence = next(iter(error.errors.values())) if isinstance(error, BadInput) else error.sentence
        return HTMLResponse(sentence, 422)
    return visit.fragment("candy/firmness.html", page=page)

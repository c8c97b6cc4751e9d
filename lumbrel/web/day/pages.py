"""The day check and its printed card."""

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.base.figures import FIGURES
from lumbrel.services.base.form import BadInput
from lumbrel.services.day import checks, entries, ladder
from lumbrel.services.stations import book
from lumbrel.store.instruments import BarometerDetail, instruments_of
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here
from lumbrel.web.shell.room import RoomRoutes

router = RoomRoutes()
MAPLE = FIGURES.sugar_kinds[0]


def _day(
    visit: Here, template: str, thermometer: str, sugar: str, form: Filled | None = None
) -> HTMLResponse:
    kind = sugar if sugar in FIGURES.sugar_kinds else MAPLE
    day = ladder.today(visit.db, visit.now, thermometer, kind)
    return visit.page(
        template,
        "day",
        422 if form else 200,
        day=day,
        thermometer_names=[(t.instrument.id, t.instrument.name) for t in day.thermometers],
        barometers=[(b.id, b.name) for b in instruments_of(visit.db, BarometerDetail)],
        form=form or Filled(),
        noted_lines=book.with_words(visit.db, checks.of_the_day(visit.db, visit.now)),
    )


@router.get("/day")
def show(visit: Here, thermometer: str = "", sugar: str = MAPLE) -> HTMLResponse:
    """Where water boils today, and the heat ladder."""
    return _day(visit, "day/day.html", thermometer, sugar)


@router.get("/day/card")
def card(visit: Here, thermometer: str = "", sugar: str = MAPLE) -> HTMLResponse:
    """The day's card for the wall."""
    return _day(visit, "day/card.html", thermometer, sugar)


@router.post("/day/pressure")
def pressure(visit: Here, fields: Fields) -> Response:
    """Take elevation, station pressure or a forecast."""
    try:
        entries.set_pressure(visit.db, visit.now, fields)
    except BadInput as bad:
        return _day(visit, "day/day.html", "", MAPLE, refilled(fields, bad))
    return RedirectResponse("/day", 303)


@router.post("/day/test-boil")
def test_boil(visit: Here, fields: Fields) -> Response:
    """Take a reading in boiling water."""
    chosen = fields.get("thermometer", "")
    try:
        entries.test_boil(visit.db, visit.now, fields)
    except BadInput as bad:
        return _day(visit, "day/day.html", chosen, MAPLE, refilled(fields, bad))
    return RedirectResponse(f"/day?thermometer={chosen}", 303)

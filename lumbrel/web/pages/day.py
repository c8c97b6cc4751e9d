"""The day check and its printed card."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.core.bench.thermometer import offset_sigma_k
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.services import day as service
from lumbrel.services import day_forms
from lumbrel.services.typed import BadInput
from lumbrel.store.instruments import instruments
from lumbrel.web.render import Filled, page, refilled
from lumbrel.web.request import Db, Fields, Now

router = APIRouter()


def _day(
    request: Request, db: Db, now: Now, template: str, thermometer: str, sugar: str,
    form: Filled | None = None,
) -> HTMLResponse:  # fmt: skip
    kind = sugar if sugar in DEFAULT_INVERT_FRACTION else "maple"
    day = service.today(db, now, thermometer, kind)
    sigma = 0.0
    if day.chosen and day.chosen.boil:
        sort = str(day.chosen.instrument.detail.get("sort", "digital"))
        sigma = offset_sigma_k(sort, day.chosen.boil.pressure_sigma_pa)
    return page(
        request, db, template, "day", 422 if form else 200, day=day, offset_sigma=sigma,
        thermometer_names=[(t.instrument.id, t.instrument.name) for t in day.thermometers],
        barometers=[(b.id, b.name) for b in instruments(db, "barometer")], form=form or Filled(),
    )  # fmt: skip


@router.get("/day")
def show(
    request: Request, db: Db, now: Now, thermometer: str = "", sugar: str = "maple"
) -> HTMLResponse:
    """Where water boils today, and the heat ladder."""
    return _day(request, db, now, "day/day.html", thermometer, sugar)


@router.get("/day/card")
def card(
    request: Request, db: Db, now: Now, thermometer: str = "", sugar: str = "maple"
) -> HTMLResponse:
    """The day's card for the wall."""
    return _day(request, db, now, "day/card.html", thermometer, sugar)


@router.post("/day/pressure")
def pressure(request: Request, db: Db, now: Now, fields: Fields) -> Response:
    """Take elevation, station pressure or a forecast."""
    try:
        day_forms.set_pressure(db, now, fields)
    except BadInput as bad:
        return _day(request, db, now, "day/day.html", "", "maple", refilled(fields, bad))
    return RedirectResponse("/day", 303)


@router.post("/day/test-boil")
def test_boil(request: Request, db: Db, now: Now, fields: Fields) -> Response:
    """Take a reading in boiling water."""
    chosen = fields.get("thermometer", "")
    try:
        day_forms.test_boil(db, now, fields)
    except BadInput as bad:
        return _day(request, db, now, "day/day.html", chosen, "maple", refilled(fields, bad))
    return RedirectResponse(f"/day?thermometer={chosen}", 303)

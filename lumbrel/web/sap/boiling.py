"""A boil-down: its plan, and the fire lit."""

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.base.form import BadInput
from lumbrel.services.pan.board import FAR_MINUTES
from lumbrel.services.sap import boil, boil_plan
from lumbrel.services.sap import fire as fires
from lumbrel.services.sap.station import BOIL_CAUTIONS
from lumbrel.services.stations import slip
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.sap.draws_picture import draws
from lumbrel.web.shell import saved
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes

router = RoomRoutes()
HERE = "sap"


@router.get("/sap/boil")
def plan(visit: Here) -> HTMLResponse:
    """The plan of a boil-down."""
    return _plan(visit, dict(visit.request.query_params))


def _plan(visit: Visit, asked: dict[str, str], form: Filled | None = None) -> HTMLResponse:
    page, read = boil.page(visit.db, asked, visit.now)
    return visit.page(
        "sap/boil.html",
        HERE,
        422 if form else 200,
        page=page,
        asked=Filled(asked, read.errors, {}, "plan"),
        form=form or Filled(),
        setups=list(boil.SETUPS.items()),
        fuels=[(key, boil.FUELS[key]) for key in boil.FITS[page.setup]],
        measures=boil.measures_of(load_kitchen(visit.db), page.fuel),
        said=boil.SAID,
        target_brix=page.plan.target_brix if page.plan else boil_plan.TARGET_BRIX,
        usual_channels=boil.USUAL_CHANNELS,
        armful_kg=boil_plan.ARMFUL_KG,
        boil_cautions=BOIL_CAUTIONS,
    )


@router.post("/sap/boil")
def light(visit: Here, fields: Fields) -> Response:
    """Light the fire: a batch of sap from a tank."""
    try:
        code = fires.light(visit.db, fields, visit.now)
    except BadInput as bad:
        return _plan(visit, fields, refilled(fields, bad))
    return RedirectResponse(f"/pan/{code}", 303)


@router.get("/sap/fire/{code}")
def fire(visit: Here, code: str) -> HTMLResponse:
    """A boil-down that is under way: feed it, stoke it, go on after a night."""
    return _fire(visit, code)


def _fire(visit: Visit, code: str, form: Filled | None = None, kind: str = "") -> HTMLResponse:
    context = visit.batch(code)
    return visit.page(
        "sap/fire.html",
        HERE,
        422 if form else 200,
        page=fires.fire(context),
        context=context,
        lines=slip.lines(context),
        form=form or Filled(),
        kind=kind,
        setups=list(boil.SETUPS.items()),
        said=boil.SAID,
        armful_kg=boil_plan.ARMFUL_KG,
        far_minutes=FAR_MINUTES,
        draws_picture=draws,
        boil_cautions=BOIL_CAUTIONS,
    )


@router.post("/sap/fire/{code}/on")
def pour_on(visit: Here, code: str, fields: Fields) -> Response:
    """Pour it on into the pan that it is finished in."""
    try:
        on = fires.pour_on(visit.db, code, fields, visit.now)
    except BadInput as bad:
        return _fire(visit, code, refilled(fields, bad), "on")
    return RedirectResponse(f"/pan/{on}", 303)


@router.post("/sap/fire/{code}/{kind}")
def note(visit: Here, code: str, kind: str, fields: Fields) -> Response:
    """Put a line of the boil-down on its slip."""
    try:
        slip.put(visit.db, code, kind, fields, visit.now)
    except BadInput as bad:
        return _fire(visit, code, refilled(fields, bad), kind)
    return saved.to(f"/sap/fire/{code}", fields.get("id", ""))

"""Sap: the week, the tanks, collections and the weather."""

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.sap import contents, gathered_sap, gathering, played, runs, tanks, weather
from lumbrel.services.sap.overview import overview as overview_of
from lumbrel.store.kitchen import woodlots
from lumbrel.web.sap import boiling, seasons, wood
from lumbrel.web.shell import saved
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.words import _
from lumbrel.worlds.outdoors import station_of

router = RoomRoutes()
HERE = "sap"


@router.get("/sap")
def overview(visit: Here, woodlot: str = "") -> HTMLResponse:
    """The week, what stands in the tanks, and what each woodlot has given."""
    return visit.page("sap/sap.html", HERE, page=overview_of(visit.db, visit.now, woodlot))


@router.get("/sap/gather")
def gather(visit: Here, woodlot: str = "") -> HTMLResponse:
    """The form for a collection."""
    return _gather(visit, woodlot)


def _gather(visit: Visit, woodlot: str, form: Filled | None = None) -> HTMLResponse:
    return visit.page(
        "sap/gather.html",
        HERE,
        422 if form else 200,
        page=gathering.page(visit.db, woodlot, visit.now),
        form=form or Filled(),
        clarities=list(gathered_sap.CLARITY.items()),
    )


@router.post("/sap/gather")
def gathered(visit: Here, fields: Fields) -> Response:
    """Note a collection."""
    try:
        gathered_sap.gather(visit.db, fields, visit.now)
    except BadInput as bad:
        return _gather(visit, fields.get("woodlot", ""), refilled(fields, bad))
    return saved.to("/sap", fields.get("id", ""))


@router.get("/sap/weather")
def nights_and_days(visit: Here) -> HTMLResponse:
    """The form for a forecast, and what is known."""
    return _weather(visit)


def _weather(visit: Visit, form: Filled | None = None) -> HTMLResponse:
    return visit.page(
        "sap/weather.html",
        HERE,
        422 if form else 200,
        week=runs.week(visit.db, visit.now),
        form=form or Filled(),
        first=visit.local.date(),
        station=visit.workspace.settings.demo,
        count=weather.DAYS,
    )


@router.post("/sap/weather")
def note_weather(visit: Here, fields: Fields) -> Response:
    """Note nights and days: typed, from a file, or from the station."""
    try:
        if fields.get("from") == "station" and visit.workspace.settings.demo:
            station = station_of(visit.local.year)
            weather.from_station(visit.db, station, fields, visit.now)
        elif fields.get("from") == "file":
            weather.from_file(visit.db, fields, visit.upload, visit.now)
        else:
            weather.typed(visit.db, fields, visit.now)
    except BadInput as bad:
        return _weather(visit, refilled(fields, bad))
    return saved.to("/sap", fields.get("id", ""))


@router.post("/sap/tanks")
def add_tank(visit: Here, fields: Fields) -> Response:
    """Register a tank."""
    try:
        tank = tanks.add_tank(visit.db, fields, visit.now)
    except BadInput as bad:
        return visit.page(
            "sap/sap.html", HERE, 422, page=overview_of(visit.db, visit.now, ""), form=refilled(fields, bad)
        )
    return RedirectResponse(f"/sap/tank/{tank}", 303)


@router.get("/sap/tank/{tank}")
def tank(visit: Here, tank: str) -> HTMLResponse:
    """A tank: what stands in it, by when it must be boiled, what came and went."""
    return _tank(visit, tank)


def _tank(visit: Visit, tank: str, form: Filled | None = None) -> HTMLResponse:
    return visit.page(
        "sap/tank.html",
        HERE,
        422 if form else 200,
        view=played.view(visit.db, tank, visit.now),
        others=tanks.others(visit.db, tank),
        noted_lines=visit.noted_of(tank),
        names={w.id: w.name for w in woodlots(visit.db)},
        places=contents.PLACES,
        reasons=list(played.REASONS.items()),
        form=form or Filled(),
        what=form.value("what") if form else "",
    )


CHANGES = {"out": tanks.take_out, "move": tanks.move, "ice": tanks.ice_off, "warm": tanks.warm}


@router.post("/sap/tank/{tank}")
def change_tank(visit: Here, tank: str, fields: Fields) -> Response:
    """Note what left a tank, was pumped over, froze, or how warm it is."""
    change = CHANGES.get(fields.get("what", ""))
    if change is None:
        raise NotFound(_("A tank has no such line."))
    try:
        change(visit.db, tank, fields, visit.now)
    except BadInput as bad:
        return _tank(visit, tank, refilled(fields, bad))
    return saved.to(f"/sap/tank/{tank}", fields.get("id", ""))


router.include_router(wood.router)
router.include_router(boiling.router)
router.include_router(seasons.router)

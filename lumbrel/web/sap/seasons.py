"""The season page, on screen and paper, as CSV and as a calendar."""

import csv
import io

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.exchange.calendar import due_calendar
from lumbrel.services.sap import dues, trees
from lumbrel.services.sap import season as seasons
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.sap.season_picture import season as picture
from lumbrel.web.shell.display import Display
from lumbrel.web.shell.request import Here
from lumbrel.web.shell.room import RoomRoutes

router = RoomRoutes()


@router.get("/sap/season")
def this_season(visit: Here) -> Response:
    """The season at hand."""
    season = trees.season_of(visit.now, load_kitchen(visit.db))
    return RedirectResponse(f"/sap/season/{season}", 303)


@router.get("/sap/due.ics")
def due(visit: Here) -> Response:
    """What is due, as a calendar."""
    kitchen = load_kitchen(visit.db)
    body = due_calendar(dues.due(visit.db, visit.now), kitchen.name, visit.now)
    headers = {"Content-Disposition": 'attachment; filename="lumbrel-due.ics"'}
    return Response(body, media_type="text/calendar", headers=headers)


@router.get("/sap/season/{season}.csv")
def as_csv(visit: Here, season: int) -> Response:
    """The season's days as CSV."""
    out = io.StringIO()
    csv.writer(out).writerows(dues.rows(seasons.season_page(visit.db, season, visit.now)))
    headers = {"Content-Disposition": f'attachment; filename="lumbrel-season-{season}.csv"'}
    return Response(out.getvalue(), media_type="text/csv", headers=headers)


@router.get("/sap/season/{season}")
def show(visit: Here, season: int) -> HTMLResponse:
    """A season: what it was worth."""
    page = seasons.season_page(visit.db, season, visit.now)
    litres = Display(load_kitchen(visit.db)).one("volume")
    return visit.page("sap/season.html", "sap", page=page, drawn=picture(page, litres))

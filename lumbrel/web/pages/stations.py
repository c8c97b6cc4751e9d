"""Filter, colour and jar: the stations after the draw."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.core.colour.grades import CLASSES
from lumbrel.core.jar import hot_pack
from lumbrel.services import context as contexts
from lumbrel.services import kitchen, shelf, slip
from lumbrel.services.drawn import after_draw
from lumbrel.services.typed import BadInput
from lumbrel.store import flow
from lumbrel.web.choices import choices_for
from lumbrel.web.render import Filled, page, refilled
from lumbrel.web.request import Db, Fields, Now

router = APIRouter()
TITLES = {"filter": "Filter", "colour": "Colour of", "jar": "Jar"}
ACTIONS = {"filter": "Filtered", "colour": "Put the colour on the slip", "jar": "Jarred"}
LABELS_A_SHEET = 24


def _waiting(request: Request, db: Db, station: str) -> Response:
    queue = getattr(kitchen.waiting(db), station)
    names = {"filter": "filter", "colour": "grade", "jar": "jar"}
    title = f"Nothing waits to {names[station]}" if not queue else f"Waiting to {names[station]}"
    return page(
        request, db, "pan/none.html", station, title=title, batches=queue,
        lead="A batch comes here when the step before it is on its slip.",
        href="/", action="The kitchen",
    )  # fmt: skip


def _station(
    request: Request, db: Db, now: Now, station: str, code: str, form: Filled | None = None
) -> Response:
    context = contexts.load(db, code, now)
    if context.first("draw") is None:
        return RedirectResponse(f"/pan/{code}", 303)
    after = after_draw(context)
    done = context.first(station)
    following = {
        "filter": ("colour", "Colour"),
        "colour": ("jar", "Jar"),
        "jar": ("shelf", "Shelf"),
    }
    next_key, next_name = following[station]
    more: dict[str, Any] = {"next_text": "", "next_href": "", "next_action": ""}
    if done:
        href = (
            f"/{next_key}/{code}"
            if next_key != "shelf"
            else f"/shelf/{flow.lot_of(db, context.batch.id)}"
        )
        more = {
            "next_text": {"filter": "Filtered.", "colour": "Graded.", "jar": "Jarred."}[station],
            "next_href": href, "next_action": next_name,
        }  # fmt: skip
    lot = flow.lot_of(db, context.batch.id)
    jarred = context.first("jar")
    return page(
        request, db, f"{station}/{station}.html", station, 422 if form else 200, context=context,
        after=after, lines=slip.lines(context), title=TITLES[station], action=ACTIONS[station],
        kind=station, can_add=done is None or station == "jar", choices=choices_for(db, context),
        form=form or Filled(), graded=done.facts if done and station == "colour" else None,
        grades=CLASSES, volume_l=after.mass_kg / hot_pack.mass_kg(after.syrup_brix, 1.0),
        hot_500=500 * hot_pack.fill_volume_l(after.syrup_brix, 85.0, 1.0), lot=lot,
        jars=flow.jars_of(db, lot) if lot else [],
        fill_judged=jarred.facts["hot_pack"] if jarred else "", **more,
    )  # fmt: skip


def _add(station: str) -> None:
    """The three routes of one station."""

    @router.get(f"/{station}", name=f"{station} waiting")
    def waiting(request: Request, db: Db) -> Response:
        return _waiting(request, db, station)

    @router.get(f"/{station}/{{code}}", name=station)
    def show(request: Request, db: Db, now: Now, code: str) -> Response:
        return _station(request, db, now, station, code)

    @router.post(f"/{station}/{{code}}", name=f"put {station}")
    def put(request: Request, db: Db, now: Now, code: str, fields: Fields) -> Response:
        try:
            slip.put(db, code, station, fields, now)
        except BadInput as bad:
            return _station(request, db, now, station, code, refilled(fields, bad))
        return RedirectResponse(f"/{station}/{code}", 303)


for _name in ("filter", "colour", "jar"):
    _add(_name)


@router.get("/jar/{code}/labels")
def labels(request: Request, db: Db, now: Now, code: str) -> HTMLResponse:
    """One printable sheet of labels."""
    return page(
        request, db, "jar/labels.html", "jar", context=contexts.load(db, code, now),
        labels=shelf.labels(db, code, now), most=LABELS_A_SHEET,
    )  # fmt: skip

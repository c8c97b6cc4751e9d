"""Take in: open a batch, with what it becomes shown as it is typed."""

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.base.form import BadInput
from lumbrel.services.take_in import near_syrup, opening
from lumbrel.services.take_in.bounds import LIMITS, MOST_PARTS
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.words import _

router = RoomRoutes()
PART_FIELDS = [f"{name}_{i}" for i in range(2, MOST_PARTS + 1) for name in ("woodlot", "amount", "brix")]


def _page(
    visit: Here, form: Filled, vessel: str = "", measure: str = "", near: tuple[str, Filled] = ("", Filled())
) -> HTMLResponse:
    shown = opening.page(visit.db, visit.now, dict(form.fields))
    choices = [
        (v.id, _("{v} ({busy} in it)", v=v.name, busy=shown.busy[v.id]) if v.id in shown.busy else v.name)
        for v in shown.vessels
    ]
    free = [v.id for v in shown.vessels if v.id not in shown.busy]
    first = vessel if vessel in free else next(iter(free), "")
    woodlots = [(w.id, w.name) for w in shown.woodlots]
    return visit.page(
        "take_in/take_in.html",
        "take_in",
        422 if form.wrong or near[0] else 200,
        page=shown,
        drawn=near_syrup.at_hand(visit.db, visit.now),
        near=near,
        free=[(v.id, v.name) for v in shown.vessels if v.id in free],
        form=form,
        measure=measure if measure in LIMITS else shown.measure,
        part_fields=PART_FIELDS,
        part_woodlots=woodlots,
        vessel_choices=choices,
        first_free=first,
        woodlot_choices=woodlots if len(woodlots) == 1 else [("", _("choose")), *woodlots],
    )


@router.get("/take-in")
def show(visit: Here, vessel: str = "", measure: str = "") -> HTMLResponse:
    """The empty form."""
    return _page(visit, Filled(), vessel, measure)


@router.get("/take-in/{code}")
def drawn(visit: Here, code: str) -> Response:
    """Near-syrup that was drawn of a batch."""
    return RedirectResponse("/take-in", 303)


@router.post("/take-in/near/{code}")
def take_up(visit: Here, code: str, fields: Fields) -> Response:
    """Take near-syrup that was drawn here into the pan that finishes it."""
    try:
        opened = near_syrup.take_up(visit.db, code, fields, visit.now)
    except BadInput as bad:
        return _page(visit, Filled(), near=(code, refilled(fields, bad)))
    return RedirectResponse(f"/pan/{opened}", 303)


@router.post("/take-in/preview")
def preview(visit: Here, fields: Fields) -> HTMLResponse:
    """What the charge becomes, as it is typed; writes nothing."""
    return visit.fragment("take_in/charge.html", page=opening.page(visit.db, visit.now, fields))


@router.post("/take-in")
def open_batch(visit: Here, fields: Fields) -> Response:
    """Open the batch and go to the pan."""
    try:
        code = opening.open_batch(visit.db, visit.now, fields)
    except BadInput as bad:
        return _page(visit, refilled(fields, bad))
    return RedirectResponse(f"/pan/{code}", 303)

"""Take in: open a batch, with what it becomes shown as it is typed."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services import take_in as service
from lumbrel.services.typed import BadInput
from lumbrel.web.render import Filled, fragment, page, refilled
from lumbrel.web.request import Db, Fields, Now

router = APIRouter()


def _page(request: Request, db: Db, now: Now, form: Filled, vessel: str = "") -> HTMLResponse:
    shown = service.page(db, now, dict(form.fields))
    choices = [
        (v.id, f"{v.name} ({shown.busy[v.id]} in it)" if v.id in shown.busy else v.name)
        for v in shown.vessels
    ]
    free = [v.id for v in shown.vessels if v.id not in shown.busy]
    first = vessel if vessel in free else next(iter(free), "")
    return page(
        request, db, "take-in/take_in.html", "take-in", 422 if form.wrong else 200, page=shown,
        form=form, vessel_choices=choices, first_free=first,
        woodlot_choices=[("", "choose")] * (len(shown.woodlots) != 1)
        + [(w.id, w.name) for w in shown.woodlots],
    )  # fmt: skip


@router.get("/take-in")
def show(request: Request, db: Db, now: Now, vessel: str = "") -> HTMLResponse:
    """The empty form."""
    return _page(request, db, now, Filled(), vessel)


@router.post("/take-in/preview")
def preview(request: Request, db: Db, now: Now, fields: Fields) -> HTMLResponse:
    """What the charge becomes, as it is typed; writes nothing."""
    return fragment(request, db, "take-in/charge.html", page=service.page(db, now, fields))


@router.post("/take-in")
def open_batch(request: Request, db: Db, now: Now, fields: Fields) -> Response:
    """Open the batch and go to the pan."""
    try:
        code = service.open_batch(db, now, fields)
    except BadInput as bad:
        return _page(request, db, now, refilled(fields, bad))
    return RedirectResponse(f"/pan/{code}", 303)

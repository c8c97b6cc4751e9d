"""Candy: plans of a boil."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from lumbrel.services.base.form import BadInput
from lumbrel.services.candy import plan
from lumbrel.web.shell.render import refilled
from lumbrel.web.shell.request import Here

router = APIRouter()
ASKED = ("syrup", "brix", "piece", "thermometer")


@router.get("/candy")
def show(visit: Here) -> HTMLResponse:
    """What a charge of syrup becomes at each boil."""
    asked = {k: v for k, v in visit.request.query_params.items() if k in ASKED}
    bad = None
    try:
        shown = plan.page(visit.db, visit.now, asked)
    except BadInput as error:
        bad = error
        shown = plan.page(visit.db, visit.now, {k: v for k, v in asked.items() if k == "piece"})
    return visit.page(
        "candy/candy.html",
        "candy",
        422 if bad else 200,
        page=shown,
        form=refilled(asked if bad else {}, bad),
    )

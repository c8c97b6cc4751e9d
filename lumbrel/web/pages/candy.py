"""Candy: plans of a boil."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from lumbrel.services import candy as service
from lumbrel.services.typed import BadInput
from lumbrel.web.render import page, refilled
from lumbrel.web.request import Db, Now

router = APIRouter()


@router.get("/candy")
def show(request: Request, db: Db, now: Now) -> HTMLResponse:
    """What a charge of syrup becomes at each boil."""
    asked = {
        k: v
        for k, v in request.query_params.items()
        if k in ("syrup", "brix", "piece", "thermometer")
    }
    bad = None
    try:
        shown = service.page(db, now, asked)
    except BadInput as error:
        bad = error
        shown = service.page(db, now, {k: v for k, v in asked.items() if k == "piece"})
    return page(
        request, db, "candy/candy.html", "candy", 422 if bad else 200, page=shown,
        form=refilled(asked if bad else {}, bad),
    )  # fmt: skip

"""Candy: the firmness map, and a cook planned."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.form import BadInput
from lumbrel.services.candy import plan
from lumbrel.services.candy.choices import BATHS, PIECES, WANTED
from lumbrel.web.shell.render import Filled
from lumbrel.web.shell.request import Here, Visit

router = APIRouter()
ASKED = (
    *(
        "syrup",
        "brix",
        "piece",
        "thermometer",
        "above",
        "stir",
        "serving",
        "pressure",
        "lot",
        "meter",
    ),
    *("dilution", "by", "made", "pieces", "each", "jars", "jar", "pot", "bath", "ready"),
)


def _asked(visit: Visit) -> dict[str, str]:
    query = visit.request.query_params
    return {name: query[name] for name in ASKED if query.get(name, "").strip()}


@router.get("/candy")
def show(visit: Here) -> HTMLResponse:
    """The map with its point, what suits it, and the cook."""
    asked = _asked(visit)
    page, errors = _page(visit, asked)
    return visit.page(
        "candy/candy.html",
        "candy",
        422 if errors else 200,
        page=page,
        form=Filled({**page.typed, **asked}, errors),
        pieces=PIECES,
        wanted=WANTED,
        baths=BATHS,
    )


def _page(visit: Visit, asked: dict[str, str]) -> tuple[plan.CandyPage, dict[str, str]]:
    """The page as it was asked for; without what of that is wrong, and why it is."""
    errors: dict[str, str] = {}
    kept: dict[str, Any] = dict(asked)
    while True:
        try:
            return plan.page(visit.db, visit.now, kept), errors
        except BadInput as bad:
            errors |= bad.errors
            left = {name: value for name, value in kept.items() if name not in bad.errors}
            kept = left if len(left) < len(kept) else {}


@router.get("/candy/map")
def moved(visit: Here) -> HTMLResponse:
    """The map alone, while its point is dragged."""
    try:
        page = plan.page(visit.db, visit.now, _asked(visit), only_map=True)
    except (BadInput, OutOfRange) as error:
        sentence = (
            next(iter(error.errors.values())) if isinstance(error, BadInput) else error.sentence
        )
        return HTMLResponse(sentence, 422)
    return visit.fragment("candy/firmness.html", page=page)

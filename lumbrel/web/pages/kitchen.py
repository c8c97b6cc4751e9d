"""The kitchen's first page, and what is registered in it."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.core.units import KINDS
from lumbrel.services import example as examples
from lumbrel.services import kitchen
from lumbrel.services.bench import register as registering
from lumbrel.services.bench.register import IN_THE_CUP, INSTRUMENT_KINDS, REGISTERED
from lumbrel.services.pan import CALL_WORDS
from lumbrel.services.typed import BadInput, NotFound
from lumbrel.web.render import Filled, page, refilled
from lumbrel.web.request import Db, Fields, Now

router = APIRouter()
KIND_NAMES = {kind: kind for kind in INSTRUMENT_KINDS} | {"reference": "set of colour references"}


@router.get("/")
def overview(request: Request, db: Db, now: Now) -> HTMLResponse:
    """The kitchen as it stands."""
    return page(
        request, db, "kitchen/overview.html", "kitchen", page=kitchen.overview(db, now),
        call_words=CALL_WORDS,
    )  # fmt: skip


@router.post("/kitchen/example")
def example(db: Db) -> Response:
    """Load the example kitchen; again is harmless."""
    examples.load_example(db)
    return RedirectResponse("/day", 303)


def _settings(
    request: Request, db: Db, which: str = "", form: Filled | None = None, saved: bool = False
) -> HTMLResponse:
    register = registering.register(db)
    return page(
        request, db, "kitchen/settings.html", "settings", 422 if form else 200, register=register,
        which=which, form=form or Filled(), blank=Filled(), saved=saved,
        names={kind: what.name for kind, what in KINDS.items()},
        offers={kind: [(u.key, u.symbol) for u in what.units] for kind, what in KINDS.items()},
        vessel_names={v.id: v.name for v in register.vessels},
        instrument_kinds=INSTRUMENT_KINDS, kind_names=KIND_NAMES,
        places=[
            ("", "nothing, held by hand"), *((v.id, v.name) for v in register.vessels),
            (IN_THE_CUP, "the hydrometer cup"),
        ],
    )  # fmt: skip


@router.get("/kitchen")
def settings(request: Request, db: Db, saved: str = "") -> HTMLResponse:
    """Settings, units, vessels, woodlots, instruments."""
    return _settings(request, db, saved=bool(saved))


@router.post("/kitchen")
def save(request: Request, db: Db, fields: Fields) -> Response:
    """Save the settings."""
    try:
        kitchen.save_settings(db, fields)
    except BadInput as bad:
        return _settings(request, db, "settings", refilled(fields, bad))
    return RedirectResponse("/kitchen?saved=1", 303)


@router.post("/kitchen/add/{what}")
def add(request: Request, db: Db, what: str, fields: Fields) -> Response:
    """Register a vessel, woodlot or instrument."""
    if what not in REGISTERED:
        raise NotFound(f"A kitchen registers {', '.join(REGISTERED)}.")
    try:
        registering.add_to_kitchen(db, what, fields)
    except BadInput as bad:
        return _settings(request, db, what, refilled(fields, bad))
    return RedirectResponse("/kitchen?saved=1", 303)

"""One instrument: its page and its reference card."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services import instruments as service
from lumbrel.services.typed import BadInput, NotFound
from lumbrel.store.kitchen import Instrument, instruments, retire_instrument
from lumbrel.web.render import Filled, page, refilled
from lumbrel.web.request import Db, Fields, Now

router = APIRouter(prefix="/kitchen/instrument")


def _instrument(db: Db, key: str) -> Instrument:
    found = next((i for i in instruments(db, retired=True) if i.id == key), None)
    if found is None:
        raise NotFound("There is no such instrument; the kitchen's page lists all.")
    return found


def _card(db: Db, instrument: Instrument) -> dict[str, Any]:
    """The card of an instrument, when its kind has one."""
    detail = instrument.detail
    if instrument.kind == "hydrometer":
        own = service.hydrometer_of(db, instrument)
        learnt = service.own_curve(db, instrument)
        return {
            "card": service.hydrometer_card(own),
            "solutions": service.check_solutions(
                own, detail["scale_low_brix"], detail["scale_high_brix"]
            ), "row_name": "cup", "signed": False,
            "learnt": learnt if learnt.used else None,
        }  # fmt: skip
    if instrument.kind == "refractometer":
        return {
            "card": service.refractometer_card(),
            "solutions": service.check_solutions(
                None, detail["range_low_brix"], detail["range_high_brix"]
            ), "row_name": "drop", "signed": True,
            "learnt": None,
        }  # fmt: skip
    return {"card": None, "solutions": [], "row_name": "", "signed": False, "learnt": None}


def _profile(
    request: Request, db: Db, now: Now, key: str, form: Filled | None = None
) -> HTMLResponse:
    instrument = _instrument(db, key)
    return page(
        request, db, "kitchen/instrument.html", "settings", 422 if form else 200, both=False,
        one=service.profile(db, instrument, now), form=form or Filled(), **_card(db, instrument),
    )  # fmt: skip


@router.get("/{key}")
def show(request: Request, db: Db, now: Now, key: str) -> HTMLResponse:
    """Its history, its curve, and whether to trust it today."""
    return _profile(request, db, now, key)


@router.post("/{key}/ice")
def ice(request: Request, db: Db, now: Now, key: str, fields: Fields) -> Response:
    """Take a thermometer's reading in melting ice."""
    instrument = _instrument(db, key)
    if instrument.kind != "thermometer":
        raise NotFound("Only a thermometer is put in melting ice.")
    try:
        service.take_ice_point(db, instrument, now, fields)
    except BadInput as bad:
        return _profile(request, db, now, key, refilled(fields, bad))
    return RedirectResponse(f"/kitchen/instrument/{key}", 303)


@router.get("/{key}/card")
def card(request: Request, db: Db, key: str) -> HTMLResponse:
    """Its reference card on one sheet."""
    instrument = _instrument(db, key)
    shown = _card(db, instrument)
    if shown["card"] is None:
        raise NotFound(
            f"{instrument.name} has no card of its own; the day card serves a thermometer."
        )
    return page(
        request, db, "kitchen/instrument_card.html", "settings", both=True, instrument=instrument,
        **shown,
    )  # fmt: skip


@router.post("/{key}/retire")
def retire(db: Db, now: Now, key: str) -> Response:
    """Retire it; what it measured stays."""
    retire_instrument(db, _instrument(db, key).id, now)
    return RedirectResponse(f"/kitchen/instrument/{key}", 303)


@router.post("/{key}/take-up")
def take_up(db: Db, key: str) -> Response:
    """Take a retired instrument into use again."""
    retire_instrument(db, _instrument(db, key).id, None)
    return RedirectResponse(f"/kitchen/instrument/{key}", 303)

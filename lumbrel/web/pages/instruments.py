"""One instrument: its page, its checks, and its reference card."""

from datetime import timedelta
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services import day as days
from lumbrel.services import probe_intake
from lumbrel.services.bench import cards, checks, curves, profile
from lumbrel.services.typed import BadInput, Form, NotFound
from lumbrel.store import probes
from lumbrel.store.instruments import Instrument, instruments, retire_instrument
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.render import Filled, page, refilled
from lumbrel.web.request import Db, Fields, Now

router = APIRouter(prefix="/kitchen/instrument")


def _instrument(db: Db, key: str) -> Instrument:
    found = next((i for i in instruments(db, retired=True) if i.id == key), None)
    if found is None:
        raise NotFound("There is no such instrument; the kitchen's page lists all.")
    return found


def _card(db: Db, instrument: Instrument, now: Now) -> dict[str, Any]:
    """The card of an instrument, when its kind has one."""
    detail = instrument.detail
    shown: dict[str, Any] = {"card": None, "solutions": [], "learnt": None}
    if instrument.kind == "hydrometer":
        own = curves.hydrometer_of(db, instrument, now)
        learnt = curves.own_curve(db, instrument, now)
        shown |= {
            "card": cards.hydrometer_card(own),
            "solutions": cards.check_solutions(
                own, detail["scale_low_brix"], detail["scale_high_brix"]
            ),
            "learnt": learnt if learnt.used else None,
        }
    elif instrument.kind == "refractometer":
        shown |= {
            "card": cards.refractometer_card(),
            "solutions": cards.check_solutions(
                None, detail["range_low_brix"], detail["range_high_brix"]
            ),
        }
    elif instrument.kind == "thermometer":
        today = days.today(db, now, instrument.id)
        if today.pressure and today.chosen and today.chosen.instrument.id == instrument.id:
            shown["card"] = cards.thermometer_card(today)
    return shown


def _profile(
    request: Request,
    db: Db,
    now: Now,
    key: str,
    form: Filled | None = None,
    about: str = "",
    token: str = "",
) -> HTMLResponse:
    instrument = _instrument(db, key)
    mixing = Form(dict(request.query_params), load_kitchen(db))
    mixture, mixed = None, Filled(mixing.fields)
    try:
        mixture = checks.mixture(mixing)
    except BadInput as bad:
        mixed = refilled(mixing.fields, bad)
    return page(
        request, db, "kitchen/instrument.html", "settings", 422 if form else 200, both=False,
        one=profile.profile(db, instrument, now), form=form or Filled(), about=about,
        blank=Filled(), token=token, troubles=probes.troubles(db, instrument.id, now - timedelta(days=7)),
        mixture=mixture, mixed=mixed, **_card(db, instrument, now),
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
        checks.take_ice_point(db, instrument, now, fields)
    except BadInput as bad:
        return _profile(request, db, now, key, refilled(fields, bad), "ice")
    return RedirectResponse(f"/kitchen/instrument/{key}", 303)


@router.post("/{key}/token")
def token(request: Request, db: Db, now: Now, key: str) -> Response:
    """A token for a probe over HTTP, shown this once."""
    instrument = _instrument(db, key)
    if instrument.kind != "thermometer":
        raise NotFound("Only a thermometer sends samples.")
    return _profile(request, db, now, key, token=probe_intake.new_token(db, instrument.id, now))


@router.post("/{key}/check")
def check(request: Request, db: Db, now: Now, key: str, fields: Fields) -> Response:
    """Take what it shows in water, in a weighed solution, or beside a better one."""
    instrument = _instrument(db, key)
    if instrument.kind not in ("hydrometer", "refractometer", "barometer"):
        raise NotFound("Only a hydrometer, a refractometer or a barometer is checked so.")
    try:
        checks.take_scale_check(db, instrument, now, fields)
    except BadInput as bad:
        return _profile(request, db, now, key, refilled(fields, bad), "check")
    return RedirectResponse(f"/kitchen/instrument/{key}", 303)


@router.get("/{key}/card")
def card(request: Request, db: Db, now: Now, key: str) -> HTMLResponse:
    """Its reference card on one sheet."""
    instrument = _instrument(db, key)
    shown = _card(db, instrument, now)
    if shown["card"] is None:
        raise NotFound(f"{instrument.name} has no card: set the day first, or it needs none.")
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

"""One instrument: its page, its checks, and its reference card."""

from datetime import timedelta
from typing import Any

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.services.access.roles import OWNER
from lumbrel.services.base.cache import record_key
from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.bench import checks, profile
from lumbrel.services.bench.cards import card_of
from lumbrel.services.bench.places import places
from lumbrel.services.kitchen.change import edit_instrument
from lumbrel.services.probes import intake
from lumbrel.store import probes
from lumbrel.store.db import transaction
from lumbrel.store.instruments import Detail, Instrument, ThermometerDetail, instruments, retire_instrument
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.bench.sending import Sending, lines_for
from lumbrel.web.kitchen.typed import of_instrument
from lumbrel.web.shell.display import Display
from lumbrel.web.shell.network import Network
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes, least
from lumbrel.words import _

router = RoomRoutes(prefix="/kitchen/instrument")
TROUBLES_FOR = timedelta(days=7)
CHECKED = ("hydrometer", "refractometer", "barometer")


def _instrument(visit: Here, key: str) -> Instrument[Detail]:
    found = next((i for i in instruments(visit.db, retired=True) if i.id == key), None)
    if found is None:
        raise NotFound(_("There is no such instrument; the kitchen's page lists all."))
    return found


def _thermometer(visit: Here, key: str, refusal: str) -> Instrument[Detail]:
    found = _instrument(visit, key)
    if not isinstance(found.detail, ThermometerDetail):
        raise NotFound(refusal)
    return found


def _card(visit: Here, instrument: Instrument[Detail]) -> dict[str, Any]:
    """The card of an instrument, when its kind has one."""
    found = card_of(visit.db, instrument, visit.now)
    return {"card": found.card, "solutions": found.solutions, "learnt": found.learnt}


def _profile(
    visit: Here, key: str, form: Filled | None = None, about: str = "", token: str = ""
) -> HTMLResponse:
    """Its page; `about` says which of its forms was refused."""
    instrument = _instrument(visit, key)
    mixing = Form(dict(visit.request.query_params), load_kitchen(visit.db))
    mixture, mixed = None, Filled(mixing.fields)
    try:
        mixture = checks.mixture(mixing)
    except BadInput as bad:
        mixed = refilled(mixing.fields, bad)
    refused = form or Filled()
    since = visit.now - TROUBLES_FOR
    return visit.page(
        "bench/instrument.html",
        "settings",
        422 if form else 200,
        one=profile.profile(visit.db, instrument, visit.now),
        noted_lines=visit.noted_of(key),
        check_form=(refused if about == "check" else Filled()).named("check"),
        ice_form=(refused if about == "ice" else Filled()).named("ice"),
        about=about,
        token=token,
        sending=_sending(visit, token),
        **_to_change(visit, instrument, refused if about == "change" else None),
        troubles=probes.troubles(visit.db, instrument.id, since),
        mixture=mixture,
        mixed=mixed.named("mix"),
        **_card(visit, instrument),
    )


def _to_change(visit: Here, instrument: Instrument[Detail], refused: Filled | None) -> dict[str, Any]:
    """Its form as it is registered, or as it was sent."""
    typed = of_instrument(instrument, Display(load_kitchen(visit.db)))
    return {
        "f": (refused or Filled(typed)).named("change"),
        "kind": instrument.kind,
        "places": places(visit.db, instrument.kind),
    }


@router.post("/{key}/change")
@least(OWNER)
def change(visit: Here, key: str, fields: Fields) -> Response:
    """Change what it is registered as; what it measured stays as it was read."""
    try:
        edit_instrument(visit.db, key, fields, visit.now)
    except BadInput as bad:
        return _profile(visit, key, refilled(fields, bad), "change")
    return RedirectResponse(f"/kitchen/instrument/{key}", 303)


def _sending(visit: Visit, token: str) -> Sending | None:
    """The lines for a small board; None while the kitchen is closed to its network."""
    network: Network | None = visit.request.app.state.network
    if network is None or not network.opening.is_open:
        return None
    return lines_for(network.opening.urls()[0], token)


@router.get("/{key}")
def show(visit: Here, key: str) -> HTMLResponse:
    """Its history, its curve, and whether to trust it today."""
    return _profile(visit, key)


@router.post("/{key}/ice")
def ice(visit: Here, key: str, fields: Fields) -> Response:
    """Take a thermometer's reading in melting ice."""
    instrument = _thermometer(visit, key, _("Only a thermometer is put in melting ice."))
    try:
        checks.take_ice_point(visit.db, instrument, visit.now, fields)
    except BadInput as bad:
        return _profile(visit, key, refilled(fields, bad), "ice")
    return RedirectResponse(f"/kitchen/instrument/{key}", 303)


@router.post("/{key}/token")
@least(OWNER)
def token(visit: Here, key: str, fields: Fields) -> Response:
    """A token for a probe over HTTP, shown this once. The same form sent again (the page loaded
    anew) shows the same one and ends none."""
    instrument = _thermometer(visit, key, _("Only a thermometer sends samples."))
    sent = (record_key(visit.db), instrument.id, Form(fields, load_kitchen(visit.db)).client_id())
    made = visit.workspace.cache.shelf("tokens").get(
        sent, lambda: intake.new_token(visit.db, instrument.id, visit.now)
    )
    return _profile(visit, key, token=made)


@router.post("/{key}/check")
def check(visit: Here, key: str, fields: Fields) -> Response:
    """Take what it shows in water, in a weighed solution, or beside a better one."""
    instrument = _instrument(visit, key)
    if instrument.kind not in CHECKED:
        raise NotFound(_("Only a hydrometer, a refractometer or a barometer is checked so."))
    try:
        checks.take_scale_check(visit.db, instrument, visit.now, fields)
    except BadInput as bad:
        return _profile(visit, key, refilled(fields, bad), "check")
    return RedirectResponse(f"/kitchen/instrument/{key}", 303)


@router.get("/{key}/card")
def card(visit: Here, key: str) -> HTMLResponse:
    """Its reference card on one sheet."""
    instrument = _instrument(visit, key)
    shown = _card(visit, instrument)
    if shown["card"] is None:
        raise NotFound(
            _("{instrument} has no card: set the day first, or it needs none.", instrument=instrument.name)
        )
    return visit.page("bench/instrument_card.html", "settings", instrument=instrument, **shown)


def _by(fields: dict[str, str]) -> str:
    return fields.get("initials", "")[:8]


@router.post("/{key}/retire")
def retire(visit: Here, key: str, fields: Fields) -> Response:
    """Retire it; what it measured stays."""
    with transaction(visit.db):
        retire_instrument(visit.db, _instrument(visit, key).id, visit.now, initials=_by(fields))
    return RedirectResponse(f"/kitchen/instrument/{key}", 303)


@router.post("/{key}/take-up")
def take_up(visit: Here, key: str, fields: Fields) -> Response:
    """Take a retired instrument into use again."""
    with transaction(visit.db):
        retire_instrument(
            visit.db, _instrument(visit, key).id, visit.now, retired=False, initials=_by(fields)
        )
    return RedirectResponse(f"/kitchen/instrument/{key}", 303)

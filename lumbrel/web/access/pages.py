"""Letting devices in from the network, and putting them out."""

from datetime import timedelta
from typing import Any

import segno
from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from markupsafe import Markup

from lumbrel.services.access.certificates import Authority
from lumbrel.services.access.codes import Offer
from lumbrel.services.access.doorkeeper import Entered, MustWait
from lumbrel.services.access.roles import LOOKER, OWNER, ROLES
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.web.shell.caller import MACHINE, PUBLIC, caller_of
from lumbrel.web.shell.gate import ENTER, door_of
from lumbrel.web.shell.network import CannotOpen, Network
from lumbrel.web.shell.render import STATIC, TEMPLATES, Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit, local_address
from lumbrel.web.shell.room import RoomRoutes, least
from lumbrel.web.shell.settings import system_clock
from lumbrel.web.shell.tongue import choose_language
from lumbrel.words import _

router = RoomRoutes()
HOME = "/kitchen/network"
KINDS_OF_DEVICE = (("iPad", _("tablet")), ("Mobi", _("phone")), ("Android", _("tablet")))
"""What a browser calls itself by, and what a person would call it."""


def _network(visit: Visit) -> Network:
    """The door to the network.

    Raises:
        NotFound: what is served answers this machine only.
    """
    found: Network | None = visit.request.app.state.network
    if found is None:
        raise NotFound(_("This record is served to this machine only."))
    return found


def _home(
    visit: Visit, which: str = "", form: Filled | None = None, offer: Offer | None = None
) -> HTMLResponse:
    network, now = _network(visit), system_clock()
    keeper, opening = network.doorkeeper, network.opening
    urls = opening.urls() if opening.is_open else []
    proves_itself = opening.is_open and opening.sealed and not opening.proxied
    forms = {name: Filled(name=name) for name in ("passphrase", "pair")}
    if form and which:
        forms[which] = form.named(which)
    return visit.page(
        "access/network.html",
        "settings",
        422 if form else 200,
        form=form or Filled(),
        forms=forms,
        which=which,
        opening=opening,
        announced=network.announced,
        urls=urls,
        fingerprint=_in_lines(network.authority().fingerprint) if proves_itself else [],
        has_passphrase=keeper.has_passphrase,
        devices=[(device, ago(now - device.seen_at)) for device in keeper.devices()],
        tries=keeper.wrong_tries(now),
        roles=list(ROLES.items()),
        offer=offer,
        code_picture=_code_picture(f"{urls[0]}{ENTER}?code={offer.code}") if offer else "",
        code_minutes=max(round((offer.ends_at - now).total_seconds() / 60), 0) if offer else 0,
    )


@router.get(HOME)
@least(OWNER)
def home(visit: Here) -> HTMLResponse:
    """Whether the kitchen is open to its network, to whom, and who tried."""
    return _home(visit)


@router.post(f"{HOME}/passphrase")
@least(MACHINE)
def choose_passphrase(visit: Here, fields: Fields) -> Response:
    """Choose the passphrase."""
    try:
        _network(visit).doorkeeper.choose_passphrase(
            fields.get("passphrase", ""), fields.get("again", ""), system_clock()
        )
    except BadInput as bad:
        return _home(visit, "passphrase", Filled({}, bad.errors, bad.asks))
    return RedirectResponse(HOME, 303)


@router.post(f"{HOME}/open")
@least(MACHINE)
async def open_it(visit: Here, fields: Fields) -> Response:
    """Open the kitchen to its network; open already, nothing happens."""
    try:
        await _network(visit).open(plain=bool(fields.get("plain")))
    except CannotOpen as error:
        return _home(visit, "open", Filled(fields, {"open": str(error)}))
    return RedirectResponse(HOME, 303)


@router.post(f"{HOME}/close")
@least(MACHINE)
async def close_it(visit: Here, fields: Fields) -> Response:
    """Close it again; closed already, nothing happens."""
    await _network(visit).close()
    return RedirectResponse(HOME, 303)


@router.post(f"{HOME}/pair")
@least(OWNER)
def offer_code(visit: Here, fields: Fields) -> Response:
    """A code for one device, shown once."""
    network = _network(visit)
    try:
        if not network.opening.is_open:
            raise BadInput({"role": _("Open the kitchen to its network first.")})
        offer = network.doorkeeper.offer(fields.get("role", ""), system_clock())
    except BadInput as bad:
        return _home(visit, "pair", refilled(fields, bad))
    return _home(visit, offer=offer)


@router.post(HOME + "/device/{key}")
@least(OWNER)
def change(visit: Here, key: str, fields: Fields) -> Response:
    """Name a device anew, or give it another role."""
    try:
        _network(visit).doorkeeper.change(key, fields)
    except BadInput as bad:
        return _home(visit, key, refilled(fields, bad))
    return RedirectResponse(HOME, 303)


@router.post(HOME + "/device/{key}/out")
@least(OWNER)
def put_out(visit: Here, key: str, fields: Fields) -> Response:
    """Put a device out."""
    _network(visit).doorkeeper.put_out(key, system_clock())
    return RedirectResponse(HOME, 303)


def _enter(request: Request, form: Filled | None = None, status: int = 200) -> Response:
    door = door_of(request.scope)
    if door is None:
        return RedirectResponse("/", 303)
    shown = form or Filled({"code": request.query_params.get("code", "")[:40]})
    return _plain(
        "access/enter.html",
        status,
        form=shown,
        to=local_address(request.query_params.get("to", "") or shown.fields.get("to", "")),
        kind=_kind_of_device(request.headers.get("user-agent", "")),
        sealed=door.sealed,
        by_passphrase="passphrase" in shown.fields or "passphrase" in shown.errors,
    )


@router.get(ENTER)
@least(PUBLIC)
def enter(request: Request) -> Response:
    """Where a device is let in; one that is in goes on."""
    if caller_of(request.scope).device:
        return RedirectResponse(local_address(request.query_params.get("to", "")), 303)
    return _enter(request)


@router.post(ENTER)
@least(PUBLIC)
def pair(request: Request, fields: Fields) -> Response:
    """Let a device in by its code."""
    return _let_in(request, fields, by_passphrase=False)


@router.post(f"{ENTER}/passphrase")
@least(PUBLIC)
def sign_in(request: Request, fields: Fields) -> Response:
    """Let an owner's device in by the passphrase."""
    return _let_in(request, fields, by_passphrase=True)


def _let_in(request: Request, fields: dict[str, str], *, by_passphrase: bool) -> Response:
    door = door_of(request.scope)
    if door is None:
        return RedirectResponse("/", 303)
    keeper, origin = door.doorkeeper, door.origin(request.scope)
    way = keeper.sign_in if by_passphrase else keeper.pair
    kept = {k: v for k, v in fields.items() if k != "passphrase"}
    field = "passphrase" if by_passphrase else "code"
    try:
        entered: Entered = way(fields, origin, system_clock())
    except MustWait as error:
        answer = _enter(request, Filled(kept, {field: str(error)}), 429)
        answer.headers["Retry-After"] = str(error.seconds)
        return answer
    except BadInput as bad:
        return _enter(request, Filled(kept, bad.errors), 422)
    answer = RedirectResponse(local_address(fields.get("to", "")), 303)
    door.let_in(answer, entered.secret)
    return answer


@router.post("/initials")
@least(LOOKER)
def hand_over(visit: Here, fields: Fields) -> Response:
    """A device changes hands: what is written on it from now on is another person's."""
    door, device = door_of(visit.request.scope), visit.caller.device
    if door and device:
        named = {"name": device.name, "initials": fields.get("initials", ""), "role": device.role}
        door.doorkeeper.change(device.id, named)
    return RedirectResponse(local_address(fields.get("to", "")), 303)


@router.post("/language")
@least(PUBLIC)
def speak(request: Request, fields: Fields) -> Response:
    """This device is in a language of its own from now on, or in the kitchen's."""
    answer = RedirectResponse(local_address(fields.get("to", "")), 303)
    choose_language(answer, fields.get("language", ""))
    return answer


@router.post("/leave")
@least(LOOKER)
def leave(visit: Here, fields: Fields) -> Response:
    """A device goes by itself."""
    door, device = door_of(visit.request.scope), visit.caller.device
    if door is None or device is None:
        return RedirectResponse("/", 303)
    door.doorkeeper.put_out(device.id, system_clock())
    answer = RedirectResponse(ENTER, 303)
    door.let_out(answer)
    return answer


@router.get("/trust")
@least(PUBLIC)
def trust(request: Request) -> Response:
    """How a device comes to trust this kitchen's certificates, once."""
    # Who is to compare it looks at the machine's own screen: what a stranger is sent proves nothing.
    here = caller_of(request.scope).here
    shown = _in_lines(_authority(request).fingerprint) if here else []
    return _plain("access/trust.html", 200, fingerprint=shown)


@router.get("/trust/authority.crt")
@least(PUBLIC)
def authority_file(request: Request) -> Response:
    """The authority's certificate, for phones and tablets."""
    headers = {"Content-Disposition": 'attachment; filename="lumbrel-kitchen.crt"'}
    kind = "application/x-x509-ca-cert"
    return Response(_authority(request).der, media_type=kind, headers=headers)


@router.get("/trust/authority.pem")
@least(PUBLIC)
def authority_text(request: Request) -> Response:
    """The authority's certificate, for programs and small boards."""
    headers = {"Content-Disposition": 'attachment; filename="lumbrel-kitchen.pem"'}
    kind = "application/x-pem-file"
    return Response(_authority(request).pem, media_type=kind, headers=headers)


def _authority(request: Request) -> Authority:
    network: Network | None = request.app.state.network
    if network is None:
        raise NotFound(_("This record is served to this machine only."))
    return network.authority()


def _plain(template: str, status: int, **shown: Any) -> HTMLResponse:
    """A page for who is not let in yet: it needs and tells nothing of the record."""
    known = {"static": STATIC, "form": Filled()}
    return HTMLResponse(TEMPLATES.get_template(template).render(known | shown), status)


def _kind_of_device(agent: str) -> str:
    return next((kind for word, kind in KINDS_OF_DEVICE if word in agent), _("computer"))


def _code_picture(address: str) -> Markup:
    """An address as a QR code: dark on light by day and by night."""
    made = segno.make(address, error="m", micro=False)
    drawn = made.svg_inline(scale=1, border=4, dark="#000", light="#fff", omitsize=True)
    return Markup(drawn)


def _in_lines(fingerprint: str) -> list[str]:
    """A fingerprint in four lines of eight pairs, to be compared by eye."""
    pairs = fingerprint.split(":")
    return [" ".join(pairs[i : i + 8]) for i in range(0, len(pairs), 8)]


def ago(since: timedelta) -> str:
    """How long ago, in the largest unit that says it."""
    seconds = max(since.total_seconds(), 0)
    for size, word in ((86400, "d"), (3600, "h"), (60, "min")):
        if seconds >= size:
            return _("{seconds} {word} ago", seconds=int(seconds // size), word=word)
    return _("now")

"""What is plugged into this machine or speaks to it: what it shows now, and as which instrument it is used."""

from functools import partial

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.devices.measured import MASS, PRESSURE
from lumbrel.devices.pretend import PretendProbe, PretendScale
from lumbrel.devices.wires.simulated_pan import pan
from lumbrel.services.access.roles import OWNER
from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.kitchen import told
from lumbrel.services.probes import outside
from lumbrel.services.probes.ear import SourceSeen
from lumbrel.services.probes.ears import MQTT, Ears
from lumbrel.services.probes.uses import uses
from lumbrel.store import sources as store
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.shell.display import Display
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.words import _

router = RoomRoutes(prefix="/kitchen/sources", reads=OWNER, writes=OWNER)
HOME = "/kitchen/sources"
MOST_PRETEND = 4


def _ears(visit: Visit) -> Ears:
    """What listens.

    Raises:
        NotFound: in practice nothing is plugged in.
    """
    if visit.workspace.pan:
        raise NotFound(_("In practice nothing is plugged in. Leave practice first."))
    found: Ears = visit.request.app.state.ears
    return found


def _page(visit: Visit, form: Filled | None = None, sort: str = "") -> HTMLResponse:
    named = {one: store.outside(visit.db, one) for one in outside.SORTS}
    forms = {one: Filled(name=one) for one in outside.SORTS}
    if broker := outside.broker_of(visit.db):
        known = {key: str(value) for key, value in broker.detail.items() if value and value is not True}
        ticked = {"tells": "1"} if broker.detail["tells"] else {}
        forms[MQTT] = Filled({"address": broker.address} | known | ticked, name=MQTT)
    if form and sort:
        forms[sort] = form.named(sort)
    return visit.page(
        "kitchen/sources.html",
        "settings",
        422 if form else 200,
        named=named,
        forms=forms,
        refused=sort,
        broker=_ears(visit).broker,
        **_known(visit, None if sort else form),
    )


def _known(visit: Visit, form: Filled | None = None) -> dict[str, object]:
    seen = _ears(visit).look(visit.db)
    unused = [one for one in seen if one.where[0] == MQTT and not one.used_as]
    shown = partial(_shown, Display(load_kitchen(visit.db)))
    return {
        "shown": shown,
        "heard": [(one.where[1], f"{one.name}: {shown(one)}") for one in unused],
        "seen": [one for one in seen if one not in unused],
        "topics": unused,
        "uses": uses(visit.db),
        "form": form or Filled(),
    }


def _shown(show: Display, one: SourceSeen) -> str:
    """What it shows, as the kitchen reads it; empty where that is nothing."""
    if one.value is None:
        return ""
    if one.inside is None:
        return show.number(one.value.number, 1)
    if one.quantity == PRESSURE:
        return show(one.inside / 100, "pressure")
    return show(one.inside, "mass", 2) if one.quantity == MASS else show(one.inside, "temperature", 1)


@router.get("")
def show(visit: Here) -> HTMLResponse:
    """All that is plugged in."""
    return _page(visit)


@router.get("/near")
def near(visit: Here) -> HTMLResponse:
    """The same, as a piece of the page that is looked at."""
    return visit.fragment("kitchen/sources_near.html", **_known(visit))


@router.post("/use")
def use(visit: Here, fields: Fields) -> Response:
    """Use a source as an instrument."""
    chosen = dict(fields)
    if chosen.get("instrument") == "other":
        chosen["instrument"] = chosen.get("other", "")
    try:
        _ears(visit).use(visit.db, Form(chosen, load_kitchen(visit.db)), visit.now)
    except BadInput as bad:
        return _page(visit, refilled(fields, bad))
    return RedirectResponse(HOME, 303)


@router.post("/leave")
def leave(visit: Here, fields: Fields) -> Response:
    """Use a source no more."""
    _ears(visit).leave(visit.db, Form(fields, load_kitchen(visit.db)))
    return RedirectResponse(HOME, 303)


@router.post("/pretend")
def pretend(visit: Here, fields: Fields) -> Response:
    """Plug a pretend probe or scale in, where nobody has one: in the demonstration."""
    state = visit.request.app.state
    if not visit.workspace.settings.demo:
        raise NotFound(_("A pretend probe is the demonstration’s only."))
    if len(state.pretend) < MOST_PRETEND:
        made = PretendScale if fields.get("what") == "scale" else PretendProbe
        state.pretend.append(made(pan()))
    return RedirectResponse(HOME, 303)


@router.post("/at/{sort}")
def listen(visit: Here, sort: str, fields: Fields) -> Response:
    """Listen to a port, a folder or a broker, or no more."""
    ears, record = _ears(visit), visit.workspace.settings.database
    if sort not in outside.SORTS:
        raise NotFound(_("That is nothing that is listened to."))
    form = Form(fields, load_kitchen(visit.db))
    try:
        if form.ticked("forget"):
            outside.forget(visit.db, sort, form, record)
        else:
            outside.name(visit.db, sort, form, record, visit.now)
    except BadInput as bad:
        return _page(visit, refilled(fields, bad), sort)
    if sort == MQTT:
        told.speak_with_broker(ears, visit.db, record)
    return RedirectResponse(HOME, 303)

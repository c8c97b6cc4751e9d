"""What is plugged into this machine: what it shows now, and as which thermometer it is used."""

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.devices.pretend import PretendProbe
from lumbrel.devices.wires.simulated_pan import pan
from lumbrel.services.access.roles import OWNER
from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.probes.ears import Ears
from lumbrel.store.instruments import ThermometerDetail, instruments_of
from lumbrel.store.kitchen import load_kitchen, vessels
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


def _page(visit: Visit, form: Filled | None = None) -> HTMLResponse:
    return visit.page("kitchen/sources.html", "settings", 422 if form else 200, **_known(visit, form))


def _known(visit: Visit, form: Filled | None = None) -> dict[str, object]:
    glasses = instruments_of(visit.db, ThermometerDetail)
    return {
        "seen": _ears(visit).look(visit.db),
        "glasses": [one for one in glasses if one.in_use(visit.now)],
        "places": {one.id: one.name for one in vessels(visit.db)},
        "form": form or Filled(),
    }


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
    """Use a source as a thermometer."""
    try:
        _ears(visit).use(visit.db, Form(fields, load_kitchen(visit.db)), visit.now)
    except BadInput as bad:
        return _page(visit, refilled(fields, bad))
    return RedirectResponse(HOME, 303)


@router.post("/leave")
def leave(visit: Here, fields: Fields) -> Response:
    """Use a source no more."""
    _ears(visit).leave(visit.db, Form(fields, load_kitchen(visit.db)))
    return RedirectResponse(HOME, 303)


@router.post("/pretend")
def pretend(visit: Here) -> Response:
    """Plug a pretend probe in, where nobody has one: in the demonstration."""
    state = visit.request.app.state
    if not visit.workspace.settings.demo:
        raise NotFound(_("A pretend probe is the demonstration’s only."))
    if len(state.pretend) < MOST_PRETEND:
        state.pretend.append(PretendProbe(pan(), _("Pretend probe")))
    return RedirectResponse(HOME, 303)

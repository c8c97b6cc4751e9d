"""What is told elsewhere: an address in the web, a calendar, figures for who watches over machines."""

import hmac
import secrets

from fastapi.responses import HTMLResponse, RedirectResponse, Response

from lumbrel.exchange.calendar import due_calendar
from lumbrel.services.access.roles import OWNER
from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.kitchen.figures import as_metrics
from lumbrel.services.kitchen.herald import WEBHOOK, Herald
from lumbrel.services.kitchen.hooks import forget, name
from lumbrel.services.kitchen.told import due_at_the_fire
from lumbrel.services.sap import dues
from lumbrel.store import secrets as kept_secrets
from lumbrel.store import sources
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.shell.caller import PUBLIC, caller_of
from lumbrel.web.shell.doorway import vouch_for
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes, least
from lumbrel.words import _

router = RoomRoutes(reads=OWNER, writes=OWNER)
HOME = "/kitchen/told"
READER = "reader"


def _page(visit: Visit, form: Filled | None = None) -> HTMLResponse:
    if visit.workspace.pan:
        raise NotFound(_("In practice nobody is told anything. Leave practice first."))
    record, herald = visit.workspace.settings.database, visit.request.app.state.herald
    assert isinstance(herald, Herald)
    return visit.page(
        "kitchen/told.html",
        "settings",
        422 if form else 200,
        hooks=sources.outside(visit.db, WEBHOOK),
        messengers=herald.messengers,
        secret=kept_secrets.secret(record, WEBHOOK),
        key=kept_secrets.secret(record, READER),
        base=str(visit.request.base_url).rstrip("/"),
        form=form or Filled(),
    )


@router.get(HOME)
def show(visit: Here) -> HTMLResponse:
    """All that is told."""
    return _page(visit)


@router.post(HOME)
def hook(visit: Here, fields: Fields) -> Response:
    """Tell an address in the web what rings, or no more."""
    form, record = Form(fields, load_kitchen(visit.db)), visit.workspace.settings.database
    try:
        if form.ticked("forget"):
            forget(visit.db, form)
        else:
            name(visit.db, form, record, visit.now)
    except BadInput as bad:
        return _page(visit, refilled(fields, bad))
    return RedirectResponse(HOME, 303)


@router.post(f"{HOME}/key")
def key(visit: Here) -> Response:
    """A new key for calendar and figures; the one before it opens nothing any more."""
    kept_secrets.keep_secret(visit.workspace.settings.database, READER, secrets.token_urlsafe(24))
    return RedirectResponse(HOME, 303)


def _require_key(visit: Visit, sent: str) -> None:
    """Let in who has the key, or sits at the machine, or was let in anyway.

    Raises:
        NotFound: nobody of these.
    """
    known = kept_secrets.secret(visit.workspace.settings.database, READER)
    scheme, _any, token = visit.request.headers.get("authorization", "").partition(" ")
    given = sent or (token.strip() if scheme.lower() == "bearer" else "")
    if known and hmac.compare_digest(given.encode(), known.encode()):
        vouch_for(visit.request.scope)
    elif caller_of(visit.request.scope).stranger:
        raise NotFound(_("Make a key for it in the settings, under Told elsewhere."))


@router.get("/calendar.ics")
@least(PUBLIC)
def calendar(visit: Here, key: str = "") -> Response:
    """What is due, for a calendar that looks again and again."""
    _require_key(visit, key)
    kitchen = load_kitchen(visit.db)
    found = [*dues.due(visit.db, visit.now), *due_at_the_fire(visit.db, visit.now)]
    return Response(due_calendar(found, kitchen.name, visit.now), media_type="text/calendar")


@router.get("/metrics")
@least(PUBLIC)
def metrics(visit: Here, key: str = "") -> Response:
    """Figures in the open metrics format."""
    _require_key(visit, key)
    body, sort = as_metrics(visit.db, visit.now, visit.workspace.settings.database)
    return Response(body, headers={"content-type": sort})

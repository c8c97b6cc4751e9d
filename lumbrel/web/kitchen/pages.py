"""The kitchen's first page, and what is registered in it."""

import logging
from collections.abc import Callable, Iterator
from sqlite3 import Connection

from fastapi.responses import HTMLResponse, RedirectResponse, Response, StreamingResponse
from starlette.types import Receive, Scope, Send

from lumbrel.core.units import KINDS
from lumbrel.exchange import logbook
from lumbrel.services.access.roles import OWNER
from lumbrel.services.base.codes import called
from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.base.progress import Progress, Stopped
from lumbrel.services.bench.places import places
from lumbrel.services.kitchen import change as changing
from lumbrel.services.kitchen import example as examples
from lumbrel.services.kitchen import register as registering
from lumbrel.services.kitchen.alarm_choices import alarm_choices, choose_alarms
from lumbrel.services.kitchen.elsewhere import name_folder, said_of
from lumbrel.services.kitchen.overview import overview as overview_of
from lumbrel.services.kitchen.register import INSTRUMENT_KINDS, REGISTERED
from lumbrel.services.kitchen.safekeeping import automatic
from lumbrel.services.kitchen.settings import PRESET_NAMES, save_settings, use_units
from lumbrel.services.kitchen.setup import AT_HAND, WHERE, set_up
from lumbrel.services.pan.alarms import near_minutes
from lumbrel.services.pan.rate import learned_rate
from lumbrel.services.record.settings import last_set
from lumbrel.services.stations import book
from lumbrel.store.elsewhere import second_folder
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.kitchen import typed as typed_out
from lumbrel.web.shell.answer import SpokenJSON
from lumbrel.web.shell.caller import MACHINE
from lumbrel.web.shell.display import Display
from lumbrel.web.shell.render import Filled, refilled
from lumbrel.web.shell.request import LAST_NOTED, Fields, Here, Visit
from lumbrel.web.shell.room import RoomRoutes, least
from lumbrel.words import _, joined

LOG = logging.getLogger("lumbrel.web")
router = RoomRoutes()
KIND_NAMES = {kind: called(kind) for kind in INSTRUMENT_KINDS}


@router.get("/")
def overview(visit: Here) -> HTMLResponse:
    """The kitchen as it stands."""
    return _overview(visit)


def _overview(visit: Here, form: Filled | None = None) -> HTMLResponse:
    shown = overview_of(visit.db, visit.now)
    return visit.page(
        "kitchen/overview.html",
        "kitchen",
        422 if form else 200,
        page=shown,
        form=form or Filled(),
        at_hand=list(AT_HAND.items()),
        where=list(WHERE.items()),
        presets=list(PRESET_NAMES.items()),
    )


@router.post("/kitchen/setup")
@least(OWNER)
def set_up_kitchen(visit: Here, fields: Fields) -> Response:
    """Equip an empty kitchen by its three questions."""
    try:
        leads = set_up(visit.db, visit.now, fields)
    except BadInput as bad:
        return _overview(visit, refilled(fields, bad))
    return RedirectResponse(leads.href, 303)


@router.post("/kitchen/units/{preset}")
@least(OWNER)
def set_units(visit: Here, preset: str) -> Response:
    """All units at once."""
    use_units(visit.db, preset, visit.now)
    return RedirectResponse("/kitchen?saved=1", 303)


@router.post("/kitchen/example")
@least(OWNER)
def example(visit: Here) -> Response:
    """Load the example kitchen; again is harmless."""
    examples.load_example(visit.db, visit.now)
    return RedirectResponse("/day", 303)


def _settings(visit: Here, which: str = "", form: Filled | None = None, saved: bool = False) -> HTMLResponse:
    register = registering.register(visit.db)
    # Each form of the page under a name of its own; the one that was refused with what was typed.
    forms = {name: Filled(name=name) for name in ("settings", "elsewhere", *REGISTERED)}
    if form and which:
        forms[which] = form.named(which)
    return visit.page(
        "kitchen/settings.html",
        "settings",
        422 if form else 200,
        register=register,
        which=which,
        forms=forms,
        saved=saved,
        backups=automatic(folder) if (folder := visit.workspace.settings.backups) else None,
        elsewhere=(second := second_folder(visit.db)),
        elsewhere_said=said_of(second, visit.now),
        near_minutes=near_minutes(load_kitchen(visit.db)),
        presets=list(PRESET_NAMES.items()),
        names={kind: what.name for kind, what in KINDS.items()},
        offers={kind: [(u.key, u.symbol) for u in what.offered] for kind, what in KINDS.items()},
        vessel_names={v.id: v.name for v in register.vessels},
        instrument_kinds=INSTRUMENT_KINDS,
        kind_names=KIND_NAMES,
        places_of={kind: places(visit.db, kind) for kind in INSTRUMENT_KINDS},
        fires=registering.FIRE_CHOICES,
        noted_lines=book.with_words(visit.db, last_set(visit.db, LAST_NOTED)),
    )


@router.post("/kitchen/elsewhere")
@least(MACHINE)
def second(visit: Here, fields: Fields) -> Response:
    """Name the second folder of the backups."""
    form = Form(fields, load_kitchen(visit.db))
    try:
        name_folder(visit.db, form, visit.workspace.settings.database, visit.now)
    except BadInput as bad:
        return _settings(visit, "elsewhere", refilled(fields, bad))
    return RedirectResponse("/kitchen?saved=1", 303)


@router.get("/kitchen")
def settings(visit: Here, saved: str = "") -> HTMLResponse:
    """Settings, units, vessels, woodlots, instruments."""
    return _settings(visit, saved=bool(saved))


@router.post("/kitchen")
@least(OWNER)
def save(visit: Here, fields: Fields) -> Response:
    """Save the settings."""
    try:
        save_settings(visit.db, fields, visit.now)
    except BadInput as bad:
        return _settings(visit, "settings", refilled(fields, bad))
    return RedirectResponse("/kitchen?saved=1", 303)


@router.get("/kitchen/logbook.json")
@least(OWNER)
def as_json(visit: Here, errand: str = "") -> Response:
    """The whole logbook as one document."""
    return _download(visit, errand, logbook.parts, "application/json", "lumbrel-logbook.json")


@router.get("/kitchen/logbook.zip")
@least(OWNER)
def as_csv(visit: Here, errand: str = "") -> Response:
    """The whole logbook as tables."""
    return _download(visit, errand, logbook.csv_zip_parts, "application/zip", "lumbrel-logbook.zip")


@router.get("/kitchen/errand/{key}")
@least(OWNER)
def errand_under_way(visit: Here, key: str) -> Response:
    """How far something long has come that a page asked for."""
    errand = visit.workspace.errands.find(key)
    if errand is None:
        raise NotFound(_("Nothing of that name is under way."))
    return SpokenJSON({"said": errand.said, "share": errand.share, "over": errand.is_over})


@router.post("/kitchen/errand/{key}/stop")
@least(OWNER)
def stop_errand(visit: Here, key: str, fields: Fields) -> Response:
    """Stop it; again is harmless."""
    errand = visit.workspace.errands.find(key)
    if errand is None:
        raise NotFound(_("Nothing of that name is under way."))
    errand.is_stopped = errand.is_stopped or not errand.is_over
    return RedirectResponse("/kitchen", 303)


def _download(
    visit: Visit,
    key: str,
    parts_of: Callable[[Connection, Progress], Iterator[str | bytes]],
    kind: str,
    name: str,
) -> Response:
    """Sent as it is written; who stops it stops the writing."""
    workspace, errand = visit.workspace, visit.workspace.errands.begin(key, _("Written"))

    def parts() -> Iterator[str | bytes]:
        whole = False
        try:
            with workspace.open() as db:
                yield from parts_of(db, errand)
            whole = True
        finally:
            errand.over(whole=whole)

    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Download(parts(), media_type=kind, headers=headers)


class Download(StreamingResponse):
    """A file that is sent as it is written; stopped, it is cut off, so that the browser knows it for no whole one."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        try:
            await super().__call__(scope, receive, send)
        except* Stopped:
            LOG.info("a download was stopped")


@router.get("/kitchen/alarms")
def alarms(visit: Here, saved: str = "") -> HTMLResponse:
    """Which alarms ring for which vessel."""
    return visit.page("kitchen/alarms.html", "settings", choices=alarm_choices(visit.db), saved=bool(saved))


@router.post("/kitchen/alarms")
@least(OWNER)
def save_alarms(visit: Here, fields: Fields) -> Response:
    """Choose which alarms ring."""
    choose_alarms(visit.db, fields, visit.now)
    return RedirectResponse("/kitchen/alarms?saved=1", 303)


def _vessel(visit: Here, key: str, form: Filled | None = None, saved: bool = False) -> HTMLResponse:
    vessel = changing.vessel_of(visit.db, key)
    typed = Filled(typed_out.of_vessel(vessel, Display(load_kitchen(visit.db))))
    return visit.page(
        "kitchen/vessel.html",
        "settings",
        422 if form else 200,
        vessel=vessel,
        rate=learned_rate(visit.db, vessel, visit.now),
        fires=registering.FIRE_CHOICES,
        f=form or typed,
        form=form or Filled(),
        saved=saved,
        noted_lines=visit.noted_of(key),
    )


@router.get("/kitchen/vessel/{key}")
def vessel(visit: Here, key: str, saved: str = "") -> HTMLResponse:
    """One vessel, and what it was registered as before."""
    return _vessel(visit, key, saved=bool(saved))


@router.post("/kitchen/vessel/{key}")
@least(OWNER)
def change_vessel(visit: Here, key: str, fields: Fields) -> Response:
    """Change what a vessel is registered as."""
    try:
        changing.edit_vessel(visit.db, key, fields, visit.now)
    except BadInput as bad:
        return _vessel(visit, key, refilled(fields, bad))
    return RedirectResponse(f"/kitchen/vessel/{key}?saved=1", 303)


@router.post("/kitchen/add/{what}")
@least(OWNER)
def add(visit: Here, what: str, fields: Fields) -> Response:
    """Register a vessel, woodlot or instrument."""
    if what not in REGISTERED:
        raise NotFound(_("A kitchen registers {REGISTERED}.", REGISTERED=joined(", ", REGISTERED)))
    try:
        registering.add_to_kitchen(visit.db, what, fields, visit.now)
    except BadInput as bad:
        return _settings(visit, what, refilled(fields, bad))
    return RedirectResponse("/kitchen?saved=1", 303)

"""Health, the documentation's page, how a typed quantity is understood, and what is not there."""

import sqlite3
from dataclasses import replace
from typing import Any

from fastapi import Query, Request
from fastapi.responses import HTMLResponse
from starlette.exceptions import HTTPException

from lumbrel import __version__
from lumbrel.core import units
from lumbrel.core.errors import OutOfRange
from lumbrel.services.access.roles import LOOKER
from lumbrel.services.kitchen.safekeeping import automatic
from lumbrel.services.kitchen.settings import UNIT_PRESETS
from lumbrel.services.take_in.entries import measured_by
from lumbrel.store.book import written_so_far
from lumbrel.store.disk import disk_of
from lumbrel.store.kitchen import load_kitchen
from lumbrel.store.safe import nature
from lumbrel.web.shell.answer import SpokenJSON
from lumbrel.web.shell.display import Display
from lumbrel.web.shell.render import TEMPLATES
from lumbrel.web.shell.request import Here
from lumbrel.web.shell.room import RoomRoutes, least
from lumbrel.web.shell.workspace import Workspace
from lumbrel.words import _

router = RoomRoutes()
last = RoomRoutes()
UNITS_OF_THEIR_OWN = ("brix", "percent", "count")
"""Kinds that are shown in one unit only."""
AMOUNT = "amount"
"""What its unit says: a mass, a volume or a depth."""
UNIT_WANTED = _("Type its unit too, as 31.5 kg or 7 gal; without one it is what is chosen above.")


@router.get("/healthz", tags=["meta"])
def health(request: Request) -> SpokenJSON:
    """Whether the record can be read and its newest line is there; what it is; its last backup; whether its disk is full."""
    own: Workspace = request.app.state.workspace
    answer: dict[str, Any] = {"status": "ok", "version": __version__}
    if not own.settings.database.exists():
        return _unwell(answer, _("The record is gone: its file is not there any more."))
    try:
        with own.open() as db:
            answer["record"] = {
                "is_a": nature(db),
                "tables": db.execute("PRAGMA user_version").fetchone()[0],
                "lines": written_so_far(db),
            }
    except sqlite3.Error as error:
        return _unwell(answer, _("The record cannot be read: {error}.", error=error))
    disk = disk_of(own.settings.database)
    answer["disk"] = {"free_bytes": disk.free_bytes}
    if own.settings.backups is not None:
        answer["last_backup"] = next(iter(automatic(own.settings.backups).days), None)
    return _unwell(answer, disk.said) if disk.is_full else SpokenJSON(answer)


def _unwell(answer: dict[str, Any], why: str) -> SpokenJSON:
    return SpokenJSON(answer | {"status": "unwell", "why": why}, 503)


@router.get("/api/constant", include_in_schema=False)
async def constant() -> dict[str, float]:
    """A constant, the yardstick of the benchmark."""
    return {"brix": 66.08, "uncertainty_brix": 0.5}


@router.get("/api/docs", include_in_schema=False)
async def docs() -> HTMLResponse:
    """The API's documentation, from shipped assets."""
    return HTMLResponse(TEMPLATES.get_template("api/docs.html").render(version=__version__))


@router.get("/api/understood", tags=["meta"])
def understood(
    visit: Here,
    kind: str = Query(max_length=20),
    text: str = Query(max_length=60),
    preset: str = Query("", max_length=20),
) -> dict[str, str | bool | float | None]:
    """How a quantity is understood as it is typed, in the kitchen's units and the other one; `preset` names
    units that are only being chosen."""
    if kind == AMOUNT:
        kind = measured_by(text, "mass")
        if not any(letter.isalpha() for letter in text):
            return {"ok": False, "said": UNIT_WANTED, "value": None, "unit": ""}
    if kind not in units.KINDS:
        raise OutOfRange(_("The kind must be one of {KINDS}.", KINDS=", ".join(units.KINDS)), "kind")
    kitchen = load_kitchen(visit.db)
    kitchen = replace(kitchen, units=UNIT_PRESETS.get(preset, kitchen.units))
    try:
        typed = units.parse(text, kind, kitchen.units.get(kind, ""))
    except OutOfRange as error:
        return {"ok": False, "said": error.sentence, "value": None, "unit": ""}
    show = Display(kitchen)
    said = show(typed.value, kind)
    if kind not in UNITS_OF_THEIR_OWN:
        said += f", {show.both(typed.value, kind)}"
    inside = units.KINDS[kind].inside.symbol
    return {"ok": True, "said": said, "value": typed.value, "unit": inside}


@last.api_route("/api/{path:path}", methods=["GET", "POST", "PUT", "DELETE"], include_in_schema=False)
@least(LOOKER)
async def nothing_here(path: str) -> None:
    """Anything else under /api/ is answered as JSON."""
    raise HTTPException(404, _("There is no such calculation; see /api/docs."))

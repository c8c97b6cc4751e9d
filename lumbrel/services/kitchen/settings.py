"""The kitchen's settings as they are typed."""

from dataclasses import replace
from sqlite3 import Connection
from zoneinfo import ZoneInfo

from lumbrel.core.units import KINDS
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.day.entries import ELEVATION
from lumbrel.services.pan.alarms import NEAR_MINUTES
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import load_kitchen, save_kitchen

TARGET = Bounds(
    "target",
    "brix",
    66.0,
    68.9,
    "The target lies between 66.0, the usual legal floor, and 68.9, above which crystals form.",
)
MARGIN = Bounds("margin", "brix", 0, 5, "The draw margin lies between 0 and 5 Brix.")
CALL_AHEAD = Bounds(
    "near_minutes", "minutes", 0, 60, "A call ahead lies between 0 (none) and 60 minutes."
)
CALL_AHEAD_K = Bounds(
    "near_k", "difference", 0, 10, "A call ahead lies between 0 (none) and 10 K (18 °F)."
)


def save_settings(db: Connection, fields: dict[str, str]) -> None:
    """Name, elevation, target, draw margin, time zone and units.

    Raises:
        BadInput: a field is wrong.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    name = form.text("name", "Give the kitchen a name; it stands on the labels.", 80)
    elevation = form.between(ELEVATION, required=False)
    target = form.between(TARGET)
    margin = form.between(MARGIN)
    zone = _zone(form)
    ahead = form.between(CALL_AHEAD, required=False)
    ahead_k = form.between(CALL_AHEAD_K, required=False)
    units = {kind: _unit(form, kind) for kind in kitchen.units}
    form.check()
    assert target is not None and margin is not None
    settings = replace(
        kitchen,
        name=name,
        elevation_m=elevation,
        time_zone=zone,
        target_brix=target,
        draw_margin_brix=margin,
        units=units,
        both_units=form.ticked("both_units"),
        alarms={"near_minutes": NEAR_MINUTES if ahead is None else ahead, "near_k": ahead_k or 0.0},
    )
    with transaction(db):
        save_kitchen(db, settings)


def _zone(form: Form) -> str:
    zone = form.text("time_zone", limit=60)
    try:
        ZoneInfo(zone or "UTC")
    except (KeyError, ValueError, OSError):
        form.errors["time_zone"] = (
            "Type a zone as Europe/Vienna or America/Toronto, or leave it empty."
        )
    return zone


def _unit(form: Form, kind: str) -> str:
    allowed = [unit.key for unit in KINDS[kind].units]
    return form.choice(f"unit_{kind}", allowed, f"Choose {' or '.join(allowed)}.")

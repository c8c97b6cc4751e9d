"""The kitchen's settings as they are typed."""

from dataclasses import replace
from sqlite3 import Connection
from zoneinfo import ZoneInfo

from lumbrel.core.units import KINDS
from lumbrel.services.base.form import Form
from lumbrel.services.pan.alarms import NEAR_MINUTES
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import load_kitchen, save_kitchen


def save_settings(db: Connection, fields: dict[str, str]) -> None:
    """Name, elevation, target, draw margin, time zone and units.

    Raises:
        BadInput: a field is wrong.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    name = form.text("name", "Give the kitchen a name; it stands on the labels.", 80)
    elevation = form.between(
        "elevation",
        "elevation",
        -430,
        5000,
        "Elevation must lie between −430 and 5000 m (−1410 and 16 400 ft).",
        required=False,
    )
    target = form.between(
        "target",
        "brix",
        66.0,
        68.9,
        "The target lies between 66.0, the usual legal floor, and 68.9, above which crystals form.",
    )
    margin = form.between("margin", "brix", 0, 5, "The draw margin lies between 0 and 5 Brix.")
    zone = form.text("time_zone", limit=60)
    try:
        ZoneInfo(zone or "UTC")
    except (KeyError, ValueError, OSError):
        form.errors["time_zone"] = (
            "Type a zone as Europe/Vienna or America/Toronto, or leave it empty."
        )
    ahead = form.between(
        "near_minutes",
        "minutes",
        0,
        60,
        "A call ahead lies between 0 (none) and 60 minutes.",
        required=False,
    )
    ahead_k = form.between(
        "near_k",
        "difference",
        0,
        10,
        "A call ahead lies between 0 (none) and 10 K (18 °F).",
        required=False,
    )
    units = {}
    for kind in kitchen.units:
        allowed = [unit.key for unit in KINDS[kind].units]
        units[kind] = form.choice(f"unit_{kind}", allowed, f"Choose {' or '.join(allowed)}.")
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

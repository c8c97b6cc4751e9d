"""The kitchen's settings as they are typed."""

from dataclasses import replace
from datetime import UTC, datetime
from sqlite3 import Connection
from zoneinfo import ZoneInfo

from lumbrel.core.units import KINDS
from lumbrel.services.base.form import Bounds, Form, NotFound, local_time
from lumbrel.services.day.entries import ELEVATION
from lumbrel.services.pan.alarms import NEAR_MINUTES
from lumbrel.services.record.kept import follow
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import DEFAULT_UNITS, load_kitchen, save_kitchen
from lumbrel.store.zone import machine_zone
from lumbrel.words import _, joined, listed

TARGET = Bounds(
    "target",
    "brix",
    66.0,
    68.9,
    _("The target must be between 66.0, the usual legal minimum, and 68.9, above which crystals form."),
)
MARGIN = Bounds("margin", "brix", 0, 5, _("The draw margin must be between 0 and 5 Brix."))
CALL_AHEAD = Bounds(
    "near_minutes", "minutes", 0, 60, _("A call ahead must be between 0 (none) and 60 minutes.")
)
CALL_AHEAD_K = Bounds(
    "near_k", "difference", 0, 10, _("A call ahead must be between 0 (none) and 10 K (18 °F).")
)


UNIT_PRESETS: dict[str, dict[str, str]] = {
    "metric": dict(DEFAULT_UNITS),
    "us": {
        "temperature": "F",
        "difference": "F",
        "pressure": "inHg",
        "elevation": "ft",
        "depth": "in",
        "mass": "lb",
        "piece": "oz",
        "girth": "in",
        "volume": "gal",
        "jar": "floz",
        "clock": "12",
        "paper": _("Letter"),
    },
    "imperial": {
        "temperature": "F",
        "difference": "F",
        "pressure": "inHg",
        "elevation": "ft",
        "depth": "in",
        "mass": "lb",
        "piece": "oz",
        "girth": "in",
        "volume": "igal",
        "jar": "ml",
    },
}
"""One press sets all; each can be changed by itself."""
PRESET_NAMES = {"metric": _("metric"), "us": _("US"), "imperial": _("imperial gallons")}


def use_units(db: Connection, preset: str, now: datetime) -> None:
    """Set all units at once.

    Raises:
        NotFound: there is no such set of units.
    """
    if preset not in UNIT_PRESETS:
        raise NotFound(_("Units come as {values}.", values=joined(", ", PRESET_NAMES.values())))
    with transaction(db):
        kitchen = load_kitchen(db)
        kept = {"language": kitchen.language}
        save_kitchen(db, replace(kitchen, units=UNIT_PRESETS[preset] | kept), now)


TOLL = Bounds("toll", "percent", 0, 100, _("The kitchen's share must be between 0 and 100 %."))


def save_settings(db: Connection, fields: dict[str, str], now: datetime) -> None:
    """Name, elevation, target, draw margin, time zone and units. What is another than before holds
    from now on, or from the day that was typed beside it; what was before stays as it was.

    Raises:
        BadInput: a field is wrong.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    name = form.text("name", _("Give the kitchen a name; it stands on the labels."), 80)
    elevation = form.between(ELEVATION, required=False)
    target = form.between(TARGET)
    margin = form.between(MARGIN)
    zone = zone_of(form)
    toll = form.between(TOLL, required=False)
    since = since_of(form, now)
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
        alarms=kitchen.alarms
        | {"near_minutes": NEAR_MINUTES if ahead is None else ahead, "near_k": ahead_k or 0.0},
        toll_percent=toll or 0.0,
    )
    with transaction(db):
        save_kitchen(db, settings, now, since, form.text("initials", limit=8))
        if since:
            follow(db, since)


def since_of(form: Form, now: datetime) -> datetime | None:
    """From what day on it was so, when it was wrong before; None from now on."""
    day = form.date("since", local_time(now, form.kitchen).date())
    if day is None:
        return None
    begins = datetime(day.year, day.month, day.day, tzinfo=local_time(now, form.kitchen).tzinfo)
    if begins > now:
        form.errors["since"] = _("That day is in the future. Leave it empty: it then applies from now on.")
    return begins.astimezone(UTC)


def zone_of(form: Form) -> str:
    """The time zone as typed, else the kitchen's or the machine's."""
    zone = form.text("time_zone", limit=60)
    try:
        ZoneInfo(zone or "UTC")
    except (KeyError, ValueError, OSError):
        form.errors["time_zone"] = _("Type a zone as Europe/Vienna or America/Toronto.")
    return zone or form.kitchen.time_zone or machine_zone()


def _unit(form: Form, kind: str) -> str:
    if f"unit_{kind}" not in form.fields:
        return form.kitchen.units[kind]
    allowed = [unit.key for unit in KINDS[kind].units]
    return form.choice(f"unit_{kind}", allowed, _("Choose {allowed}.", allowed=listed(allowed, "or")))

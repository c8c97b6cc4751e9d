"""Registering what a kitchen owns: vessels, woodlots and every kind of instrument."""

import re
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection, IntegrityError
from typing import Any

from lumbrel.core import units
from lumbrel.core.bench.hydrometer import SIXTY_F_C
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.target import DEFAULT_BRIX, SUGAR_KINDS
from lumbrel.core.pan.vessel import FIRES, Vessel
from lumbrel.services.base.form import BadInput, Bounds, Form
from lumbrel.services.bench.curves import as_made
from lumbrel.services.bench.places import placed, places
from lumbrel.store.db import transaction
from lumbrel.store.instruments import (
    DETAIL,
    Detail,
    HydrometerDetail,
    Instrument,
    add_instrument,
    instruments,
)
from lumbrel.store.kitchen import (
    Kitchen,
    VesselRow,
    Woodlot,
    add_vessel,
    add_woodlot,
    load_kitchen,
    vessels,
    woodlots,
)
from lumbrel.words import _, joined

INSTRUMENT_KINDS = ("thermometer", "hydrometer", "refractometer", "barometer", "scale", "vial", "reference")
REGISTERED = ("vessel", "woodlot", *INSTRUMENT_KINDS)

RESOLUTION = Bounds(
    "resolution",
    "difference",
    0.01,
    10,
    _("The smallest division must be between 0.01 and 10 K (0.02 and 18 °F)."),
)
IMMERSION = Bounds("immersion", "depth", 5, 500, _("A stem is immersed 5 to 500 mm (0.2 to 20 in)."))
SCALE_BEGINS = Bounds("low", "brix", 0, 85, _("The scale begins between 0 and 85 Brix."))
SCALE_ENDS = Bounds("high", "brix", 1, 90, _("The scale ends between 1 and 90 Brix."))
TRUE_AT = Bounds(
    "true_at", "temperature", 0, 40, _("A scale is true between 0 and 40 °C (32 and 104 °F); 60 °F is usual.")
)
PATH = Bounds("path", "depth", 2, 60, _("A vial is 2 to 60 mm (0.08 to 2.4 in) across inside."))
MARK_READING = Bounds("mark_reading", "brix", 40, 75, _("A hot mark must be between 40 and 75 Brix."))
MARK_AT = Bounds(
    "mark_at", "temperature", 50, 100, _("A hot mark is for 50 to 100 °C (122 to 212 °F), 211 °F usually.")
)
MARK_TRUE = Bounds("mark_true", "brix", 60, 70, _("The density it marks must be between 60 and 70 Brix."))


@dataclass(frozen=True)
class Register:
    """What is registered in the kitchen."""

    kitchen: Kitchen
    vessels: list[VesselRow]
    woodlots: list[Woodlot]
    instruments: list[Instrument[Detail]]


def register(db: Connection) -> Register:
    """Everything registered."""
    return Register(load_kitchen(db), vessels(db), woodlots(db), instruments(db, retired=True))


def add_to_kitchen(db: Connection, what: str, fields: dict[str, str], now: datetime) -> None:
    """Register a vessel, a woodlot or an instrument.

    Raises:
        BadInput: a field is wrong, or the name is taken.
    """
    form = Form(fields, load_kitchen(db))
    name = name_from(form)
    try:
        with transaction(db):
            if what == "vessel":
                _add_vessel(db, form, name)
            elif what == "woodlot":
                _add_woodlot(db, form, name)
            else:
                _add_instrument(db, form, what, name, now)
    except IntegrityError:
        raise BadInput(
            {"name": _("There is a {what} called {name} already.", what=what, name=name)}
        ) from None


def _add_woodlot(db: Connection, form: Form, name: str) -> None:
    kind = form.choice("sugar_kind", list(SUGAR_KINDS), _("Choose maple, walnut or birch."))
    form.check()
    add_woodlot(db, Woodlot(form.client_id(), name, kind))


def name_from(form: Form) -> str:
    """What a thing is called."""
    return form.text("name", _("Give it a name you would call it by."), 60)


def _add_instrument(db: Connection, form: Form, what: str, name: str, now: datetime) -> None:
    detail, vessel = instrument_from(db, form, what)
    one = Instrument(id=form.client_id(), name=name, detail=detail, vessel_id=vessel, registered_at=now)
    add_instrument(db, one)


def instrument_from(db: Connection, form: Form, what: str) -> tuple[Detail, str | None]:
    """What an instrument of a kind is, and the vessel it stands in.

    Raises:
        BadInput: a field is wrong.
    """
    detail = _detail(form, what)
    stands_in = form.fields.get("stands_in", "")
    there = places(db, what)
    if stands_in not in {key for key, _any in there} and there:
        form.errors["stands_in"] = _("Choose one of the places, or none.")
    form.check()
    more, vessel = placed(stands_in) if there else ({}, None)
    return DETAIL.validate_python({"kind": what, **detail, **more}), vessel


SHAPES = {
    "rectangular": ("length", "width"),
    "round": ("diameter",),
    "tapered": ("bottom", "top", "height"),
    "measured": (),
}


def _add_vessel(db: Connection, form: Form, name: str) -> None:
    purpose = form.choice("purpose", ["finisher", "candy"], _("Say what it is for."))
    shape, inner = sizes_from(form)
    fire = fire_from(form)
    form.check()
    row = VesselRow(id=form.client_id(), name=name, shape=shape, sizes_mm=inner, purpose=purpose, fire=fire)
    add_vessel(db, row)


FIRE_CHOICES = [("", _("not said")), *((key, fire.words) for key, fire in FIRES.items())]


def fire_from(form: Form) -> str:
    """What a vessel stands on; empty where nobody says."""
    if not form.given("fire"):
        return ""
    return form.choice("fire", list(FIRES), _("Choose what it stands on, or leave it empty."))


def sizes_from(form: Form) -> tuple[str, tuple[float, ...]]:
    """A vessel's shape and its sizes, mm; of one measured by buckets its depths and litres.

    Raises:
        BadInput: a field is wrong.
    """
    shape = form.choice("shape", list(SHAPES), _("Choose {SHAPES}.", SHAPES=joined(", ", SHAPES)))
    sizes = [
        form.between(
            Bounds(n, "depth", 20, 10_000, _("A size must be between 20 mm and 10 m (0.8 and 394 in)."))
        )
        for n in SHAPES.get(shape, ())
    ]
    if shape == "measured":
        sizes = list(_measures(form))
    form.check()
    inner = tuple(size for size in sizes if size is not None)
    try:
        Vessel(shape, inner)
    except OutOfRange as error:
        raise BadInput({"measures" if shape == "measured" else "shape": error.sentence}) from error
    return shape, inner


def _measures(form: Form) -> list[float]:
    """Depths and litres as "20 mm = 5 L, 40 mm = 10.4 L"."""
    found: list[float] = []
    for pair in re.split(r"[;,\n]+", form.text("measures", _("Give depths and litres."), 400)):
        depth, _any, litres = pair.partition("=")
        try:
            unit = form.kitchen.units
            found.append(units.parse(depth, "depth", unit.get("depth", "")).value)
            found.append(units.parse(litres, "volume", unit.get("volume", "")).value)
        except OutOfRange:
            form.errors["measures"] = _(
                "Write each depth with the litres poured in by then, as 20 mm = 5 L, 40 mm = 10.4 L."
            )
            return []
    return found


def _detail(form: Form, what: str) -> dict[str, Any]:
    sorts = {
        "thermometer": _thermometer,
        "hydrometer": _hydrometer,
        "refractometer": _refractometer,
        "barometer": _barometer,
        "scale": lambda form: {},
        "vial": _vial,
        "reference": _reference,
    }
    if what not in sorts:
        raise BadInput({"name": _("A kitchen registers {REGISTERED}.", REGISTERED=joined(", ", REGISTERED))})
    detail = sorts[what](form)
    made = form.date("calibrated_on")
    if made:
        detail["calibrated_on"] = made.isoformat()
    return detail


def _thermometer(form: Form) -> dict[str, Any]:
    sorts = ["digital", "dial", "glass"]
    detail: dict[str, Any] = {"sort": form.choice("sort", sorts, _("Choose digital, dial or glass."))}
    resolution = form.between(RESOLUTION, required=False)
    immersion = form.between(IMMERSION, required=False)
    if resolution is not None:
        detail["resolution_k"] = resolution
    if immersion is not None:
        detail["immersion_mm"] = immersion
    return detail


def _range(form: Form) -> tuple[float | None, float | None]:
    low = form.between(SCALE_BEGINS)
    high = form.between(SCALE_ENDS)
    if low is not None and high is not None and low >= high:
        form.errors["high"] = _("The scale must end above where it begins.")
    return low, high


def _refractometer(form: Form) -> dict[str, Any]:
    low, high = _range(form)
    return {"range_low_brix": low, "range_high_brix": high, "compensated": form.ticked("compensated")}


def _hydrometer(form: Form) -> dict[str, Any]:
    low, high = _range(form)
    true_at = form.between(TRUE_AT, required=False)
    glass = form.choice("glass", ["soda-lime", "borosilicate"], _("Choose the glass."))
    detail: dict[str, Any] = {
        "scale_low_brix": low,
        "scale_high_brix": high,
        "glass": glass,
        "calibration_temperature_c": SIXTY_F_C if true_at is None else true_at,
        "baume": form.ticked("baume"),
    }
    if form.given("mark_reading") or form.given("mark_at"):
        detail["hot_mark"] = _hot_mark(form, detail)
    return detail


def _barometer(form: Form) -> dict[str, Any]:
    shows = ["station", "sea-level"]
    return {
        "shows": form.choice(
            "shows", shows, _("Say whether it shows the pressure here or reduced to sea level.")
        )
    }


def _path(form: Form) -> float | None:
    return form.between(PATH)


def _vial(form: Form) -> dict[str, Any]:
    return {"path_mm": _path(form)}


def _reference(form: Form) -> dict[str, Any]:
    made_of = ["glass", "liquid"]
    return {"path_mm": _path(form), "made_of": form.choice("made_of", made_of, _("Choose glass or liquid."))}


def _hot_mark(form: Form, detail: dict[str, Any]) -> dict[str, float]:
    """A mark printed for hot syrup; it bends the stem's curve until its own pairs do."""
    reading = form.between(MARK_READING)
    at = form.between(MARK_AT)
    true = form.between(MARK_TRUE, required=form.given("mark_true"))
    form.check()
    assert reading is not None and at is not None
    mark = {"reading_brix": reading, "temperature_c": at, "true_brix": true or DEFAULT_BRIX}
    try:
        as_made(HydrometerDetail.model_validate({**detail, "hot_mark": mark}))
    except OutOfRange as error:
        raise BadInput({"mark_reading": error.sentence}) from error
    return mark

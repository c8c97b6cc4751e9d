"""The first three questions: where, in which units, and what is at hand. The rest is made up, and can be
changed."""

from dataclasses import dataclass, replace
from datetime import datetime
from sqlite3 import Connection
from uuid import UUID, uuid5

from lumbrel.core.bench.hydrometer import SIXTY_F_C
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.day.entries import ELEVATION, PRESSURE, set_pressure
from lumbrel.services.kitchen.settings import UNIT_PRESETS, zone_of
from lumbrel.store.db import transaction
from lumbrel.store.instruments import (
    Detail,
    HydrometerDetail,
    Instrument,
    RefractometerDetail,
    ThermometerDetail,
    add_instrument,
    instruments,
)
from lumbrel.store.kitchen import (
    VesselRow,
    Woodlot,
    add_vessel,
    add_woodlot,
    load_kitchen,
    save_kitchen,
    vessels,
    woodlots,
)
from lumbrel.words import _, language

MADE = UUID("6c756d62-7265-6c00-8000-000000736574")
"""From the id of the form to those of what it makes: sent again, it makes the same."""
USUAL_WIDE_MM = 240.0
BARN_MM = 1200.0
WIDE = Bounds(
    "wide", "depth", 80, 10_000, _("The diameter of a pot must be between 80 mm and 10 m (3 and 394 in).")
)
MOUNTAIN_M = 3000.0
AT_HAND: dict[str, str] = {
    "candy_thermometer": _("candy thermometer, dial or glass"),
    "digital_thermometer": _("digital thermometer"),
    "hydrometer": _("syrup hydrometer and cup"),
    "refractometer": _("refractometer"),
    "scale": _("kitchen scale"),
    "spoon": _("only a spoon and a cold plate"),
}
WHERE = {
    "elevation": _("its elevation"),
    "station": _("what a barometer here shows"),
    "forecast": _("what the forecast says"),
}


@dataclass(frozen=True)
class Next:
    """Where set-up leads."""

    href: str


def set_up(db: Connection, now: datetime, fields: dict[str, str]) -> Next:
    """Equip an empty kitchen by the three questions; the same id twice equips it once.

    Raises:
        BadInput: a field is wrong, or something must be asked.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    chosen = form.choice("units", list(UNIT_PRESETS), _("Choose metric, US or imperial."))
    # What is typed without a unit is in the units that were chosen beside it.
    kitchen = replace(kitchen, units=UNIT_PRESETS.get(chosen, kitchen.units) | {"language": language().key})
    form.kitchen = kitchen
    by = form.choice("where", WHERE, _("Enter the elevation, or what a barometer or a forecast says."))
    elevation = _elevation(form, by)
    pressure = form.between(PRESSURE, required=by != "elevation") if by != "elevation" else None
    wide = form.between(WIDE, required=False)
    if wide is not None and wide > BARN_MM:
        form.ask("wide", _("That is {wide} across. Is that right?", wide=form.show(wide, "depth")))
    zone = zone_of(form)
    form.check()
    made = form.client_id()
    if pressure is not None:
        # First of all: what is asked about it leaves nothing half-written.
        said = {"id": str(uuid5(MADE, made + " air")), "basis": by, "pressure": f"{pressure!r} hPa"}
        high = {} if elevation is None else {"elevation": f"{elevation!r} m"}
        sure = {k: v for k, v in fields.items() if k == "pressure_confirmed"}
        set_pressure(db, now, said | high | sure)
    with transaction(db):
        settings = replace(load_kitchen(db), units=kitchen.units, time_zone=zone)
        if elevation is not None:
            settings = replace(settings, elevation_m=elevation)
        save_kitchen(db, settings, now)
        _equip(db, form, made, USUAL_WIDE_MM if wide is None else wide, now)
    measured = form.ticked("candy_thermometer") or form.ticked("digital_thermometer")
    if measured:
        return Next("/day")
    return Next(f"/take-in?measure={'mass' if form.ticked('scale') else 'volume'}")


def _elevation(form: Form, by: str) -> float | None:
    """How high it stands; a mountain top is asked about."""
    metres = form.between(ELEVATION, required=by != "station")
    if metres is not None and metres > MOUNTAIN_M:
        form.ask(
            "elevation",
            _(
                "{metres} is a mountain top: water boils below 90 °C (194 °F) there. Is that right?",
                metres=form.show(metres, "elevation"),
            ),
        )
    return metres


def _equip(db: Connection, form: Form, made: str, wide_mm: float, now: datetime) -> None:
    def own(what: str) -> str:
        return str(uuid5(MADE, f"{made} {what}"))

    if not vessels(db):
        add_vessel(db, VesselRow(id=own("pot"), name=_("Pot 1"), shape="round", sizes_mm=(wide_mm,)))
    if not woodlots(db):
        add_woodlot(db, Woodlot(own("trees"), _("My trees")))
    if instruments(db):
        return
    for key, name, detail in INSTRUMENTS:
        if form.ticked(key):
            one = Instrument(id=own(key), name=name, detail=detail, registered_at=now)
            add_instrument(db, one)


INSTRUMENTS: tuple[tuple[str, str, Detail], ...] = (
    ("candy_thermometer", _("Thermometer 1"), ThermometerDetail(sort="dial")),
    ("digital_thermometer", _("Digital 1"), ThermometerDetail(sort="digital")),
    (
        "hydrometer",
        _("Hydrometer 1"),
        HydrometerDetail(
            scale_low_brix=45.0, scale_high_brix=75.0, glass="soda-lime", calibration_temperature_c=SIXTY_F_C
        ),
    ),
    (
        "refractometer",
        _("Refractometer 1"),
        RefractometerDetail(range_low_brix=0.0, range_high_brix=80.0, compensated=True),
    ),
)
"""What a tick makes: the usual of its kind."""

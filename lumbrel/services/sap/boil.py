"""A boil-down: planned from a tank, lit, fed, stoked, and what its fire taught."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.pan import continuous
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.sap.boil_plan import BoilPage, bottom_m2, measures_in, planned_boil
from lumbrel.services.sap.contents import TankView
from lumbrel.services.sap.played import SLACK, views
from lumbrel.services.take_in.bounds import finishers
from lumbrel.store import kept
from lumbrel.store import sap as store
from lumbrel.store.kitchen import Kitchen, VesselRow, load_kitchen
from lumbrel.words import _

SETUPS = {
    "open": _("kettle over an open fire"),
    "blocks": _("pans on blocks with a chimney"),
    "arch": _("arch with raised pans"),
    "burner": _("gas burner under a pot"),
    "plate": _("electric hot plate"),
}
FUELS = {
    "hardwood": _("hardwood, air-dry"),
    "softwood": _("softwood, air-dry"),
    "propane": _("propane"),
    "electricity": _("electricity"),
}
FITS = {
    "open": ("hardwood", "softwood"),
    "blocks": ("hardwood", "softwood"),
    "arch": ("hardwood", "softwood"),
    "burner": ("propane",),
    "plate": ("electricity",),
}
SAID = {
    "hardwood m3": _("m³ stacked"),
    "softwood m3": _("m³ stacked"),
    "wood kg": "kg",
    "propane kg": "kg",
    "propane L": "L",
    "electricity kWh": "kWh",
    "hardwood cord": _("full cords"),
    "softwood cord": _("full cords"),
    "wood lb": "lb",
    "propane lb": "lb",
    "propane gal": "gal",
}
LITRES = Bounds("litres", "volume", 1, 20_000, _("Type how much sap, between 1 and 20 000 L."))
USUAL_CHANNELS = 4


def page(db: Connection, fields: Mapping[str, str], now: datetime) -> tuple[BoilPage, Form]:
    """The plan of a boil-down as far as what was chosen allows; what is wrong is on the form."""
    form = Form(fields, load_kitchen(db))
    seen = [view for view in views(db, now) if not view.empty]
    tank = next((v for v in seen if v.tank.id == fields.get("tank")), None) or _most_urgent(seen)
    pans = finishers(db)
    chosen = tuple(v.id for v in pans if f"pan_{v.id}" in fields) or _usual_pans(db, pans)
    setup = fields.get("setup", "") if fields.get("setup") in SETUPS else last_setup(db)
    kind = fuel_of(fields, setup)
    measures = measures_in(form.kitchen, kind)
    measure = fields.get("measure", "") if fields.get("measure") in measures else measures[-1]
    litres = form.between(LITRES, required=False)
    if litres is None and tank is not None:
        litres = tank.content.litres
    base = BoilPage(
        tanks=seen,
        tank=tank,
        vessels=pans,
        chosen=chosen,
        litres=litres,
        setup=setup,
        fuel=kind,
        measure=measure,
        channels=channels_of(form),
    )
    if tank is None or litres is None or not chosen:
        return base, form
    if litres > tank.content.litres * SLACK + 0.5:
        form.errors["litres"] = _(
            "{tank} holds {litres} now.", tank=tank.tank.name, litres=form.show(tank.content.litres, "volume")
        )
        return base, form
    return planned_boil(db, form, base, now), form


def fuel_of(fields: Mapping[str, str], setup: str) -> str:
    """What burns, as it was chosen; else what such a fire burns as a rule."""
    kind = fields.get("fuel", "")
    return kind if kind in FITS[setup] else FITS[setup][0]


def channels_of(form: Form) -> int:
    """Through how many channels sap runs in a continuous pan; 0 where it is boiled down as a whole."""
    if not form.fields.get("continuous"):
        return 0
    text = form.fields.get("channels", "").strip() or f"{USUAL_CHANNELS}"
    if not text.isdecimal() or not 1 <= int(text) <= continuous.MOST_CHANNELS:
        form.errors["channels"] = _(
            "Sap runs through 1 to {MOST_CHANNELS} channels, one after the other; type how many.",
            MOST_CHANNELS=continuous.MOST_CHANNELS,
        )
        return 0
    return int(text)


def _most_urgent(seen: Sequence[TankView]) -> TankView | None:
    def urgent(view: TankView) -> tuple[bool, float]:
        return view.boil_by is None, view.boil_by.timestamp() if view.boil_by else 0.0

    return min(seen, key=urgent, default=None)


def _usual_pans(db: Connection, pans: Sequence[VesselRow]) -> tuple[str, ...]:
    """The pan of the last boil-down, else the widest that is free."""
    last = store.last_boil_vessel(db)
    if last in {pan.id for pan in pans}:
        return (last,)
    busy = {batch.vessel_id for batch in kept.waiting(db, "pan")}
    free = [pan for pan in pans if pan.id not in busy] or list(pans)
    widest = max(free, key=bottom_m2, default=None)
    return (widest.id,) if widest else ()


def last_setup(db: Connection) -> str:
    return store.last_setup(db) or "blocks"


def measures_of(kitchen: Kitchen, kind: str) -> list[tuple[str, str]]:
    """How a fuel is measured: key and words."""
    return [(measure, SAID[measure]) for measure in measures_in(kitchen, kind)]

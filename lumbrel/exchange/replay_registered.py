"""What a replayed log registers: its kitchen, vessels, instruments, and what was before."""

from datetime import UTC, datetime, timedelta
from sqlite3 import Connection
from uuid import uuid4

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.vessel import FIRES, Vessel
from lumbrel.exchange.replay_record import earlier_draw, vessel_named
from lumbrel.exchange.replay_words import (
    OK,
    US_UNITS,
    Answer,
    Line,
    Unfit,
    is_number,
    number_of,
    text_of,
    with_unit,
)
from lumbrel.services.kitchen.register import add_to_kitchen
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import DEFAULT_UNITS, Kitchen, VesselRow, add_vessel, save_kitchen, vessels
from lumbrel.words import _


def kitchen(db: Connection, line: Line, now: datetime) -> Answer:
    """Where it stands, and what it draws at."""
    units = line.get("units", "metric")
    if units not in ("metric", "us"):
        raise Unfit(units=_("Units are metric or us."))
    elevation = number_of(line, "elevation_m", -430, 5000)
    target = number_of(line, "target_brix", 20, 75, 66.9)
    known = Kitchen(
        name="Replayed",
        elevation_m=elevation,
        time_zone="UTC",
        target_brix=target,
        units=dict(DEFAULT_UNITS if units == "metric" else US_UNITS),
    )
    with transaction(db):
        save_kitchen(db, known, now)
    return OK


def vessel(db: Connection, line: Line) -> Answer:
    """A pan or a pot."""
    name, shape = text_of(line, "name"), line.get("shape")
    wanted = {"round": 1, "rectangular": 2, "tapered": 3}
    if shape not in wanted:
        raise Unfit(shape=_("A vessel is round, rectangular or tapered."))
    sizes = line.get("sizes_mm")
    good = isinstance(sizes, list) and len(sizes) == wanted[shape]
    if not good or not all(is_number(size) for size in sizes or ()):
        raise Unfit(
            sizes_mm=_("A {shape} vessel has {wanted} sizes in mm.", shape=shape, wanted=wanted[shape])
        )
    assert isinstance(sizes, list)
    try:
        Vessel(shape, tuple(float(size) for size in sizes))
    except OutOfRange as error:
        raise Unfit(sizes_mm=error.sentence) from error
    if any(v.name == name for v in vessels(db)):
        raise Unfit(name=_("There is a vessel called {name} already.", name=name))
    fire = str(line.get("fire") or "")
    if fire and fire not in FIRES:
        raise Unfit(fire=_("A vessel stands on one of {FIRES}.", FIRES=", ".join(FIRES)))
    row = VesselRow(id=str(uuid4()), name=name, shape=shape, sizes_mm=tuple(map(float, sizes)), fire=fire)
    with transaction(db):
        add_vessel(db, row)
    return OK


def instrument(db: Connection, line: Line) -> Answer:
    """Whatever measures."""
    kind, name = str(line.get("kind")), text_of(line, "name")
    if kind not in ("thermometer", "hydrometer", "refractometer", "barometer", "scale"):
        raise Unfit(kind=_("An instrument is a thermometer, hydrometer, refractometer, barometer or scale."))
    stands_in = vessel_named(db, line, "in_vessel") if line.get("in_vessel") else ""
    given = {
        "name": name,
        "sort": str(line.get("sort", "digital")),
        "resolution": with_unit(line, "resolution_k", "K"),
        "stands_in": stands_in,
        "low": with_unit(line, "low", ""),
        "high": with_unit(line, "high", ""),
        "true_at": with_unit(line, "true_at_c", "C"),
        "glass": str(line.get("glass", "soda-lime")),
        "compensated": "1" if line.get("compensated") else "",
        "shows": str(line.get("shows", "station")),
    }
    defaults = {"hydrometer": ("45", "75"), "refractometer": ("0", "85")}
    if kind in defaults:
        given["low"] = given["low"] or defaults[kind][0]
        given["high"] = given["high"] or defaults[kind][1]
    # In use from the beginning of time, so that earlier lines may be read with it.
    add_to_kitchen(db, kind, given, datetime(1, 1, 2, tzinfo=UTC))
    return OK


def history(db: Connection, line: Line, first: datetime) -> Answer:
    """Earlier draws of a vessel, one a day before the first moment, the newest first."""
    which = vessel_named(db, line)
    rates = line.get("rates_kg_per_min")
    if not isinstance(rates, list) or not all(is_number(r) and 0 < r < 50 for r in rates):
        raise Unfit(rates_kg_per_min=_("Rates are numbers above 0 and under 50 kg/min."))
    with transaction(db):
        for days, rate in enumerate(rates, 1):
            earlier_draw(db, which, first - timedelta(days=days), float(rate))
    return OK

"""What a person gives at the day check: a pressure or elevation, and test boils."""

from dataclasses import replace
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.bench import thermometer
from lumbrel.core.physics import air
from lumbrel.services.base.form import CONFIRMED, NOT_TYPED, Bounds, Form
from lumbrel.services.day.pressure import pressure_at
from lumbrel.store import day as day_store
from lumbrel.store.db import transaction
from lumbrel.store.instruments import BarometerDetail, Instrument, ThermometerDetail, instruments_of
from lumbrel.store.kitchen import load_kitchen, save_kitchen

PRESSURE_BASES = {
    "elevation": "elevation alone",
    "station": "station pressure",
    "forecast": "a forecast's sea-level pressure",
}

ELEVATION = Bounds(
    "elevation",
    "elevation",
    -430,
    5000,
    "Elevation must lie between −430 and 5000 m (−1410 and 16 400 ft).",
)
PRESSURE = Bounds(
    "pressure",
    "pressure",
    500,
    1090,
    "A pressure must lie between 500 and 1090 hPa (14.8 and 32.2 inHg).",
)
OUTDOOR = Bounds(
    "outdoor", "temperature", -50, 50, "The outdoor temperature must lie between −50 and 50 °C."
)


def set_pressure(db: Connection, now: datetime, fields: dict[str, str]) -> None:
    """Take elevation, station pressure or a forecast's pressure as typed.

    Raises:
        BadInput: a field is wrong, or a pressure is not plausible at this elevation.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    basis = form.choice("basis", PRESSURE_BASES, "Choose elevation, station pressure or forecast.")
    barometer = _barometer(db, form)
    if barometer and basis != "elevation":
        basis = "forecast" if barometer.detail.shows == "sea-level" else "station"
    elevation = form.between(ELEVATION, required=basis in ("elevation", "forecast"))
    if elevation is None:
        elevation = kitchen.elevation_m
    if basis == "elevation":
        station = None if elevation is None else air.pressure_at_elevation_pa(elevation)
    else:
        station = _measured_pa(form, basis, elevation, _error_hpa(db, barometer, now))
    form.check()
    assert station is not None
    note = day_store.PressureNote(form.client_id(), now, basis, _typed(fields), station)
    with transaction(db):
        if elevation is not None and elevation != kitchen.elevation_m:
            save_kitchen(db, replace(kitchen, elevation_m=elevation), now)
        day_store.add_pressure_note(db, note)


def _barometer(db: Connection, form: Form) -> Instrument[BarometerDetail] | None:
    """The kitchen's own barometer that was read, when one was chosen."""
    chosen = form.fields.get("barometer", "")
    return next((b for b in instruments_of(db, BarometerDetail) if b.id == chosen), None)


def _error_hpa(
    db: Connection, barometer: Instrument[BarometerDetail] | None, now: datetime
) -> float:
    """How much too high a barometer reads, by its last check."""
    check = next(iter(day_store.scale_checks(db, barometer.id, now)), None) if barometer else None
    return check.error / 100 if check else 0.0


def _measured_pa(
    form: Form, basis: str, elevation_m: float | None, error_hpa: float
) -> float | None:
    """The pressure in the kitchen by what a barometer or a forecast says, Pa."""
    said = form.between(PRESSURE)
    outdoor = form.between(OUTDOOR, required=False)
    if said is None:
        return None
    hpa = said - error_hpa
    if basis == "station":
        _ask_if_sea_level(form, hpa, elevation_m)
        return hpa * 100
    if elevation_m is None:
        return None
    return form.attempt(
        "pressure",
        lambda: air.station_pressure_from_sea_level_pa(
            hpa * 100, elevation_m, 10.0 if outdoor is None else outdoor
        ),
    )


def _ask_if_sea_level(form: Form, hpa: float, elevation_m: float | None) -> None:
    if elevation_m is None or not air.looks_like_sea_level(hpa * 100, elevation_m):
        return
    expected = air.pressure_at_elevation_pa(elevation_m) / 100
    form.ask(
        "pressure",
        f"{hpa:.0f} hPa is what a forecast says, reduced to sea level. At {elevation_m:.0f} m a "
        f"barometer stands near {expected:.0f} hPa; the difference would put the finish several "
        "Brix off. Choose “forecast”, or say that the barometer at the pan really shows this.",
    )


def test_boil(db: Connection, now: datetime, fields: dict[str, str]) -> None:
    """Take what a thermometer shows in rapidly boiling water.

    Raises:
        BadInput: no such thermometer, no pressure known yet, or a reading that boiling water
            here cannot give.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    known = {i.id: i for i in instruments_of(db, ThermometerDetail)}
    chosen = form.choice(
        "thermometer", dict.fromkeys(known, ""), "Choose one of your thermometers."
    )
    reading = form.quantity("reading", "temperature")
    pressure = pressure_at(db, kitchen, now)
    if pressure is None:
        form.errors.setdefault(
            "reading", "Say first how high the kitchen stands, or what the barometer shows."
        )
    elif reading is not None and chosen:
        offset = form.attempt(
            "reading", lambda: thermometer.calibrate(reading, pressure.pa).offset_k
        )
        if offset is not None and abs(offset) > 4:
            form.ask(
                "reading",
                f"That is {abs(offset):.1f} K ({abs(offset) * 1.8:.1f} °F) from where water boils "
                "here now. Is the water at a full boil, and the pressure right?",
            )
    form.check()
    assert reading is not None and pressure is not None
    day_store.add_test_boil(
        db,
        day_store.TestBoil(
            id=form.client_id(),
            at=now,
            instrument_id=chosen,
            typed=fields.get("reading", "").strip(),
            reading_c=reading,
            station_pressure_pa=pressure.pa,
            pressure_sigma_pa=pressure.sigma_pa,
            basis=pressure.basis,
        ),
    )


def _typed(fields: dict[str, str]) -> dict[str, str]:
    """What a person typed, without the form's own bookkeeping."""
    return {
        k: v for k, v in fields.items() if v and k not in NOT_TYPED and not k.endswith(CONFIRMED)
    }

"""What a person gives at the day check: a pressure or elevation, and test boils."""

from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.bench import thermometer
from lumbrel.core.physics import air
from lumbrel.services.base.form import Form
from lumbrel.services.day.pressure import pressure_at
from lumbrel.store import day as day_store
from lumbrel.store.db import transaction
from lumbrel.store.instruments import BarometerDetail, ThermometerDetail, instruments_of
from lumbrel.store.kitchen import Kitchen, load_kitchen, save_kitchen

PRESSURE_BASES = {
    "elevation": "elevation alone",
    "station": "station pressure",
    "forecast": "a forecast's sea-level pressure",
}


def set_pressure(db: Connection, now: datetime, fields: dict[str, str]) -> None:
    """Take elevation, station pressure or a forecast's pressure as typed.

    Raises:
        BadInput: a field is wrong, or a pressure is not plausible at this elevation.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    basis = form.choice("basis", PRESSURE_BASES, "Choose elevation, station pressure or forecast.")
    known = {b.id: b for b in instruments_of(db, BarometerDetail)}
    barometer = known.get(form.fields.get("barometer", ""))
    if barometer and basis != "elevation":
        basis = "forecast" if barometer.detail.shows == "sea-level" else "station"
    elevation = form.between(
        "elevation",
        "elevation",
        -430,
        5000,
        "Elevation must lie between −430 and 5000 m (−1410 and 16 400 ft).",
        required=basis in ("elevation", "forecast"),
    )
    if elevation is None:
        elevation = kitchen.elevation_m
    station = 0.0
    if basis == "elevation" and elevation is not None:
        station = air.pressure_at_elevation_pa(elevation)
    elif basis in ("station", "forecast"):
        hpa = form.between(
            "pressure",
            "pressure",
            500,
            1090,
            "A pressure must lie between 500 and 1090 hPa (14.8 and 32.2 inHg).",
        )
        outdoor = form.between(
            "outdoor",
            "temperature",
            -50,
            50,
            "The outdoor temperature must lie between −50 and 50 °C.",
            required=False,
        )
        if hpa is not None and barometer:
            check = next(iter(day_store.scale_checks(db, barometer.id, now)), None)
            hpa -= check.error / 100 if check else 0.0
        if hpa is not None and basis == "forecast" and elevation is not None:
            station = (
                form.attempt(
                    "pressure",
                    lambda: air.station_pressure_from_sea_level_pa(
                        hpa * 100, elevation, 10.0 if outdoor is None else outdoor
                    ),
                )
                or 0.0
            )
        elif hpa is not None:
            station = hpa * 100
            if elevation is not None and air.looks_like_sea_level(station, elevation):
                expected = air.pressure_at_elevation_pa(elevation) / 100
                form.ask(
                    "pressure",
                    f"{hpa:.0f} hPa is what a forecast says, reduced to sea level. At "
                    f"{elevation:.0f} m a barometer stands near {expected:.0f} hPa; the "
                    "difference would put the finish several Brix off. Choose “forecast”, or "
                    "say that the barometer at the pan really shows this.",
                )
    form.check()
    note = day_store.PressureNote(form.client_id(), now, basis, _typed(fields), station)
    with transaction(db):
        if elevation is not None and elevation != kitchen.elevation_m:
            save_kitchen(db, Kitchen(**{**kitchen.__dict__, "elevation_m": elevation}))
        day_store.add_pressure_note(db, note)


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
    return {k: v for k, v in fields.items() if v and k != "id" and not k.endswith("_is_so")}

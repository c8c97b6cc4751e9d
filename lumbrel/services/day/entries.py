"""What a person gives at the day check: a pressure or elevation, and test boils."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from sqlite3 import Connection
from statistics import median

from lumbrel.core.bench import thermometer
from lumbrel.core.physics import air
from lumbrel.services.base import book
from lumbrel.services.base.book import Draft
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.day.checks import error_of, test_boils
from lumbrel.services.day.facts import PressureFacts, TestBoilFacts
from lumbrel.services.day.pressure import Pressure, pressure_at
from lumbrel.services.day.thermometers import shows_too_much
from lumbrel.store.book import KITCHEN
from lumbrel.store.instruments import BarometerDetail, Instrument, ThermometerDetail, instruments_of
from lumbrel.store.kitchen import save_kitchen
from lumbrel.words import _, number

PRESSURE_BASES = {
    "elevation": _("elevation alone"),
    "station": _("station pressure"),
    "forecast": _("a forecast's sea-level pressure"),
}

ELEVATION = Bounds(
    "elevation",
    "elevation",
    -430,
    5000,
    _("Elevation must be between −430 and 5000 m (−1410 and 16 400 ft)."),
)
PRESSURE = Bounds(
    "pressure", "pressure", 500, 1090, _("A pressure must be between 500 and 1090 hPa (14.8 and 32.2 inHg).")
)
OUTDOOR = Bounds(
    "outdoor", "temperature", -50, 50, _("The outdoor temperature must be between −50 and 50 °C.")
)


def set_pressure(db: Connection, now: datetime, fields: Mapping[str, str]) -> None:
    """Take elevation, station pressure or a forecast's pressure as typed.

    Raises:
        BadInput: a field is wrong, or a pressure is not plausible at this elevation.
        NotFound: there is no such line to correct.
    """

    def read(form: Form, at: datetime) -> list[Draft]:
        basis = form.choice("basis", PRESSURE_BASES, _("Choose elevation, station pressure or forecast."))
        barometer = _barometer(db, form)
        if barometer and basis != "elevation":
            basis = "forecast" if barometer.detail.shows == "sea-level" else "station"
        elevation = form.between(ELEVATION, required=basis in ("elevation", "forecast"))
        if elevation is None:
            elevation = form.kitchen.elevation_m
        if basis == "elevation":
            station = None if elevation is None else air.pressure_at_elevation_pa(elevation)
        else:
            station = _measured_pa(form, basis, elevation, _error_hpa(db, barometer, at))
        if form.errors or form.asks or station is None:
            return []
        if elevation is not None and elevation != form.kitchen.elevation_m:
            save_kitchen(
                db,
                replace(form.kitchen, elevation_m=elevation),
                now,
                at if form.corrects else None,
                brought_by=form.client_id(),
            )
        facts = {"basis": basis, "station_pressure_pa": station}
        return [Draft(PressureFacts.model_validate(facts), KITCHEN, KITCHEN)]

    book.write(db, fields, now, read)


def _barometer(db: Connection, form: Form) -> Instrument[BarometerDetail] | None:
    """The kitchen's own barometer that was read, when one was chosen."""
    chosen = form.fields.get("barometer", "")
    return next((b for b in instruments_of(db, BarometerDetail) if b.id == chosen), None)


def _error_hpa(db: Connection, barometer: Instrument[BarometerDetail] | None, now: datetime) -> float:
    """How much too high a barometer reads, by its last check."""
    return error_of(db, barometer.id, now) / 100 if barometer else 0.0


def _measured_pa(form: Form, basis: str, elevation_m: float | None, error_hpa: float) -> float | None:
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
        _(
            "{hpa} hPa is what a forecast says, reduced to sea level. At {elevation_m} m a "
            "barometer stands near {expected} hPa; the difference would put the finish several "
            "Brix off. Choose “forecast”, or say that the barometer at the pan really shows this.",
            hpa=number(hpa, 0),
            elevation_m=number(elevation_m, 0),
            expected=number(expected, 0),
        ),
    )


def test_boil(db: Connection, now: datetime, fields: Mapping[str, str]) -> None:
    """Take what a thermometer shows in rapidly boiling water.

    Raises:
        BadInput: no such thermometer, no pressure known yet, or a reading that boiling water
            here cannot give, or that this thermometer never gave.
        NotFound: there is no such line to correct.
    """

    def read(form: Form, at: datetime) -> list[Draft]:
        known = {i.id: i for i in instruments_of(db, ThermometerDetail)}
        chosen = form.choice("thermometer", dict.fromkeys(known, ""), _("Choose one of your thermometers."))
        reading = form.quantity("reading", "temperature")
        pressure = pressure_at(db, form.kitchen, at)
        if pressure is None:
            form.errors.setdefault(
                "reading", _("Say first how high the kitchen stands, or what the barometer shows.")
            )
        if reading is None or pressure is None or not chosen:
            return []
        _plausible(form, db, known[chosen], (reading, pressure), at)
        facts = TestBoilFacts(
            reading_c=reading,
            station_pressure_pa=pressure.pa,
            pressure_sigma_pa=pressure.sigma_pa,
            basis=pressure.basis,
        )
        return [Draft(facts, "instrument", chosen)]

    book.write(db, fields, now, read)


DOUBTED_K = 1.5
"""So far from what the air and its own history say, a test boil is asked about."""


def _plausible(
    form: Form,
    db: Connection,
    glass: Instrument[ThermometerDetail],
    boil: tuple[float, Pressure],
    at: datetime,
) -> None:
    """Ask about a reading that boiling water does not give here, by the air and by what the thermometer
    showed too much in its earlier boils."""
    reading, pressure = boil
    offset = form.attempt("reading", lambda: thermometer.calibrate(reading, pressure.pa).offset_k)
    earlier = [
        shows_too_much(one) for one in test_boils(db, glass.id, at, HISTORY) if one.id != form.corrects
    ]
    usual = median(earlier) if earlier else 0.0
    if offset is None or abs(offset - usual) <= DOUBTED_K:
        return
    said = form.show(reading, "temperature")
    here = form.show(pressure.boil_c, "temperature")
    if earlier:
        expected = form.show(pressure.boil_c + usual, "temperature")
        words = _(
            "Water boils at {here} here now, and by its earlier test boils {glass} would show "
            "{expected}, not {said}.",
            here=here,
            glass=glass.name,
            expected=expected,
            said=said,
        )
    else:
        words = _(
            "Water boils at {here} here now; {glass} would be {offset} out.",
            here=here,
            glass=glass.name,
            offset=form.show(abs(offset), "difference"),
        )
    form.ask("reading", _("{value} Is the water at a full boil, and the pressure right?", value=words))


HISTORY = 9
"""So many of its last test boils tell what a thermometer usually shows."""

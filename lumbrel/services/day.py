"""The day: where water boils here now by each basis, each thermometer, and the heat ladder."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from math import sqrt
from sqlite3 import Connection
from statistics import fmean, stdev

from lumbrel.core.bench import thermometer
from lumbrel.core.bench.thermometer import Calibration
from lumbrel.core.confections.sugar import BURN_HAZARD_C, confections
from lumbrel.core.errors import OutOfRange
from lumbrel.core.finishing import target
from lumbrel.core.physics import air, sucrose, water
from lumbrel.services.typed import Form
from lumbrel.store import day as store
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import Instrument, Kitchen, instruments, load_kitchen, save_kitchen

BAROMETER_FRESH = timedelta(minutes=60)
NOTE_FRESH = timedelta(hours=12)


@dataclass(frozen=True)
class Pressure:
    """Station pressure at a moment, by the best basis there is."""

    pa: float
    sigma_pa: float
    basis: str
    at: datetime | None
    followed: bool
    """Whether a barometer follows it, so that a change is known."""

    @property
    def boil_c(self) -> float:
        """Where water boils at it, degC."""
        return water.boiling_point_c(self.pa)

    @property
    def boil_sigma_k(self) -> float:
        """One sigma of that, K."""
        return self.sigma_pa * thermometer.BOIL_SHIFT_K_PER_PA


@dataclass(frozen=True)
class Basis:
    """One row of the comparison: a basis and where water boils by it."""

    label: str
    boil_c: float | None
    sigma_k: float | None
    note: str
    chosen: bool = False
    detail: float | None = None
    detail_kind: str = ""


@dataclass(frozen=True)
class ThermometerToday:
    """A thermometer with its newest test boil and what follows from it now."""

    instrument: Instrument
    calibration: Calibration
    sigma_k: float
    boil: store.TestBoil | None
    stale: str
    """Why a new test boil is asked for; empty when it is not."""
    pressure_change_pa: float | None

    @property
    def tested(self) -> bool:
        """Whether it has a test boil that still counts."""
        return self.boil is not None


@dataclass(frozen=True)
class Rung:
    """One mark on the heat ladder, true and as the chosen thermometer shows it."""

    key: str
    label: str
    true_c: float
    shown_c: float
    low_shown_c: float
    high_shown_c: float
    above_water_k: float
    brix: float | None
    rank: str
    """"finish", "mark", "floor" or "candy": how loud it is drawn."""
    hot: bool = False


@dataclass(frozen=True)
class Day:
    """Everything the day check shows."""

    now: datetime
    kitchen: Kitchen
    pressure: Pressure | None
    bases: list[Basis]
    thermometers: list[ThermometerToday]
    chosen: ThermometerToday | None
    sugar_kind: str
    rungs: list[Rung]
    rules: list[target.RuleOfThumb]


def pressure_at(db: Connection, kitchen: Kitchen, at: datetime) -> Pressure | None:
    """Station pressure at a moment: barometer, then typed, then forecast, then elevation."""
    for barometer in instruments(db, "barometer"):
        sample = store.latest_sample(db, barometer.id, at)
        if sample and at - sample.at <= BAROMETER_FRESH:
            return Pressure(sample.value, air.BAROMETER_SIGMA_PA, "barometer", sample.at, True)
    note = store.latest_pressure_note(db, at)
    if note and at - note.at <= NOTE_FRESH and note.basis != "elevation":
        own = air.BAROMETER_SIGMA_PA if note.basis == "station" else air.FORECAST_SIGMA_PA
        age_days = (at - note.at) / timedelta(days=1)
        sigma = sqrt(own**2 + (air.ELEVATION_ONLY_SIGMA_PA * age_days) ** 2)
        return Pressure(note.station_pressure_pa, sigma, note.basis, note.at, False)
    if kitchen.elevation_m is not None:
        mean = air.pressure_at_elevation_pa(kitchen.elevation_m)
        return Pressure(mean, air.ELEVATION_ONLY_SIGMA_PA, "elevation", None, False)
    return None


def thermometer_today(
    db: Connection, instrument: Instrument, pressure: Pressure, now: datetime
) -> ThermometerToday:
    """A thermometer as it can be trusted now."""
    boils = store.test_boils(db, instrument.id, now, 1)
    sort = str(instrument.detail.get("sort", "digital"))
    if not boils:
        return ThermometerToday(
            instrument, Calibration(at_c=pressure.boil_c), thermometer.UNTESTED_SIGMA_K, None,
            "It has never been in boiling water here.", None,
        )  # fmt: skip
    boil = boils[0]
    calibration = thermometer.calibrate(boil.reading_c, boil.station_pressure_pa, sort)
    hours = (now - boil.at) / timedelta(hours=1)
    # Without a barometer the same pressure is assumed now as at the boil: that keeps the marks
    # right while the air holds, and sigma_now_k widens with the boil's age.
    followed = pressure.followed and boil.basis == "barometer"
    change = pressure.pa - boil.station_pressure_pa if followed else None
    stale = ""
    if hours > thermometer.TEST_BOIL_GOOD_FOR_HOURS:
        stale = f"Its last test boil is {_age(hours)} old."
    elif change is not None and abs(change) > thermometer.TEST_BOIL_GOOD_FOR_PA:
        moved = "risen" if change > 0 else "fallen"
        stale = f"The pressure has {moved} {abs(change) / 100:.1f} hPa since its test boil."
    sigma = thermometer.sigma_now_k(sort, True, hours, change)
    return ThermometerToday(instrument, calibration, sigma, boil, stale, change)


def _age(hours: float) -> str:
    return f"{hours:.0f} hours" if hours < 48 else f"{hours / 24:.0f} days"


def today(
    db: Connection, now: datetime, thermometer_id: str = "", sugar_kind: str = "maple"
) -> Day:
    """The day check for a thermometer and a kind of sugar."""
    kitchen = load_kitchen(db)
    pressure = pressure_at(db, kitchen, now)
    if pressure is None:
        return Day(now, kitchen, None, [], [], None, sugar_kind, [], [])
    sorts = [
        thermometer_today(db, instrument, pressure, now)
        for instrument in instruments(db, "thermometer")
    ]
    chosen = next((t for t in sorts if t.instrument.id == thermometer_id), None) or _best(sorts)
    invert = target.DEFAULT_INVERT_FRACTION[sugar_kind]
    return Day(
        now, kitchen, pressure, _bases(db, kitchen, pressure, chosen, now), sorts, chosen,
        sugar_kind, ladder(pressure, chosen, kitchen.target_brix, sugar_kind),
        target.rules_of_thumb(pressure.pa, invert),
    )  # fmt: skip


def _best(sorts: list[ThermometerToday]) -> ThermometerToday | None:
    """The thermometer to show unless asked: tested most recently, else the first."""
    tested = [t for t in sorts if t.boil]
    if tested:
        return max(tested, key=lambda t: t.boil.at if t.boil else datetime.min)
    return sorts[0] if sorts else None


def _bases(
    db: Connection,
    kitchen: Kitchen,
    pressure: Pressure,
    chosen: ThermometerToday | None,
    now: datetime,
) -> list[Basis]:
    rows = []
    if chosen and chosen.boil:
        rows.append(_by_test_boil(db, chosen, now))
    names = {"barometer": "barometer", "station": "pressure typed", "forecast": "forecast"}
    if pressure.basis in names:
        steady = "followed" if pressure.followed else "good for 12 h"
        rows.append(
            Basis(
                names[pressure.basis], pressure.boil_c, pressure.boil_sigma_k, steady, True,
                pressure.pa / 100, "pressure",
            )
        )  # fmt: skip
    if kitchen.elevation_m is not None:
        mean = air.pressure_at_elevation_pa(kitchen.elevation_m)
        rows.append(
            Basis(
                "elevation alone", water.boiling_point_c(mean),
                air.ELEVATION_ONLY_SIGMA_PA * thermometer.BOIL_SHIFT_K_PER_PA,
                "whatever the weather", pressure.basis == "elevation", kitchen.elevation_m,
                "elevation",
            )
        )  # fmt: skip
        rows.append(
            Basis(
                "“one degree F per 500 ft”", target.boil_by_feet_rule_c(kitchen.elevation_m),
                None, "a rule of thumb",
            )
        )  # fmt: skip
    return rows


def _by_test_boil(db: Connection, chosen: ThermometerToday, now: datetime) -> Basis:
    """Water's boil by this thermometer: its reading less the offset of its *other* boils.

    One reading cannot give both the boil and the offset; with earlier boils the offset is
    known independently, and then today's reading is a word of its own on where water boils.
    """
    assert chosen.boil is not None
    earlier = store.test_boils(db, chosen.instrument.id, now)[1:21]
    if len(earlier) < 2:
        return Basis(
            "test boil", None, None,
            f"{chosen.instrument.name} shows it; sets the ladder, whatever the weather", False,
            chosen.boil.reading_c, "temperature",
        )  # fmt: skip
    offsets = [b.reading_c - water.boiling_point_c(b.station_pressure_pa) for b in earlier]
    sort = str(chosen.instrument.detail.get("sort", "digital"))
    sigma = sqrt(thermometer.SIGMA_K[sort] ** 2 + stdev(offsets) ** 2 / len(offsets))
    return Basis(
        "test boil", chosen.boil.reading_c - fmean(offsets), sigma,
        f"less what {len(earlier)} earlier boils taught", False, chosen.boil.reading_c,
        "temperature",
    )  # fmt: skip


def ladder(
    pressure: Pressure,
    chosen: ThermometerToday | None,
    target_brix: float,
    sugar_kind: str,
) -> list[Rung]:
    """Every mark from boiling water up, as the chosen thermometer shows it."""
    invert = target.DEFAULT_INVERT_FRACTION[sugar_kind]
    calibration = chosen.calibration if chosen else Calibration(at_c=pressure.boil_c)
    boil = pressure.boil_c

    def rung(
        key: str, label: str, low_k: float, high_k: float, rank: str, brix: float | None = None
    ) -> Rung:
        middle = boil + (low_k + high_k) / 2
        return Rung(
            key, label, middle, calibration.indicated_c(middle),
            calibration.indicated_c(boil + low_k), calibration.indicated_c(boil + high_k),
            middle - boil, brix, rank, middle >= BURN_HAZARD_C,
        )  # fmt: skip

    rungs = [
        rung("water", "water boils", 0.0, 0.0, "mark"),
        rung(
            "pre-filter", "strain once, while thin", target.PRE_FILTER_ABOVE_WATER_K,
            target.PRE_FILTER_ABOVE_WATER_K, "mark",
        ),
    ]  # fmt: skip
    marks = {target.FLOOR_BRIX: "floor", target.DEFAULT_BRIX: "floor", target_brix: "finish"}
    for brix, rank in sorted(marks.items()):
        step = target.finish_point(pressure.pa, brix, invert).above_water_c
        name = (
            "syrup"
            if rank == "finish"
            else "the floor"
            if brix == target.FLOOR_BRIX
            else "stricter places"
        )
        rungs.append(rung(f"finish-{brix:g}", f"{name}, {brix:g}", step, step, rank, brix))
    for piece in confections():
        solids = None
        try:
            solids = sucrose.brix_from_boiling_point(
                boil + piece.middle_above_water_k, pressure.pa, invert
            )
        except OutOfRange:
            continue
        rungs.append(
            rung(
                piece.key, piece.full_name, piece.low_above_water_k, piece.high_above_water_k,
                "candy", solids,
            )
        )  # fmt: skip
    return rungs


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
    elevation = form.between(
        "elevation", "elevation", -430, 5000,
        "Elevation must lie between −430 and 5000 m (−1410 and 16 400 ft).",
        required=basis in ("elevation", "forecast"),
    )  # fmt: skip
    if elevation is None:
        elevation = kitchen.elevation_m
    station = 0.0
    if basis == "elevation" and elevation is not None:
        station = air.pressure_at_elevation_pa(elevation)
    elif basis in ("station", "forecast"):
        hpa = form.between(
            "pressure", "pressure", 500, 1090,
            "A pressure must lie between 500 and 1090 hPa (14.8 and 32.2 inHg).",
        )  # fmt: skip
        outdoor = form.between(
            "outdoor", "temperature", -50, 50,
            "The outdoor temperature must lie between −50 and 50 °C.", required=False,
        )  # fmt: skip
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
    note = store.PressureNote(form.client_id(), now, basis, _typed(fields), station)
    with transaction(db):
        if elevation is not None and elevation != kitchen.elevation_m:
            save_kitchen(db, Kitchen(**{**kitchen.__dict__, "elevation_m": elevation}))
        store.add_pressure_note(db, note)


def test_boil(db: Connection, now: datetime, fields: dict[str, str]) -> None:
    """Take what a thermometer shows in rapidly boiling water.

    Raises:
        BadInput: no such thermometer, no pressure known yet, or a reading that boiling water
            here cannot give.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    known = {i.id: i for i in instruments(db, "thermometer")}
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
    store.add_test_boil(
        db,
        store.TestBoil(
            form.client_id(), now, chosen, fields.get("reading", "").strip(), reading,
            pressure.pa, pressure.sigma_pa, pressure.basis,
        ),
    )  # fmt: skip


def _typed(fields: dict[str, str]) -> dict[str, str]:
    """What a person typed, without the form's own bookkeeping."""
    return {k: v for k, v in fields.items() if v and k != "id" and not k.endswith("_is_so")}

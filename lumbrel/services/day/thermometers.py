"""The thermometers of a day: how far each can be trusted now."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection
from statistics import fmean

from lumbrel.core.bench import thermometer
from lumbrel.core.bench.thermometer import Calibration
from lumbrel.core.physics import water
from lumbrel.services.base.entry import Entry
from lumbrel.services.day.checks import ice_point, test_boils
from lumbrel.services.day.facts import TestBoilFacts
from lumbrel.services.day.pressure import Pressure
from lumbrel.store.instruments import Instrument, ThermometerDetail
from lumbrel.words import _, number

ICE_GOOD_FOR = timedelta(days=365)
ONE_DAY, MOST_BOILS = timedelta(hours=12), 9

DEFAULT_BOIL_BY, DEFAULT_END_POINT = "test-boil", _("computed")


@dataclass(frozen=True, kw_only=True)
class ThermometerToday:
    """A thermometer with its newest test boil and what follows from it now."""

    instrument: Instrument[ThermometerDetail]
    calibration: Calibration
    sigma_k: float
    boil: Entry[TestBoilFacts] | None = None
    boils: int = 0
    """How often it was read in boiling water that day; their mean counts."""
    stale: str = ""
    """Why a new test boil is asked for; empty when it is not."""
    pressure_change_pa: float | None = None

    @property
    def offset_sigma_k(self) -> float:
        """One sigma of the offset its test boil found; 0 without one."""
        if self.boil is None:
            return 0.0
        detail = self.instrument.detail
        return thermometer.offset_sigma_k(
            detail.sort, self.boil.facts.pressure_sigma_pa, detail.resolution_k, self.boils
        )

    @property
    def tested(self) -> bool:
        """Whether it has a test boil that still counts."""
        return self.boil is not None


def thermometer_today(
    db: Connection,
    instrument: Instrument[ThermometerDetail],
    pressure: Pressure,
    now: datetime,
    boil_by: str = DEFAULT_BOIL_BY,
) -> ThermometerToday:
    """A thermometer as it can be trusted now; a method that does not go by the test boil takes
    it at its word."""
    boils = of_that_day(db, instrument.id, now) if boil_by == DEFAULT_BOIL_BY else []
    if not boils:
        never = _("This thermometer has no test boil here yet.")
        return ThermometerToday(
            instrument=instrument,
            calibration=Calibration(at_c=pressure.boil_c),
            sigma_k=thermometer.sigma_now_k(instrument.detail.sort, None, instrument.detail.resolution_k),
            stale=never if boil_by == DEFAULT_BOIL_BY else "",
        )
    boil = boils[0]
    detail = instrument.detail
    hours = (now - boil.at) / timedelta(hours=1)
    # Without a barometer the same pressure is assumed now as at the boil: that keeps the marks
    # right while the air holds, and sigma_now_k widens with the boil's age.
    followed = pressure.followed and boil.facts.basis == "barometer"
    change = pressure.pa - boil.facts.station_pressure_pa if followed else None
    return ThermometerToday(
        instrument=instrument,
        calibration=thermometer.calibrate(
            water.boiling_point_c(boil.facts.station_pressure_pa) + fmean(map(shows_too_much, boils)),
            boil.facts.station_pressure_pa,
            detail.sort,
            _ice_reading_c(db, instrument, now),
        ),
        sigma_k=thermometer.sigma_now_k(
            detail.sort,
            thermometer.Tested(boils=len(boils), age_hours=hours, pressure_change_pa=change),
            detail.resolution_k,
        ),
        boil=boil,
        boils=len(boils),
        stale=_stale(hours, change),
        pressure_change_pa=change,
    )


def of_that_day(db: Connection, instrument_id: str, now: datetime) -> list[Entry[TestBoilFacts]]:
    """The newest test boils, those of one day, the last one first."""
    boils = test_boils(db, instrument_id, now, MOST_BOILS)
    return [boil for boil in boils if boils[0].at - boil.at <= ONE_DAY]


def shows_too_much(boil: Entry[TestBoilFacts]) -> float:
    """What a thermometer showed above where water boiled, K."""
    return boil.facts.reading_c - water.boiling_point_c(boil.facts.station_pressure_pa)


def _ice_reading_c(db: Connection, instrument: Instrument[ThermometerDetail], now: datetime) -> float | None:
    ice = ice_point(db, instrument.id, now)
    return ice.facts.reading_c if ice and now - ice.at <= ICE_GOOD_FOR else None


def _stale(hours: float, change_pa: float | None) -> str:
    """Why a test boil no longer counts in full; nothing while it does."""
    if hours > thermometer.TEST_BOIL_GOOD_FOR_HOURS:
        return _("Its last test boil is {age} old.", age=_age(hours))
    if change_pa is not None and abs(change_pa) > thermometer.TEST_BOIL_GOOD_FOR_PA:
        moved = _("risen") if change_pa > 0 else _("fallen")
        return _(
            "The pressure has {moved} {change_pa} hPa since its test boil.",
            moved=moved,
            change_pa=number(abs(change_pa) / 100, 1),
        )
    return ""


def _age(hours: float) -> str:
    return (
        _("{hours} hours", hours=number(hours, 0))
        if hours < 48
        else _("{hours} days", hours=number(hours / 24, 0))
    )

"""The thermometers of a day: how far each can be trusted now."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.bench import thermometer
from lumbrel.core.bench.thermometer import Calibration
from lumbrel.services.day.pressure import Pressure
from lumbrel.store import day as day_store
from lumbrel.store.instruments import Instrument, ThermometerDetail

ICE_GOOD_FOR = timedelta(days=365)

DEFAULT_BOIL_BY, DEFAULT_END_POINT = "test-boil", "computed"


@dataclass(frozen=True, kw_only=True)
class ThermometerToday:
    """A thermometer with its newest test boil and what follows from it now."""

    instrument: Instrument[ThermometerDetail]
    calibration: Calibration
    sigma_k: float
    boil: day_store.TestBoil | None = None
    stale: str = ""
    """Why a new test boil is asked for; empty when it is not."""
    pressure_change_pa: float | None = None

    @property
    def offset_sigma_k(self) -> float:
        """One sigma of the offset its test boil found; 0 without one."""
        if self.boil is None:
            return 0.0
        sort = self.instrument.detail.sort
        return thermometer.offset_sigma_k(sort, self.boil.pressure_sigma_pa)

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
    boils = day_store.test_boils(db, instrument.id, now, 1) if boil_by == DEFAULT_BOIL_BY else []
    if not boils:
        never = "It has never been in boiling water here."
        return ThermometerToday(
            instrument=instrument,
            calibration=Calibration(at_c=pressure.boil_c),
            sigma_k=thermometer.UNTESTED_SIGMA_K,
            stale=never if boil_by == DEFAULT_BOIL_BY else "",
        )
    boil = boils[0]
    detail = instrument.detail
    hours = (now - boil.at) / timedelta(hours=1)
    # Without a barometer the same pressure is assumed now as at the boil: that keeps the marks
    # right while the air holds, and sigma_now_k widens with the boil's age.
    followed = pressure.followed and boil.basis == "barometer"
    change = pressure.pa - boil.station_pressure_pa if followed else None
    return ThermometerToday(
        instrument=instrument,
        calibration=thermometer.calibrate(
            boil.reading_c,
            boil.station_pressure_pa,
            detail.sort,
            _ice_reading_c(db, instrument, now),
        ),
        sigma_k=thermometer.sigma_now_k(detail.sort, True, hours, change, detail.resolution_k),
        boil=boil,
        stale=_stale(hours, change),
        pressure_change_pa=change,
    )


def _ice_reading_c(
    db: Connection, instrument: Instrument[ThermometerDetail], now: datetime
) -> float | None:
    ice = day_store.latest_ice_point(db, instrument.id, now)
    return ice.reading_c if ice and now - ice.at <= ICE_GOOD_FOR else None


def _stale(hours: float, change_pa: float | None) -> str:
    """Why a test boil no longer counts in full; nothing while it does."""
    if hours > thermometer.TEST_BOIL_GOOD_FOR_HOURS:
        return f"Its last test boil is {_age(hours)} old."
    if change_pa is not None and abs(change_pa) > thermometer.TEST_BOIL_GOOD_FOR_PA:
        moved = "risen" if change_pa > 0 else "fallen"
        return f"The pressure has {moved} {abs(change_pa) / 100:.1f} hPa since its test boil."
    return ""


def _age(hours: float) -> str:
    return f"{hours:.0f} hours" if hours < 48 else f"{hours / 24:.0f} days"

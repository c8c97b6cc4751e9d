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
    boil: day_store.TestBoil | None
    stale: str
    """Why a new test boil is asked for; empty when it is not."""
    pressure_change_pa: float | None

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
    """A thermometer as it can be trusted now; a school that does not go by the test boil takes
    it at its word."""
    if boil_by != DEFAULT_BOIL_BY:
        return ThermometerToday(
            instrument=instrument,
            calibration=Calibration(at_c=pressure.boil_c),
            sigma_k=thermometer.UNTESTED_SIGMA_K,
            boil=None,
            stale="",
            pressure_change_pa=None,
        )
    boils = day_store.test_boils(db, instrument.id, now, 1)
    sort = instrument.detail.sort
    if not boils:
        return ThermometerToday(
            instrument=instrument,
            calibration=Calibration(at_c=pressure.boil_c),
            sigma_k=thermometer.UNTESTED_SIGMA_K,
            boil=None,
            stale="It has never been in boiling water here.",
            pressure_change_pa=None,
        )
    boil = boils[0]
    ice = day_store.latest_ice_point(db, instrument.id, now)
    recent = ice if ice and now - ice.at <= ICE_GOOD_FOR else None
    calibration = thermometer.calibrate(
        boil.reading_c, boil.station_pressure_pa, sort, recent.reading_c if recent else None
    )
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
    resolution = instrument.detail.resolution_k
    sigma = thermometer.sigma_now_k(sort, True, hours, change, resolution)
    return ThermometerToday(
        instrument=instrument,
        calibration=calibration,
        sigma_k=sigma,
        boil=boil,
        stale=stale,
        pressure_change_pa=change,
    )


def _age(hours: float) -> str:
    return f"{hours:.0f} hours" if hours < 48 else f"{hours / 24:.0f} days"

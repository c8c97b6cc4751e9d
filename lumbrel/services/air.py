"""Station pressure at a moment, by the best basis there is."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from math import sqrt
from sqlite3 import Connection

from lumbrel.core.bench import thermometer
from lumbrel.core.physics import air, water
from lumbrel.store import day as store
from lumbrel.store.kitchen import Kitchen, instruments

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

"""Station pressure at a moment, by the best basis there is."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from math import sqrt
from sqlite3 import Connection

from lumbrel.core.bench import thermometer
from lumbrel.core.pan.target import boil_by_feet_rule_c
from lumbrel.core.physics import air, water
from lumbrel.services.base.entry import newest_until
from lumbrel.services.day.checks import error_of
from lumbrel.services.day.facts import PressureFacts
from lumbrel.store import samples as samples_store
from lumbrel.store.book import KITCHEN
from lumbrel.store.instruments import BarometerDetail, Instrument, instruments_of
from lumbrel.store.kitchen import Kitchen
from lumbrel.words import _

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
        return self.sigma_pa * thermometer.BOIL_SHIFT_K_PER_PA


def pressure_at(db: Connection, kitchen: Kitchen, at: datetime) -> Pressure | None:
    """Station pressure at a moment: barometer, then typed, then forecast, then elevation."""
    for barometer in instruments_of(db, BarometerDetail, at):
        sample = samples_store.latest_sample(db, barometer.id, at)
        if sample and at - sample.at <= BAROMETER_FRESH:
            here = station_pa(db, kitchen, barometer, sample.value, at)
            return Pressure(here, air.BAROMETER_SIGMA_PA, "barometer", sample.at, True)
    note = next(iter(newest_until(db, PressureFacts, KITCHEN, at, 1)), None)
    if note and at - note.at <= NOTE_FRESH and note.facts.basis != "elevation":
        own = air.BAROMETER_SIGMA_PA if note.facts.basis == "station" else air.FORECAST_SIGMA_PA
        age_days = (at - note.at) / timedelta(days=1)
        sigma = sqrt(own**2 + (air.ELEVATION_ONLY_SIGMA_PA * age_days) ** 2)
        return Pressure(note.facts.station_pressure_pa, sigma, note.facts.basis, note.at, False)
    elevation_m = kitchen.elevation_at(at)
    if elevation_m is not None:
        mean = air.pressure_at_elevation_pa(elevation_m)
        return Pressure(mean, air.ELEVATION_ONLY_SIGMA_PA, "elevation", None, False)
    return None


def station_pa(
    db: Connection, kitchen: Kitchen, barometer: Instrument[BarometerDetail], shown_pa: float, at: datetime
) -> float:
    """Station pressure behind what a registered barometer shows: its own error off, and brought
    down to the kitchen's height when it shows the pressure at sea level."""
    true = shown_pa - error_of(db, barometer.id, at)
    elevation_m = kitchen.elevation_at(at)
    if barometer.detail.shows == "sea-level" and elevation_m is not None:
        return air.station_pressure_from_sea_level_pa(true, elevation_m)
    return true


def pressure_by(db: Connection, kitchen: Kitchen, at: datetime, boil_by: str) -> Pressure | None:
    """Station pressure as a method of "where water boils" holds it.

    Args:
        boil_by: "test-boil" or "barometer" (the best basis there is), "elevation" (whatever the
            weather), or "feet-rule" (the pressure at which that rule would be right).
    """
    best = pressure_at(db, kitchen, at)
    elevation_m = kitchen.elevation_at(at)
    if elevation_m is None or best is None:
        return best
    if boil_by == "elevation":
        mean = air.pressure_at_elevation_pa(elevation_m)
        return Pressure(mean, air.ELEVATION_ONLY_SIGMA_PA, "elevation", None, False)
    if boil_by == "feet-rule":
        implied = water.saturation_pressure_pa(boil_by_feet_rule_c(elevation_m))
        return Pressure(implied, 2 * air.ELEVATION_ONLY_SIGMA_PA, _("rule of feet"), None, False)
    return best

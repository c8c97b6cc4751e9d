"""The thermometer: what it shows, what is true, and what the boil says of density.

indicated = true + offset. One test boil gives the offset at the boil, which is all that a
finish near the boil needs; a second point (ice) gives a slope.
"""

from dataclasses import dataclass
from math import sqrt

from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics import sucrose, water
from lumbrel.words import _, bare, number

SIGMA_K = {"digital": 0.15, "dial": 0.3, "glass": 0.3}
UNTESTED_SIGMA_K = 1.0
BOIL_SHIFT_K_PER_PA = 0.028 / 100
TEST_BOIL_GOOD_FOR_HOURS = 12.0
TEST_BOIL_GOOD_FOR_PA = 300.0
MAX_OFFSET_K = 8.0
MOST_BRIX = 97.0


@dataclass(frozen=True)
class Calibration:
    """How one thermometer departs from the truth.

    Args:
        offset_k: indicated less true at `at_c`.
        sigma_k: one sigma of a corrected temperature near `at_c`.
        slope: growth of the offset per kelvin above `at_c`; 0 unless a second point was taken.
        at_c: true temperature at which the offset was found.
    """

    offset_k: float = 0.0
    sigma_k: float = UNTESTED_SIGMA_K
    slope: float = 0.0
    at_c: float = 100.0

    def indicated_c(self, true_c: float) -> float:
        """What the thermometer shows at a true temperature, degC."""
        return true_c + self.offset_k + self.slope * (true_c - self.at_c)

    def true_c(self, indicated_c: float) -> float:
        """The true temperature behind an indication, degC; inverse of `indicated_c`."""
        return (indicated_c - self.offset_k + self.slope * self.at_c) / (1 + self.slope)


def calibrate(
    test_boil_reading_c: float,
    station_pressure_pa: float,
    kind: str = "digital",
    ice_reading_c: float | None = None,
) -> Calibration:
    """A calibration from a reading in rapidly boiling water, and in melting ice if taken.

    Marks given in what this thermometer shows (its reading in boiling water plus the rise of
    the syrup) do not depend on the pressure's uncertainty; `sigma_k` is therefore the
    reading's own. The offset itself is uncertain by the pressure's part as well
    (`offset_sigma_k`).

    Args:
        test_boil_reading_c: indicated, degC.
        station_pressure_pa: Pa, 50000 to 110000.
        kind: "digital", "dial" or "glass".
        ice_reading_c: indicated in melting ice, degC, -8 to 8.
    Raises:
        OutOfRange: the reading is more than 8 K from where water boils at that pressure.
    """
    sucrose.require_station_pressure(station_pressure_pa)
    boil = water.boiling_point_c(station_pressure_pa)
    offset = test_boil_reading_c - boil
    if not abs(offset) <= MAX_OFFSET_K:
        raise OutOfRange(
            _(
                "Water boils at {boil} °C ({boil_2} °F) at {station_pressure_pa} hPa; a test boil "
                "must read within {MAX_OFFSET_K} K of that. Was it typed in the other unit, or not "
                "yet boiling?",
                boil=number(boil, 1),
                boil_2=number(boil * 1.8 + 32, 1),
                station_pressure_pa=number(station_pressure_pa / 100, 0),
                MAX_OFFSET_K=bare(MAX_OFFSET_K),
            ),
            "test_boil_reading_c",
        )
    slope = 0.0
    if ice_reading_c is not None:
        require_between(
            ice_reading_c, -8.0, 8.0, field="ice_reading_c", what=_("A reading in melting ice"), unit="°C"
        )
        slope = (offset - ice_reading_c) / boil
    return Calibration(offset, SIGMA_K[kind], slope, boil)


def offset_sigma_k(kind: str, pressure_sigma_pa: float, resolution_k: float = 0.0, boils: int = 1) -> float:
    """One sigma of the offset from test boils, K: the readings' and the pressure's part.

    Args:
        kind: "digital", "dial" or "glass".
        pressure_sigma_pa: one sigma of the station pressure, Pa.
        resolution_k: its smallest division, K.
        boils: how often it was read in boiling water that day.
    """
    read = level_sigma_k(kind, resolution_k, boils)
    return sqrt(read**2 + (pressure_sigma_pa * BOIL_SHIFT_K_PER_PA) ** 2)


def drift_sigma_k(age_hours: float, pressure_change_pa: float | None) -> float:
    """What an unfollowed pressure may have moved the boil since a test boil, one sigma, K.

    Args:
        age_hours: hours since it, 0 and up.
        pressure_change_pa: given when the pressure is followed; then it is corrected for.
    """
    if pressure_change_pa is not None:
        return 0.0
    return 800.0 * min(age_hours / 24.0, 1.0) * BOIL_SHIFT_K_PER_PA


def reading_sigma_k(kind: str, resolution_k: float = 0.0) -> float:
    """One sigma of a test-boiled thermometer's reading, K.

    Args:
        kind: "digital", "dial" or "glass".
        resolution_k: its smallest division, K, 0 to 10; its share, a division over the root of
            twelve, counts when it is coarse.
    """
    require_between(resolution_k, 0.0, 10.0, field="resolution_k", what=_("The smallest division"), unit="K")
    return max(SIGMA_K[kind], sqrt((SIGMA_K[kind] / 2) ** 2 + resolution_k**2 / 12))


STAYS_K = {"digital": 0.05, "dial": 0.14, "glass": 0.14}
"""Of the level's sigma, what stays however often it is read in boiling water."""
TYPED_SIGMA_K = {"digital": 0.1, "dial": 0.29, "glass": 0.29}


def level_sigma_k(kind: str, resolution_k: float = 0.0, boils: int = 1) -> float:
    """One sigma of a thermometer's level after so many readings in boiling water, K.

    Args:
        kind: "digital", "dial" or "glass".
        resolution_k: its smallest division, K.
        boils: 1 and up.
    """
    once, stays = reading_sigma_k(kind, resolution_k), STAYS_K[kind]
    return sqrt(stays**2 + (once**2 - stays**2) / max(boils, 1))


def typed_sigma_k(kind: str, resolution_k: float = 0.0) -> float:
    """One sigma of a single reading that is typed, besides the level, K: the eye, the boil's
    stirring, and half of the smallest division.

    Args:
        kind: "digital", "dial" or "glass".
        resolution_k: its smallest division, K.
    """
    return sqrt(TYPED_SIGMA_K[kind] ** 2 + resolution_k**2 / 12)


@dataclass(frozen=True, kw_only=True)
class Tested:
    """A thermometer's test boils of the day: how many, and what the air did since."""

    boils: int = 1
    age_hours: float = 0.0
    pressure_change_pa: float | None = None


def sigma_now_k(kind: str, tested: Tested | None, resolution_k: float = 0.0) -> float:
    """One sigma of a corrected temperature's level now, K.

    A followed pressure is corrected for; an unfollowed one (None) may have moved since the
    test boil, by some 8 hPa in a day.

    Args:
        kind: "digital", "dial" or "glass".
        tested: its test boils; None without any.
        resolution_k: smallest division, K.
    """
    if tested is None:
        return max(UNTESTED_SIGMA_K, reading_sigma_k(kind, resolution_k))
    own = level_sigma_k(kind, resolution_k, tested.boils)
    drift = drift_sigma_k(tested.age_hours, tested.pressure_change_pa)
    return max(own, min(UNTESTED_SIGMA_K, sqrt(own**2 + drift**2)))


def estimate(
    true_c: float,
    sigma_k: float,
    station_pressure_pa: float,
    invert_fraction: float = 0.01,
    real_sigma_k: float | None = None,
) -> Estimate:
    """The density a boiling temperature speaks of, as evidence.

    Args:
        true_c: corrected temperature of the boil, degC.
        sigma_k: its sigma, K, above 0 to 20.
        station_pressure_pa: Pa, 50000 to 110000.
        invert_fraction: 0 to 1.
        real_sigma_k: how well the boil of this syrup is known, where its woodlot taught it.
    Returns:
        Brix with sigma; that of the boiling curve itself is included. A temperature within
        2 sigma below water's boil counts as water's boil.
    Raises:
        OutOfRange: the liquid is not boiling, or hotter than any syrup can boil.
    """
    if not 0 < sigma_k <= 20:
        raise OutOfRange(_("A thermometer's uncertainty must be above 0 and at most 20 K."), "uncertainty_c")
    boil = water.boiling_point_c(sucrose.require_station_pressure(station_pressure_pa))
    if boil - 2 * sigma_k <= true_c < boil:
        true_c = boil
    brix = sucrose.brix_from_boiling_point(true_c, station_pressure_pa, invert_fraction)
    curve_k = sucrose.syrup_sigma_k(brix, invert_fraction, real_sigma_k)
    rise = sqrt(sigma_k**2 + curve_k**2)
    warmer = min(
        true_c + rise, sucrose.boiling_point_c(sucrose.MAX_BOIL_BRIX, station_pressure_pa, invert_fraction)
    )
    above = sucrose.brix_from_boiling_point(warmer, station_pressure_pa, invert_fraction) - brix
    slope = sucrose.boiling_slope_k_per_brix(max(brix, 0.1), station_pressure_pa, invert_fraction)
    sigma_brix = rise / slope if brix >= 40 else max(above, 0.5)
    return Estimate("thermometer", min(brix, MOST_BRIX), min(sigma_brix, 50.0))

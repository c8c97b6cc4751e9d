"""Sugar in water: density, boiling curve, solubility, refraction.

Brix is percent of dissolved solids by mass. The invert fraction is the share of those solids
that is hexoses (invert sugar), 0 to 1.

Sources:
    [1] ICUMSA SPS-4, density of sucrose solutions.
    [2] Water activity by a two-constant Margules form: it meets the two trade points 66.0
        (+7.1 degF) and 66.9 (+7.5 degF) at one atmosphere, and the published curves of strong
        solutions to 0.5 K at 85 to 97 Brix.
    [3] Vavrinecz, solubility of sucrose.
    [4] Specific heat of sugar solutions, the usual linear form in Brix, purity and
        temperature.
"""

from itertools import pairwise
from math import exp, log, sqrt

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics import water
from lumbrel.words import _, bare, number

_B = (
    (385.1761, 135.3705, 40.9299, -3.9643, 13.4853, -17.2890),
    (-46.2720, -7.1720, 1.1597, 5.1126, 17.5254),
    (59.7712, 7.2491, 12.3630, -35.4791),
    (-47.2207, -21.6977, 27.6301),
    (18.3184, 12.3081),
)
MAX_DENSITY_BRIX = 85.0
MAX_BOIL_BRIX = 98.0
MARGULES_SUCROSE, MARGULES_HEXOSE = (5.455, 6.5), (1.6, 0.0)
"""K0 and K1 of each: ln(activity / share of water) = -(K0 - K1 x) x², x the share of solute."""
_SUCROSE_G, _HEXOSE_G, _WATER_G = 342.30, 180.16, 18.015


def _density_terms(temperature_c: float) -> tuple[float, ...]:
    """Coefficients of the powers of the mass fraction at one temperature, water first."""
    tau = (temperature_c - 20.0) / 100.0
    terms = [water.density_kg_m3(temperature_c), 0.0, 0.0, 0.0, 0.0, 0.0, 0.0]
    power = 1.0
    for row in _B:
        for i, b in enumerate(row, start=1):
            terms[i] += power * b
        power *= tau
    return tuple(terms)


def density_kg_m3(brix: float, temperature_c: float) -> float:
    """Density of a sucrose solution, kg/m3.

    Args:
        brix: percent by mass, 0 to 85.
        temperature_c: degC, 0 to 100.
    Raises:
        OutOfRange: a value lies outside its range.
    Uncertainty: 0.1 kg/m3 to 80 degC, 0.5 above. Source: [1].
    """
    require_between(brix, 0.0, MAX_DENSITY_BRIX, field="brix", what=_("Brix"), unit=_("percent by mass"))
    w = brix / 100.0
    total = 0.0
    for coefficient in reversed(_density_terms(temperature_c)):
        total = total * w + coefficient
    return total


def brix_from_density(density: float, temperature_c: float) -> float:
    """Brix of a sucrose solution of the given density; inverse of `density_kg_m3`.

    Args:
        density: kg/m3.
        temperature_c: degC, 0 to 100.
    Returns:
        Brix, 0 to 85, solved to 1e-9.
    Raises:
        OutOfRange: no solution of 0 to 85 Brix has that density.
    Source: [1].
    """
    terms = _density_terms(temperature_c)
    w = 0.5
    for _any in range(30):
        value = slope = 0.0
        for coefficient in reversed(terms):
            slope = slope * w + value
            value = value * w + coefficient
        step = (density - value) / slope
        w = min(max(w + step, -0.05), 0.95)
        if abs(step) < 1e-11:
            break
    brix = 100.0 * w
    if -1e-7 < brix < 0:
        brix = 0.0
    if not 0.0 <= brix <= MAX_DENSITY_BRIX:
        raise OutOfRange(
            _(
                "A density of {density} kg/m³ at {temperature_c} °C is not that of a syrup between 0 "
                "and {MAX_DENSITY_BRIX} Brix.",
                density=number(density, 1),
                temperature_c=number(temperature_c, 1),
                MAX_DENSITY_BRIX=bare(MAX_DENSITY_BRIX),
            ),
            "density",
        )
    return brix


def water_activity(brix: float, invert_fraction: float = 0.0) -> float:
    """Activity of the water in a sugar solution near its boil, 0 to 1.

    Args:
        brix: percent by mass, 0 to 98.
        invert_fraction: share of the solids that is hexoses, 0 to 1.
    Raises:
        OutOfRange: a value lies outside its range.
    Uncertainty: what the boiling point says. Source: [2].
    """
    require_between(brix, 0.0, MAX_BOIL_BRIX, field="brix", what=_("Brix"), unit=_("percent by mass"))
    require_between(
        invert_fraction, 0.0, 1.0, field="invert_fraction", what=_("The invert fraction"), unit=""
    )
    per_g, k0, k1 = _solute(invert_fraction)
    solute = brix * per_g
    x = solute / (solute + (100.0 - brix) / _WATER_G)
    return (1 - x) * exp(-(k0 - k1 * x) * x * x)


def boiling_point_c(brix: float, pressure_pa: float, invert_fraction: float = 0.0) -> float:
    """Temperature at which a sugar solution boils, degC.

    Args:
        brix: percent by mass, 0 to 98.
        pressure_pa: station pressure, Pa, 50000 to 110000.
        invert_fraction: share of the solids that is hexoses, 0 to 1.
    Raises:
        OutOfRange: a value lies outside its range.
    Uncertainty: the curve 0.1 K to 70 Brix, 0.5 K at 85, 1 K above (`boiling_sigma_k`); what
        real syrup adds, see `syrup_sigma_k`. Source: [2] with IAPWS-IF97 for the vapour.
    """
    require_station_pressure(pressure_pa)
    return water.boiling_point_c(pressure_pa / water_activity(brix, invert_fraction))


def brix_from_boiling_point(temperature_c: float, pressure_pa: float, invert_fraction: float = 0.0) -> float:
    """Brix of a solution boiling at the given temperature; inverse of `boiling_point_c`.

    Args:
        temperature_c: true temperature of the boil, degC, from water's boil up.
        pressure_pa: station pressure, Pa, 50000 to 110000.
        invert_fraction: share of the solids that is hexoses, 0 to 1.
    Raises:
        OutOfRange: the temperature is below the boil of water at this pressure, or above
            that of 97 Brix.
    Source: [2].
    """
    require_station_pressure(pressure_pa)
    coldest = water.boiling_point_c(pressure_pa)
    hottest = boiling_point_c(MAX_BOIL_BRIX, pressure_pa, invert_fraction)
    if not coldest - 1e-9 <= temperature_c <= hottest:
        raise OutOfRange(
            _(
                "At {pressure_pa} hPa a boiling sugar solution stands between {coldest} and "
                "{hottest} °C; {temperature_c} °C is outside that.",
                pressure_pa=number(pressure_pa / 100, 0),
                coldest=number(coldest, 1),
                hottest=number(hottest, 1),
                temperature_c=number(temperature_c, 1),
            ),
            "temperature_c",
        )
    wanted = pressure_pa / water.saturation_pressure_pa(temperature_c)
    if wanted >= 1.0:
        return 0.0
    # The share of solute molecules by Newton's method, then the Brix that holds so many.
    per_g, k0, k1 = _solute(invert_fraction)
    x = 1 - wanted
    for _any in range(60):
        miss = log((1 - x) / wanted) - (k0 - k1 * x) * x * x
        step = miss / (1 / (1 - x) + (2 * k0 - 3 * k1 * x) * x)
        x = min(x + step, (x + 1) / 2)
        if abs(step) < 1e-14:
            break
    return 100 * x / (x + per_g * _WATER_G * (1 - x))


def _solute(invert_fraction: float) -> tuple[float, float, float]:
    """Moles in a gram of solids, and the two constants of the mixture, weighted by moles."""
    sucrose, hexose = (1 - invert_fraction) / _SUCROSE_G, invert_fraction / _HEXOSE_G
    moles = sucrose + hexose
    k0, k1 = (
        (of_sucrose * sucrose + of_hexose * hexose) / moles
        for of_sucrose, of_hexose in zip(MARGULES_SUCROSE, MARGULES_HEXOSE, strict=True)
    )
    return moles, k0, k1


def boiling_slope_k_per_brix(brix: float, pressure_pa: float, invert_fraction: float = 0.0) -> float:
    """How much the boiling point rises for one Brix more, K per Brix (0.22 at 66.9).

    Args and errors: as `boiling_point_c`.
    """
    half = 0.05
    low, high = max(brix - half, 0.0), min(brix + half, MAX_BOIL_BRIX)
    rise = boiling_point_c(high, pressure_pa, invert_fraction) - boiling_point_c(
        low, pressure_pa, invert_fraction
    )
    return rise / (high - low)


CURVE_SIGMA_K = ((70.0, 0.1), (85.0, 0.5), (90.0, 1.0))
REAL_MAPLE_SIGMA_K, REAL_BIRCH_SIGMA_K = 0.15, 0.35
_MAPLE_INVERT, _BIRCH_INVERT = 0.05, 0.85


def boiling_sigma_k(brix: float) -> float:
    """One sigma of the boiling curve itself, K: 0.1 to 70 Brix, 0.5 at 85, 1 from 90 on.

    Args:
        brix: percent by mass, 0 to 98.
    """
    for (w0, s0), (w1, s1) in pairwise(CURVE_SIGMA_K):
        if brix <= w1:
            return s0 + (s1 - s0) * max(brix - w0, 0.0) / (w1 - w0)
    return CURVE_SIGMA_K[-1][1]


def real_sigma_k(invert_fraction: float) -> float:
    """How far real syrup boils off the curve up to 70 Brix, one sigma, K: maple 0.15, birch 0.35.

    Args:
        invert_fraction: share of the solids that is hexoses, 0 to 1.
    """
    between = (invert_fraction - _MAPLE_INVERT) / (_BIRCH_INVERT - _MAPLE_INVERT)
    share = min(max(between, 0.0), 1.0)
    return REAL_MAPLE_SIGMA_K + share * (REAL_BIRCH_SIGMA_K - REAL_MAPLE_SIGMA_K)


def syrup_sigma_k(brix: float, invert_fraction: float, real_k: float | None = None) -> float:
    """One sigma of the boil of real syrup, K: the curve's own, and what its minerals and its
    invert sugar, which nobody measured, make of it.

    Args:
        brix: percent by mass, 0 to 98.
        invert_fraction: share of the solids that is hexoses, 0 to 1.
        real_k: where its woodlot taught it, how well the boil of its syrup is known up to 70 Brix.
    """
    real = max(real_sigma_k(invert_fraction) if real_k is None else real_k, CURVE_SIGMA_K[0][1])
    return sqrt(real**2 - CURVE_SIGMA_K[0][1] ** 2 + boiling_sigma_k(brix) ** 2)


def solubility_percent(temperature_c: float) -> float:
    """Sucrose that water can hold dissolved, percent by mass of the solution.

    Args:
        temperature_c: degC, 0 to 100.
    Raises:
        OutOfRange: the temperature lies outside that range.
    Uncertainty: 0.1. Source: [3].
    """
    t = require_between(
        temperature_c, 0.0, 100.0, field="temperature_c", what=_("The temperature"), unit="°C"
    )
    return 64.447 + t * (0.08222 + t * (1.6169e-3 + t * (-1.558e-6 - t * 4.63e-8)))


def specific_heat_kj_per_kg_k(brix: float, temperature_c: float, purity_percent: float = 100.0) -> float:
    """Specific heat of a sugar solution, kJ/(kg K).

    Args:
        brix: percent by mass, 0 to 98.
        temperature_c: degC, 0 to 160.
        purity_percent: sucrose in the solids, percent, 0 to 100.
    Raises:
        OutOfRange: a value lies outside its range.
    Uncertainty: 2 %. Source: [4].
    """
    require_between(brix, 0.0, MAX_BOIL_BRIX, field="brix", what=_("Brix"), unit=_("percent by mass"))
    require_between(temperature_c, 0.0, 160.0, field="temperature_c", what=_("The temperature"), unit="°C")
    require_between(purity_percent, 0.0, 100.0, field="purity_percent", what=_("The purity"), unit="%")
    return 4.1868 - 0.0297 * brix + 4.61e-3 * brix * purity_percent / 100 + 7.5e-5 * brix * temperature_c


def require_station_pressure(pressure_pa: float) -> float:
    """Return a station pressure in 500 to 1100 hPa, else raise OutOfRange."""
    require_between(
        pressure_pa / 100, 500.0, 1100.0, field="station_pressure_hpa", what=_("Station pressure"), unit="hPa"
    )
    return pressure_pa

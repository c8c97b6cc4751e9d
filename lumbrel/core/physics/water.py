"""Water: where it boils, how dense it is, what it costs to drive it off.

Sources:
    [1] IAPWS-IF97, region 4, equations 30 (pressure from temperature) and 31 (temperature
        from pressure).
    [2] G. S. Kell, J. Chem. Eng. Data 20 (1975) 97-105, density of air-free water.
"""

from math import sqrt

from lumbrel.core.errors import require_between
from lumbrel.words import _

_N1, _N2, _N3, _N4, _N5 = (
    0.11670521452767e4,
    -0.72421316703206e6,
    -0.17073846940092e2,
    0.12020824702470e5,
    -0.32325550322333e7,
)
_N6, _N7, _N8, _N9, _N10 = (
    0.14915108613530e2,
    -0.48232657361591e4,
    0.40511340542057e6,
    -0.23855557567849,
    0.65017534844798e3,
)
_KELVIN = 273.15
_LOWEST_PRESSURE_PA, _HIGHEST_PRESSURE_PA = 611.213, 22.064e6


def boiling_point_c(pressure_pa: float) -> float:
    """Temperature at which pure water boils, degC.

    Args:
        pressure_pa: absolute pressure, Pa, 611.213 to 22.064e6.
    Raises:
        OutOfRange: the pressure lies outside that range.
    Uncertainty: 0.001 K between 0 and 150 degC. Source: [1] equation 31.
    """
    require_between(
        pressure_pa,
        _LOWEST_PRESSURE_PA,
        _HIGHEST_PRESSURE_PA,
        field="pressure_pa",
        what=_("The pressure"),
        unit=_("Pa"),
    )
    beta = sqrt(sqrt(pressure_pa * 1e-6))
    e = (beta + _N3) * beta + _N6
    f = (_N1 * beta + _N4) * beta + _N7
    g = (_N2 * beta + _N5) * beta + _N8
    d = 2 * g / (-f - sqrt(f * f - 4 * e * g))
    total = _N10 + d
    return (total - sqrt(total * total - 4 * (_N9 + _N10 * d))) / 2 - _KELVIN


def saturation_pressure_pa(temperature_c: float) -> float:
    """Pressure of water vapour over boiling pure water, Pa.

    Args:
        temperature_c: degC, 0 to 373.9.
    Raises:
        OutOfRange: the temperature lies outside that range.
    Uncertainty: 0.03 %. Source: [1] equation 30.
    """
    require_between(temperature_c, 0.0, 373.9, field="temperature_c", what=_("The temperature"), unit="°C")
    kelvin = temperature_c + _KELVIN
    theta = kelvin + _N9 / (kelvin - _N10)
    a = (theta + _N1) * theta + _N2
    b = (_N3 * theta + _N4) * theta + _N5
    c = (_N6 * theta + _N7) * theta + _N8
    root = 2 * c / (-b + sqrt(b * b - 4 * a * c))
    return root**4 * 1e6


def density_kg_m3(temperature_c: float) -> float:
    """Density of water at one atmosphere, kg/m3.

    Args:
        temperature_c: degC, 0 to 100.
    Raises:
        OutOfRange: the temperature lies outside that range.
    Uncertainty: 0.01 kg/m3. Source: [2].
    """
    t = require_between(
        temperature_c, 0.0, 100.0, field="temperature_c", what=_("The temperature"), unit="°C"
    )
    top = 999.83952 + t * (
        16.952577 + t * (-7.9905127e-3 + t * (-46.241757e-6 + t * (105.84601e-9 - t * 281.03006e-12)))
    )
    return top / (1 + 16.887236e-3 * t)


def latent_heat_kj_per_kg(temperature_c: float) -> float:
    """Heat that drives off one kilogram of water at the boil, kJ/kg.

    Args:
        temperature_c: degC, 80 to 160.
    Raises:
        OutOfRange: the temperature lies outside that range.
    Uncertainty: 5 kJ/kg. Source: steam tables, 2257 at 100 degC less 2.4 per kelvin.
    """
    require_between(temperature_c, 80.0, 160.0, field="temperature_c", what=_("The boil"), unit="°C")
    return 2257.0 - 2.4 * (temperature_c - 100.0)

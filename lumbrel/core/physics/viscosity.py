"""How thick syrup is, by its density and its heat.

Source: Génotelle's equation for sucrose solutions, as sugar technologists' handbooks print it; within
a few percent up to 75 Brix between 0 and 80 degC, some ten percent beyond.
"""

from lumbrel.core.errors import require_between
from lumbrel.words import _

DENSEST_BRIX = 80.0


def viscosity_mpa_s(brix: float, temperature_c: float) -> float:
    """Dynamic viscosity of a sucrose solution, mPa s.

    Args:
        brix: percent by mass, 0 to 80.
        temperature_c: degC, 0 to 110.
    Raises:
        OutOfRange: a value lies outside its range.
    Example: 60 Brix at 20 degC is 59 mPa s; 66.9 at 85 degC about 10.
    """
    require_between(brix, 0.0, DENSEST_BRIX, field="brix", what=_("Brix"), unit=_("percent by mass"))
    require_between(temperature_c, 0.0, 110.0, field="temperature_c", what=_("The temperature"), unit="°C")
    x = brix / (1900 - 18 * brix)
    heat = (30 - temperature_c) / (91 + temperature_c)
    return float(10 ** (22.46 * x - 0.114 + heat * (1.1 + 43.1 * x**1.25)))

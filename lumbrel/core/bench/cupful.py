"""A cupful on a scale: what it weighs, and how much it is, say how dense it is.

Source: the density of sucrose solutions (ICUMSA SPS-4); hexoses are a little lighter.
"""

from math import hypot
from typing import NamedTuple

from lumbrel.core.bench.hydrometer import LIGHTER_HEXOSES, LIGHTER_SIGMA
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics import sucrose, water
from lumbrel.words import _, number

MARK_SIGMA, BRIM_SIGMA = 0.02, 0.004
"""Of the volume: by the line of a kitchen measure; by the water that the same cup holds."""
FROTH_SIGMA, SCALE_SIGMA_KG, SCALE_SIGMA = 0.003, 0.001, 0.002
"""Of the mass: bubbles in a hot cupful; a kitchen scale that reads to the gram."""
WARM_SIGMA_K = 3.0
LIGHTEST, HEAVIEST = 950.0, 1430.0
"""kg/m3: nothing that is boiled down is lighter or heavier."""


class Cupful(NamedTuple):
    """A density by mass and volume, Brix, with one sigma and the part that every cupful of the same
    cup shares."""

    brix: float
    sigma_brix: float
    shared_sigma_brix: float
    density_kg_m3: float


def volume_of_water_l(mass_kg: float) -> float:
    """How much a cup holds, L, by the water that it holds at 20 degC.

    Args:
        mass_kg: of the water, above 0.
    """
    return mass_kg / water.density_kg_m3(20.0) * 1000


def cupful(
    mass_kg: float,
    volume_l: float,
    temperature_c: float,
    invert_fraction: float = 0.0,
    *,
    by_water: bool = False,
) -> Cupful:
    """The density of a cupful.

    Args:
        mass_kg: of the syrup alone, 0.02 to 20.
        volume_l: of the cup to where it is filled, 0.02 to 20.
        temperature_c: of the syrup, degC, 0 to 100.
        invert_fraction: of its solids, 0 to 1.
        by_water: the volume is known by the water that the same cup holds.
    Raises:
        OutOfRange: a value lies outside its range, or it would be lighter than water, or candy.
    Uncertainty: by a measure's line 3.6 Brix at the finish, by water 1.2.
    """
    require_between(mass_kg, 0.02, 20.0, field="mass_kg", what=_("A cupful"), unit="kg")
    require_between(volume_l, 0.02, 20.0, field="volume_l", what=_("A cup"), unit="L")
    density = mass_kg / volume_l * 1000
    if not LIGHTEST <= density <= HEAVIEST:
        raise OutOfRange(
            _(
                "That would be {density} kg a litre: water is 1.00, finished syrup 1.33, and candy "
                "1.43. Weigh the syrup alone, without the cup, and the cup full to the same line.",
                density=number(density / 1000, 2),
            ),
            "mass_kg",
        )
    heavy = sucrose.brix_from_density(max(density, _water_like(temperature_c)), temperature_c)
    brix = heavy / (1 - LIGHTER_HEXOSES * invert_fraction)
    per_brix = (
        sucrose.density_kg_m3(min(heavy + 0.5, 85.0), temperature_c)
        - sucrose.density_kg_m3(max(heavy - 0.5, 0.0), temperature_c)
    ) / (min(heavy + 0.5, 85.0) - max(heavy - 0.5, 0.0))
    warm = 0.0005 * WARM_SIGMA_K
    volume = BRIM_SIGMA if by_water else MARK_SIGMA
    own = hypot(FROTH_SIGMA, SCALE_SIGMA_KG / mass_kg, SCALE_SIGMA, warm)
    lighter = LIGHTER_SIGMA * invert_fraction * brix
    shared = hypot(volume * density / per_brix, lighter)
    return Cupful(brix, hypot(own * density / per_brix, shared), shared, density)


def _water_like(temperature_c: float) -> float:
    """The least density that is a solution's at all: plain water's."""
    return sucrose.density_kg_m3(0.0, temperature_c)

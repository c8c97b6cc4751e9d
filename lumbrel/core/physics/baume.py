"""The trade's Baume scale, which many syrup stems carry beside Brix.

Source: Be = 145 - 145 / SG, SG the specific gravity 60/60 degF; density of sucrose solutions
by ICUMSA SPS-4.
"""

from lumbrel.core.errors import require_between
from lumbrel.core.physics import sucrose, water
from lumbrel.words import _

SIXTY_F_C = (60.0 - 32.0) / 1.8
MODULUS = 145.0
MAX_BAUME = 44.9


def from_brix(brix: float) -> float:
    """Degrees Baume at 60 degF of a scale reading in Brix.

    Args:
        brix: percent by mass on the stem, 0 to 85; 66.9 gives 36.1.
    Raises:
        OutOfRange: outside that range.
    Uncertainty: 0.01.
    """
    gravity = sucrose.density_kg_m3(brix, SIXTY_F_C) / water.density_kg_m3(SIXTY_F_C)
    return MODULUS - MODULUS / gravity


def to_brix(baume: float) -> float:
    """Brix of a stem that shows so many degrees Baume; inverse of `from_brix`.

    Args:
        baume: 0 to 44.9.
    Raises:
        OutOfRange: outside that range.
    """
    require_between(baume, 0.0, MAX_BAUME, field="reading_baume", what=_("A Baumé reading"), unit="°Bé")
    gravity = MODULUS / (MODULUS - baume)
    return sucrose.brix_from_density(gravity * water.density_kg_m3(SIXTY_F_C), SIXTY_F_C)

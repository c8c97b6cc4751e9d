"""What a depth in the pan says of density, the solids in it being known."""

from math import sqrt

from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.numeric import solve
from lumbrel.core.pan.vessel import Vessel, hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.words import _, number

SURFACE_SIGMA_MM = 2.5
"""A boiling surface is read to that much."""
VESSEL_SIGMA = 0.01
"""How well a vessel's measures are known, as a share."""


def estimate(
    vessel: Vessel, depth_mm: float, solids_kg: float, solids_sigma: float, temperature_c: float
) -> Estimate:
    """Density from a dipstick reading.

    Args:
        vessel: the vessel.
        depth_mm: above 0, of the boiling liquid.
        solids_kg: in the vessel, above 0.
        solids_sigma: one sigma of them, as a share.
        temperature_c: of the liquid, degC, 0 to 115.
    Raises:
        OutOfRange: a value lies outside its range, or so little liquid cannot hold the solids.
    """
    require_between(depth_mm, 1.0, 5000.0, field="depth_mm", what=_("The depth"), unit="mm")
    litres = vessel.volume_l(depth_mm)

    def missing(brix: float) -> float:
        cold_l = litres / hot_volume_ratio(brix, temperature_c)
        return cold_l / 1000 * sucrose.density_kg_m3(brix, 20.0) - 100 * solids_kg / brix

    try:
        brix = solve(missing, 1.0, 84.9)
    except ValueError as error:
        raise OutOfRange(
            _(
                "{depth_mm} mm cannot be: it would hold far more or less than was taken in. Read at "
                "the middle of the pan, from its floor.",
                depth_mm=number(depth_mm, 0),
            ),
            "depth_mm",
        ) from error
    share = sqrt((SURFACE_SIGMA_MM / depth_mm) ** 2 + VESSEL_SIGMA**2 + solids_sigma**2)
    return Estimate("dipstick", brix, brix * share)

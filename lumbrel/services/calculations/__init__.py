"""The stateless calculations, alike for the API, the command line and scripts."""

from lumbrel.services.calculations import bench, boiling, confections, finishing, jar
from lumbrel.services.calculations.model import Calculation

CALCULATIONS: tuple[Calculation, ...] = (
    *boiling.CALCULATIONS,
    *bench.CALCULATIONS,
    *finishing.CALCULATIONS,
    *jar.CALCULATIONS,
    *confections.CALCULATIONS,
)

__all__ = ["CALCULATIONS", "Calculation"]

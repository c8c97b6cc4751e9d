"""The colour classes as a page shows them."""

from dataclasses import dataclass

from lumbrel.core.colour import grades


@dataclass(frozen=True)
class ColourClass:
    """A class and the light it lets through 10 mm, percent of glycerol."""

    name: str
    low_percent: float
    high_percent: float


CLASSES = tuple(ColourClass(name, low, high) for name, low, high in grades.CLASSES)

"""Jars that are filled by weight: on a scale that shows nothing for the empty jar."""

from dataclasses import dataclass

from lumbrel.core.jar import hot_pack
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import DrawnFacts
from lumbrel.services.pan.drawn import after_draw

FULL_SHARE, OVER_SHARE = 0.01, 0.03
"""So near to its weight a jar is full; by so much more it is too full."""


@dataclass(frozen=True, kw_only=True)
class Fill:
    """One size of jar.

    Attributes:
        full_g: what it holds once it is full.
        to_go_g: what it lacks; below nothing where it holds too much.
    """

    size_ml: float
    full_g: float
    to_go_g: float

    @property
    def is_full(self) -> bool:
        """Whether it is as full as it should be, or fuller."""
        return self.to_go_g <= FULL_SHARE * self.full_g

    @property
    def is_over(self) -> bool:
        """Whether it holds too much: there is no room left for it to cool and to seal."""
        return self.to_go_g < -OVER_SHARE * self.full_g


def fills(context: BatchContext, sizes: list[float], shown_g: float | None) -> list[Fill]:
    """What jars of these sizes hold by weight, and what each lacks that stands on the scale; nothing before the draw."""
    if not context.of_kind(DrawnFacts):
        return []
    brix = after_draw(context).syrup_brix
    full = [(size, 1000 * hot_pack.mass_kg(brix, size / 1000)) for size in sizes]
    return [Fill(size_ml=size, full_g=g, to_go_g=g - (shown_g or 0.0)) for size, g in full]

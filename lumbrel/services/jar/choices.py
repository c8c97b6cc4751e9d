"""What the form of the jars offers: usual sizes, how many this batch fills, its lot code."""

from dataclasses import dataclass, field

from lumbrel.core.jar import hot_pack
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import DrawnFacts, JarFacts
from lumbrel.services.base.felt import felt_heats
from lumbrel.services.jar.entries import CARE, JAR_ROWS
from lumbrel.services.jar.kettle import usual_sizes
from lumbrel.services.pan.drawn import after_draw
from lumbrel.store import jars

LEFT_AFTER_FILTER = 0.97
"""What a filter lets through of what was drawn."""


@dataclass(frozen=True)
class JarChoices:
    """Sizes and counts by row, as they would be typed, and the lot code."""

    rows: list[tuple[str, str]]
    lot: str
    felt: list[tuple[str, str]]
    """How warm it was by hand, where there is no thermometer."""
    care: list[tuple[str, str]] = field(default_factory=lambda: list(CARE.items()))


def choices(context: BatchContext) -> JarChoices:
    """What a batch's form offers."""
    sizes = usual_sizes(context)
    rows = [(size.typed, "") for size in sizes]
    rows += [("", "")] * (JAR_ROWS - len(rows))
    if context.of_kind(DrawnFacts):
        after = after_draw(context)
        packed = sum(e.facts.mass_kg for e in context.of_kind(JarFacts))
        left = max(after.mass_kg * LEFT_AFTER_FILTER - packed, 0.0)
        count = hot_pack.jars_from(left, after.syrup_brix, sizes[0].ml / 1000)
        rows[0] = (sizes[0].typed, str(count) if count else "")
    codes = jars.lot_codes(context.db, context.batch.id)
    return JarChoices(rows, codes[-1] if codes else context.batch.code, felt_heats(context))

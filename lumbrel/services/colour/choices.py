"""What the form of the colour offers to choose from."""

from dataclasses import dataclass

from lumbrel.core.colour.grades import CLASSES
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.colour.entries import ANSWERS, FLAWS
from lumbrel.services.pan.choices import Options, named
from lumbrel.store.instruments import ReferenceDetail, VialDetail


@dataclass(frozen=True)
class ColourChoices:
    """Vials and references by name, the colour classes, and flaws."""

    vials: Options
    references: Options
    grades: Options
    flaws: Options
    seen: Options


def choices(context: BatchContext) -> ColourChoices:
    """What a batch's form offers."""
    return ColourChoices(
        named(context, VialDetail),
        named(context, ReferenceDetail),
        [(name, name) for name, _, _ in CLASSES],
        list(FLAWS.items()),
        list(ANSWERS),
    )

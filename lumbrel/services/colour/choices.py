"""What the form of the colour offers to choose from."""

from collections.abc import Callable
from dataclasses import dataclass

from lumbrel.core.colour.grades import CLASSES
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.codes import called
from lumbrel.services.base.facts import ColourFacts
from lumbrel.services.base.form import NotFound
from lumbrel.services.colour import photograph
from lumbrel.services.colour.entries import ANSWERS, FLAWS, TASTES
from lumbrel.services.colour.photograph import KeptPhotograph
from lumbrel.services.pan.choices import Options, named
from lumbrel.store.instruments import ReferenceDetail, VialDetail
from lumbrel.words import _


@dataclass(frozen=True, kw_only=True)
class ColourChoices:
    """Vials and references by name, the colour classes, and flaws."""

    vials: Options
    references: Options
    grades: Options
    flaws: Options
    seen: Options
    tastes: Options
    photo: Callable[[str], KeptPhotograph | None]
    """A photograph by its hash, if it is here."""
    boxes: tuple[str, str]
    """Where the boxes on blank and sample begin."""


def choices(context: BatchContext) -> ColourChoices:
    """What a batch's form offers."""
    return ColourChoices(
        vials=named(context, VialDetail),
        references=named(context, ReferenceDetail),
        grades=[(name, name) for name, _any, _other in CLASSES],
        flaws=list(FLAWS.items()),
        seen=list(ANSWERS),
        tastes=[("", _("not tasted")), *((taste, called(taste)) for taste in TASTES)],
        photo=lambda name: _photograph(context, name),
        boxes=_boxes(context),
    )


def _photograph(context: BatchContext, name: str) -> KeptPhotograph | None:
    try:
        return photograph.found(context, name) if name else None
    except NotFound:
        return None


def _boxes(context: BatchContext) -> tuple[str, str]:
    """As they were drawn last, else one left and one right of the middle."""
    last = context.last(ColourFacts)
    if last and last.facts.blank_box and last.facts.sample_box:
        return photograph.as_text(last.facts.blank_box), photograph.as_text(last.facts.sample_box)
    return photograph.as_text(photograph.FIRST_BLANK), photograph.as_text(photograph.FIRST_SAMPLE)

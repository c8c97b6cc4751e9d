"""What is wrong with a batch after its draw: it goes along to every station, and on its lot."""

from datetime import timedelta

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import (
    CheckedFacts,
    DrawnFacts,
    FilterFacts,
    HydrometerFacts,
    JarFacts,
    RefractometerFacts,
)
from lumbrel.words import _

READ_COLD_BY = timedelta(hours=30)
"""By the evening of the next day its density has been read cold, where anybody does."""
GUESS_BRIX = 4.0
"""One sigma of a density that is none."""


def faults(context: BatchContext) -> list[str]:
    """What is wrong with it as its lines stand, each until a later line says otherwise. Off its density is
    said beside, with what to do."""
    return [*_guessed(context), *_cloudy(context), *_by_feel(context), *_not_cold(context)]


def is_guessed(context: BatchContext) -> bool:
    """Whether nobody read its density, and the time on the fire does not tell it: too dense or too thin can
    be said of none such."""
    draws = context.of_kind(DrawnFacts)
    if not draws or draws[-1].facts.sigma_brix < GUESS_BRIX:
        return False
    return not any(line.at > draws[-1].at for line in context.of_kind(HydrometerFacts, RefractometerFacts))


def _guessed(context: BatchContext) -> list[str]:
    if not is_guessed(context):
        return []
    return [_("Its density is a guess: it was never read. Read it before it is jarred or sold.")]


def _cloudy(context: BatchContext) -> list[str]:
    filtered = ((line.at, line.facts.clarity) for line in context.of_kind(FilterFacts))
    stood = ((line.at, line.facts.clarity) for line in context.of_kind(CheckedFacts))
    seen = [(at, clarity) for at, clarity in (*filtered, *stood) if clarity]
    if not seen or max(seen)[1] == "clear":
        return []
    return [_("It is not clear yet: filter it again, hot, before it is graded or sold.")]


def _by_feel(context: BatchContext) -> list[str]:
    if not any(line.facts.fill_by == "felt" for line in context.of_kind(JarFacts)):
        return []
    return [
        _(
            "Filled by feel: no temperature shows that it was hot enough to keep. Store these jars in "
            "the cold, use them first, and look at the lids tomorrow."
        )
    ]


def _not_cold(context: BatchContext) -> list[str]:
    draw = context.drawn
    if draw is None or context.now - draw.at < READ_COLD_BY:
        return []
    if any(line.at > draw.at for line in context.of_kind(HydrometerFacts, RefractometerFacts)):
        return []
    return [_("Its density was never read cold: read it at room temperature before it is sold.")]

"""What a boil makes one suspect that nobody wrote down: asked by name, each answered by one press."""

from datetime import timedelta

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.pan import live_scale
from lumbrel.services.pan.asked_of_boil import of_jumps, of_rates, of_the_fire, of_the_newest, of_the_weight
from lumbrel.services.pan.asked_of_instruments import (
    of_readings,
    of_the_air,
    of_the_probe,
    of_the_scale,
)
from lumbrel.services.pan.belief import Belief
from lumbrel.services.pan.question import LASTING, Question

ASKED_FOR = timedelta(minutes=45)
"""What was so long ago is not asked about any more."""


def questions(context: BatchContext, found: Belief) -> list[Question]:
    """What is suspected and would be asked now, the gravest first."""
    if context.left_at or context.channels:
        return []
    seen = found.evidence
    weighed = list(of_the_weight(context))
    guessed = [
        *of_the_fire(context, seen),
        *of_jumps(context, seen),
        *of_the_newest(context, seen),
        *of_rates(context, seen),
        *of_readings(context, found),
        *of_the_probe(context, seen),
        *of_the_scale(context, seen),
        *of_the_air(context, seen),
    ]
    if live_scale.told(context).speaks:
        # A scale under it sees what comes and goes: from other signs nobody guesses at it.
        guessed = [one for one in guessed if one.key not in ("put_in", "taken_out")]
    asked = [*weighed, *guessed]
    return [one for one in asked if one.key in LASTING or context.now - one.at <= ASKED_FOR]

"""The hot filter."""

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.cautions import HOT
from lumbrel.services.base.facts import FilterFacts, PassedFacts, PulledFacts
from lumbrel.services.base.line import LineKind
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.filter import entries
from lumbrel.services.filter.choices import choices
from lumbrel.services.filter.stack import stack_of

MOST_LOOKED_AT = 3


def _state(look: Look) -> State:
    """The filter that runs; else how many wait."""
    waits = look.waiting["filter"]
    for batch in waits[:MOST_LOOKED_AT]:
        now = stack_of(contexts.of(look.db, batch, look.now))
        if now and now.begun and now.minutes is not None:
            return State(f"{now.left_l:.1f} L to go, {now.minutes:.0f} min", batch.code)
    words = f"{len(waits)} waiting" if waits else ""
    return State(words, waits[0].code if waits else "", idle=not waits)


STATION = Station(
    key="filter",
    title="Filter",
    line_kinds=(
        LineKind(facts=PassedFacts, read=entries.passed, words=entries.passed_words),
        LineKind(facts=PulledFacts, read=entries.pulled, words=entries.pulled_words),
        LineKind(facts=FilterFacts, read=entries.filtering, words=entries.words),
    ),
    waits_for=FilterFacts,
    choices=choices,
    cautions=(HOT,),
    state=_state,
)

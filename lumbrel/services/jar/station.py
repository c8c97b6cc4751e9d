"""Jars."""

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.cautions import GLASS, HOT, SALE
from lumbrel.services.base.facts import (
    CheckedFacts,
    JarFacts,
    KettleFacts,
    PackedFacts,
    ReheatFacts,
)
from lumbrel.services.base.line import LineKind
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.jar import entries, heat
from lumbrel.services.jar.calculations import CALCULATIONS
from lumbrel.services.jar.choices import choices
from lumbrel.services.jar.kettle import kettle_of


def _state(look: Look) -> State:
    """The kettle that is being filled from; else how many wait."""
    waits = look.waiting["jar"]
    for batch in waits[:MOST_LOOKED_AT]:
        now = kettle_of(contexts.of(look.db, batch, look.now))
        if now and now.minutes_left and now.in_this_heat is not None:
            return State(f"{now.in_this_heat} jars, {now.minutes_left:.0f} min", batch.code)
    words = f"{len(waits)} waiting" if waits else ""
    return State(words, waits[0].code if waits else "", idle=not waits)


MOST_LOOKED_AT = 3


STATION = Station(
    key="jar",
    title="Jar",
    line_kinds=(
        LineKind(facts=KettleFacts, read=heat.kettle, words=heat.kettle_words),
        LineKind(facts=ReheatFacts, read=heat.reheat, words=heat.reheat_words),
        LineKind(facts=JarFacts, read=entries.jar, words=entries.words),
        LineKind(facts=PackedFacts, read=heat.packed, words=heat.packed_words),
        LineKind(facts=CheckedFacts, read=heat.checked, words=heat.checked_words),
    ),
    waits_for=JarFacts,
    choices=choices,
    cautions=(GLASS, HOT, SALE),
    calculations=CALCULATIONS,
    state=_state,
)

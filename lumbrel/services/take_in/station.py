"""Take in."""

from lumbrel.services.base.cautions import LEAD, STEAM
from lumbrel.services.base.facts import TakeInFacts
from lumbrel.services.base.line import LineKind
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.take_in import bounds, corrected, entries, near_syrup
from lumbrel.store import kept


def _state(look: Look) -> State:
    finishers = bounds.finishers(look.db)
    if not finishers:
        return State("no vessel")
    waits = len(kept.waiting(look.db, near_syrup.WAITS_AT))
    free = f"{len(finishers) - len(look.waiting['pan'])} free"
    return State(f"{free}, {waits} drawn" if waits else free)


STATION = Station(
    key="take_in",
    title="Take in",
    line_kinds=(
        LineKind(
            facts=TakeInFacts,
            fixed=corrected.fixed,
            read=corrected.corrected,
            words=entries.words,
            opens=True,
        ),
    ),
    choices=entries.choices,
    cautions=(LEAD, STEAM),
    state=_state,
)

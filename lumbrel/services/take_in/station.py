"""Take in."""

from lumbrel.services.base.cautions import LEAD, STEAM
from lumbrel.services.base.facts import TakeInFacts
from lumbrel.services.base.line import LineKind
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.take_in import bounds, corrected, entries, near_syrup, said
from lumbrel.store import kept
from lumbrel.words import _


def _state(look: Look) -> State:
    finishers = bounds.finishers(look.db)
    if not finishers:
        return State(_("no vessel"))
    waits = len(kept.waiting(look.db, near_syrup.WAITS_AT))
    free = _("{count} free", count=len(finishers) - len(look.waiting["pan"]))
    return State(_("{free}, {waits} drawn", free=free, waits=waits) if waits else free)


STATION = Station(
    key="take_in",
    title=_("Intake"),
    line_kinds=(
        LineKind(
            facts=TakeInFacts,
            fixed=corrected.fixed,
            read=corrected.corrected,
            words=said.words,
            opens=True,
        ),
    ),
    choices=entries.choices,
    cautions=(LEAD, STEAM),
    state=_state,
)

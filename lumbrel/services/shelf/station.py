"""The shelf."""

from lumbrel.services.base.cautions import MOULD
from lumbrel.services.base.facts import CameBackFacts, TakenOutFacts
from lumbrel.services.base.line import LineKind
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.shelf import entries
from lumbrel.services.shelf.choices import choices
from lumbrel.store import kept_lots
from lumbrel.words import _


def _state(look: Look) -> State:
    jars = kept_lots.shelf_sum(look.db).jars
    return State(_("{jars} jars", jars=jars) if jars else _("empty"), idle=not jars)


STATION = Station(
    key="shelf",
    title=_("Shelf"),
    line_kinds=(
        LineKind(
            of="both", moves=True, facts=TakenOutFacts, read=entries.taken_out, words=entries.taken_out_words
        ),
        LineKind(
            of="both", moves=True, facts=CameBackFacts, read=entries.came_back, words=entries.came_back_words
        ),
    ),
    choices=choices,
    cautions=(MOULD,),
    state=_state,
)

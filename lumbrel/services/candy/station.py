"""Candy."""

from lumbrel.services.base.cautions import CANDY, FOAM, SNOW
from lumbrel.services.base.facts import InvertFacts
from lumbrel.services.base.line import LineKind
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.candy import entries
from lumbrel.services.candy.calculations import CALCULATIONS


def _state(look: Look) -> State:
    return State("plan a boil", idle=True)


STATION = Station(
    key="candy",
    title="Candy",
    line_kinds=(LineKind(facts=InvertFacts, read=entries.invert, words=entries.words),),
    cautions=(CANDY, FOAM, SNOW),
    calculations=CALCULATIONS,
    state=_state,
)

"""Candy."""

from lumbrel.services.base.cautions import CANDY, SNOW
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.candy.calculations import CALCULATIONS


def _state(look: Look) -> State:
    return State("plan a boil", idle=True)


STATION = Station(
    key="candy",
    title="Candy",
    cautions=(CANDY, SNOW),
    calculations=CALCULATIONS,
    state=_state,
)

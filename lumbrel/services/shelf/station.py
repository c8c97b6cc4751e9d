"""The shelf."""

from lumbrel.services.base.cautions import MOULD
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.shelf import lots


def _state(look: Look) -> State:
    jars = lots.find(look.db).jar_count
    return State(f"{jars} jars" if jars else "empty", idle=not jars)


STATION = Station(key="shelf", title="Shelf", cautions=(MOULD,), state=_state)

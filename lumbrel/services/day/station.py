"""The day check."""

from lumbrel.core.units import show
from lumbrel.services.base.cautions import GLASS
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.day.said import BOOK_KINDS


def _state(look: Look) -> State:
    pressure = pressure_at(look.db, look.kitchen, look.now)
    if pressure is None:
        return State("set the day")
    unit = look.kitchen.units.get("temperature", "C")
    return State(f"{show(pressure.boil_c, 'temperature', unit)} today", done=True)


STATION = Station(
    key="day",
    title="Day check",
    cautions=(GLASS,),
    book_kinds=BOOK_KINDS,
    state=_state,
)

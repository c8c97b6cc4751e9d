"""The day check."""

from lumbrel.core.units import show
from lumbrel.services.base.cautions import GLASS
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.day.said import BOOK_KINDS
from lumbrel.words import _


def _state(look: Look) -> State:
    pressure = pressure_at(look.db, look.kitchen, look.now)
    if pressure is None:
        return State(_("set the day"))
    unit = look.kitchen.units.get("temperature", "C")
    return State(_("{boil} today", boil=show(pressure.boil_c, "temperature", unit)), done=True)


STATION = Station(key="day", title=_("Day check"), cautions=(GLASS,), book_kinds=BOOK_KINDS, state=_state)

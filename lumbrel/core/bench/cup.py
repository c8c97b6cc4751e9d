"""The hydrometer cup: it cools while it is read, and the mark to float at moves with it."""

from dataclasses import dataclass
from math import exp

from lumbrel.core.errors import require_between
from lumbrel.words import _

COOLING_PER_MIN = 0.025
"""A quarter litre of syrup in a steel cup: some 1.1 kJ/K behind 0.035 m2 at about 12 W/(m2 K)."""
COOLING_DOUBT = 0.5
"""Draught, steam and the cup's own make: the rate is good to about a half."""
ROOM_C = 20.0


@dataclass(frozen=True)
class CupNow:
    """A cup's temperature some time after it was read, degC, with one sigma, K."""

    temperature_c: float
    sigma_k: float


def cooled(
    read_c: float, minutes: float, room_c: float = ROOM_C, rate_per_min: float = COOLING_PER_MIN
) -> CupNow:
    """Where a cup stands so long after its temperature was read (Newton's law of cooling).

    Args:
        read_c: as read, degC, 0 to 120.
        minutes: since then, 0 to 240.
        room_c: degC, -20 to 50.
        rate_per_min: share of the difference lost in a minute, above 0 to 1.
    Raises:
        OutOfRange: a value lies outside its range.
    Uncertainty: half of the change.
    """
    require_between(read_c, 0.0, 120.0, field="cup_temperature_c", what=_("The cup's temperature"), unit="°C")
    require_between(minutes, 0.0, 240.0, field="minutes", what=_("The time since"), unit="min")
    require_between(room_c, -20.0, 50.0, field="room_c", what=_("The room"), unit="°C")
    require_between(rate_per_min, 1e-6, 1.0, field="rate_per_min", what=_("The rate"), unit=_("per minute"))
    now = room_c + (read_c - room_c) * exp(-rate_per_min * minutes)
    return CupNow(now, COOLING_DOUBT * abs(read_c - now))

"""How a confection keeps: how free its water is for moulds, how it is wrapped, for how long it is good."""

from dataclasses import dataclass

from lumbrel.core.candy.confections import confection, crystal_fraction
from lumbrel.core.physics import sucrose

MOULDS_ACTIVITY = 0.65
"""Under it nothing grows: the usual limit of moulds that like sugar."""


@dataclass(frozen=True)
class Keeping:
    """Water activity of what is liquid in a piece, None where it is dried; and in words how to keep it."""

    water_activity: float | None
    wrap: str
    good_for: str
    days: int
    """So many at the most, for a date on a label."""


def keeping(key: str, brix: float, temperature_c: float = 20.0) -> Keeping:
    """How a confection keeps.

    Args:
        key: of the confection.
        brix: its solids.
        temperature_c: where it is kept, 0 to 40.
    Source: water activity of its liquid by the boiling curve's own model: where it has set, that of a
        saturated syrup; where it has not, that of all of it. The rest is the trade's word.
    """
    piece = confection(key)
    words = piece.wrap, piece.good_for, piece.keeps_days
    if key == "granulated-sugar":
        return Keeping(None, *words)
    unset = key.startswith("snow") or key == "hard-drops"
    liquid = brix
    if not unset and crystal_fraction(brix, temperature_c) > 0:
        liquid = sucrose.solubility_percent(temperature_c)
    return Keeping(sucrose.water_activity(liquid), *words)

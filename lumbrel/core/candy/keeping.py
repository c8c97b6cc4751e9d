"""How a confection keeps: how free its water is for moulds, how it is wrapped, for how long it is good."""

from dataclasses import dataclass

from lumbrel.core.candy.confections import crystal_fraction
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


DAYS: dict[str, int] = {
    "snow-taffy-soft": 1,
    "snow-taffy-chewy": 5,
    "cream": 60,
    "stirred-sugar": 42,
    "moulded-sugar-soft": 42,
    "moulded-sugar-firm": 60,
    "granulated-sugar": 365,
    "hard-drops": 180,
}
"""A made-up beginning, on the short side: whoever sells it asks the authority."""
WRAPS: dict[str, tuple[str, str]] = {
    "snow-taffy-soft": ("on waxed paper, in the cold", "eat it the same day"),
    "snow-taffy-chewy": ("in waxed paper, in the cold", "some days"),
    "cream": ("in a tight jar, in the cold", "some weeks; stir it when syrup stands on it"),
    "stirred-sugar": ("in a tight jar or mould, cool", "some weeks"),
    "moulded-sugar-soft": ("dried a day in the air, then in a tight box, cool", "some weeks"),
    "moulded-sugar-firm": ("dried a day in the air, then in a tight box", "one to two months"),
    "granulated-sugar": ("sieved, cold, in a tight jar", "a year, while it stays dry"),
    "hard-drops": ("each wrapped, in a tight jar: they draw water", "some months"),
}


def keeping(key: str, brix: float, temperature_c: float = 20.0) -> Keeping:
    """How a confection keeps.

    Args:
        key: of the confection.
        brix: its solids.
        temperature_c: where it is kept, 0 to 40.
    Source: water activity of its liquid by the boiling curve's own model: where it has set, that of a
        saturated syrup; where it has not, that of all of it. The rest is the trade's word.
    """
    wrap, good_for = WRAPS[key]
    if key == "granulated-sugar":
        return Keeping(None, wrap, good_for, DAYS[key])
    unset = key.startswith("snow") or key == "hard-drops"
    liquid = brix
    if not unset and crystal_fraction(brix, temperature_c) > 0:
        liquid = sucrose.solubility_percent(temperature_c)
    return Keeping(sucrose.water_activity(liquid), wrap, good_for, DAYS[key])

"""How a figure came about: its inputs, the formula's name and source, and its uncertainty budget."""

from dataclasses import dataclass
from math import sqrt

from lumbrel.services.base.form import NotFound
from lumbrel.words import _

IF97 = _("IAPWS-IF97, region 4")

MARGULES = _("Margules water activity, by the trade's two points and strong solutions")

ICUMSA = _("buoyancy, ICUMSA SPS-4 density")

BASES = {
    "barometer": _("the barometer"),
    "station": _("typed, good for 12 h"),
    "forecast": _("a forecast, brought down from sea level"),
    "elevation": _("ICAO standard atmosphere"),
    "rule of feet": _("one degree F per 500 ft"),
}


@dataclass(frozen=True)
class Step:
    """One line of a working: a label, its value in an inside unit or as text, where it is from."""

    label: str
    value: float | str | None
    kind: str = ""
    source: str = ""
    decimals: int | None = 2


@dataclass(frozen=True)
class DoubtPart:
    """One part of the doubt, one sigma; the parts' squares add up."""

    label: str
    sigma: float
    kind: str


@dataclass(frozen=True, kw_only=True)
class Working:
    """A figure with everything it rests on."""

    title: str
    value: float | str | None
    kind: str
    steps: list[Step]
    budget: list[DoubtPart]
    decimals: int | None = 2

    @property
    def sigma(self) -> float | None:
        """The whole doubt, one sigma; None when nothing is known of it."""
        return sqrt(sum(part.sigma**2 for part in self.budget)) if self.budget else None


def missing() -> NotFound:
    """What to say of a figure that is not there."""
    return NotFound(_("That figure is not there now; go back and press one that is."))

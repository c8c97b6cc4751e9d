"""Kinds of quantity and the units a person may choose for each, on pint.

Inside, every quantity is in one unit per kind (`Kind.inside`).
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

from lumbrel.core.physics import baume
from lumbrel.words import CANADA, LANGUAGES, _

if TYPE_CHECKING:
    import pint


@dataclass(frozen=True, kw_only=True)
class Unit:
    """A unit a person may choose: how pint spells it, how it is shown, decimals on show.

    A scale that is no multiple of the inside unit gives its own two functions.
    """

    key: str
    pint: str
    symbol: str
    decimals: int
    smaller: str = ""
    """The key of the unit that less than `from_one` of it is told in."""
    from_one: float = 0.0
    to_inside: Callable[[float], float] | None = None
    from_inside: Callable[[float], float] | None = None


@dataclass(frozen=True)
class Kind:
    """A kind of quantity: its name in a sentence, its unit inside, the units on offer."""

    name: str
    units: tuple[Unit, ...]
    example: str

    def example_in(self, key: str) -> str:
        """An example in the unit of that key, where there is one; else the first."""
        each = self.example.split(" or ")
        one = next((one for one in each if one.split(" ")[-1] == (key or self.inside.key)), each[0])
        return one.replace("ifloz", "imp fl oz").replace("floz", "fl oz").replace("igal", "imp gal")

    @property
    def inside(self) -> Unit:
        """The unit used in core and in the store."""
        return self.units[0]

    @property
    def offered(self) -> tuple[Unit, ...]:
        """The units that a person may choose: those that are not just another's smaller one."""
        smaller = {unit.smaller for unit in self.units}
        return tuple(unit for unit in self.units if unit.key not in smaller)

    def unit(self, key: str) -> Unit:
        """The unit of that key; the inside unit when there is none such."""
        return next((unit for unit in self.units if unit.key == key), self.units[0])


KINDS: dict[str, Kind] = {
    "temperature": Kind(
        _("temperature"),
        (
            Unit(key="C", pint="degC", symbol="°C", decimals=1),
            Unit(key="F", pint="degF", symbol="°F", decimals=1),
        ),
        "104.1 C or 219.4 F",
    ),
    "difference": Kind(
        _("temperature difference"),
        (
            Unit(key="C", pint="delta_degC", symbol="K", decimals=1),
            Unit(key="F", pint="delta_degF", symbol="°F", decimals=1),
        ),
        "4.1 C or 7.4 F",
    ),
    "pressure": Kind(
        _("pressure"),
        (
            Unit(key="hPa", pint="hPa", symbol="hPa", decimals=1),
            Unit(key="inHg", pint="inHg_trade", symbol="inHg", decimals=2),
            Unit(key="mmHg", pint="mmHg", symbol="mmHg", decimals=1),
        ),
        "957 hPa or 28.26 inHg or 718 mmHg",
    ),
    "elevation": Kind(
        _("elevation"),
        (Unit(key="m", pint="m", symbol="m", decimals=0), Unit(key="ft", pint="ft", symbol="ft", decimals=0)),
        "418 m or 1371 ft",
    ),
    "depth": Kind(
        _("depth"),
        (
            Unit(key="mm", pint="mm", symbol="mm", decimals=0),
            Unit(key="in", pint="inch", symbol="in", decimals=2),
        ),
        "85 mm or 3.3 in",
    ),
    "girth": Kind(
        _("girth"),
        (
            Unit(key="cm", pint="cm", symbol="cm", decimals=0),
            Unit(key="in", pint="inch", symbol="in", decimals=0),
            Unit(key="m", pint="m", symbol="m", decimals=2),
        ),
        "176 cm or 69 in",
    ),
    "mass": Kind(
        _("mass"),
        (
            Unit(key="kg", pint="kg", symbol="kg", decimals=1, smaller="g", from_one=0.1),
            Unit(key="lb", pint="lb", symbol="lb", decimals=1, smaller="oz", from_one=1.0),
            Unit(key="g", pint="g", symbol="g", decimals=0),
            Unit(key="oz", pint="oz", symbol="oz", decimals=1),
        ),
        "31.5 kg or 69.4 lb",
    ),
    "piece": Kind(
        _("mass of a piece"),
        (
            Unit(key="g", pint="g", symbol="g", decimals=0),
            Unit(key="oz", pint="oz", symbol="oz", decimals=1),
            Unit(key="kg", pint="kg", symbol="kg", decimals=2),
            Unit(key="lb", pint="lb", symbol="lb", decimals=2),
        ),
        "25 g or 0.9 oz",
    ),
    "volume": Kind(
        _("volume"),
        (
            Unit(key="L", pint="L", symbol="L", decimals=1, smaller="ml", from_one=0.1),
            Unit(key="gal", pint="gallon", symbol="gal", decimals=2, smaller="qt", from_one=0.5),
            Unit(
                key="igal", pint="imperial_gallon", symbol="imp gal", decimals=2, smaller="iqt", from_one=0.5
            ),
            Unit(key="ml", pint="mL", symbol="ml", decimals=0),
            Unit(key="qt", pint="quart", symbol="qt", decimals=2, smaller="floz", from_one=0.25),
            Unit(
                key="iqt", pint="imperial_quart", symbol="imp qt", decimals=2, smaller="ifloz", from_one=0.25
            ),
            Unit(key="floz", pint="floz", symbol="fl oz", decimals=1),
            Unit(key="ifloz", pint="imperial_fluid_ounce", symbol="imp fl oz", decimals=1),
        ),
        "26 L or 7 gal or 6 igal",
    ),
    "jar": Kind(
        _("jar size"),
        (
            Unit(key="ml", pint="mL", symbol="ml", decimals=0),
            Unit(key="floz", pint="floz", symbol="fl oz", decimals=1),
            Unit(key="L", pint="L", symbol="L", decimals=2),
        ),
        "500 ml or 16.9 floz",
    ),
    "brix": Kind(_("Brix"), (Unit(key="Bx", pint="", symbol=_("Brix"), decimals=1),), "66.9"),
    "stem": Kind(
        _("reading of the stem"),
        (
            Unit(key="Bx", pint="", symbol=_("Brix"), decimals=1),
            Unit(
                key="Be",
                pint="baume",
                symbol="°Bé",
                decimals=1,
                to_inside=baume.to_brix,
                from_inside=baume.from_brix,
            ),
        ),
        "59.8 or 32.4 Be",
    ),
    "percent": Kind(_("percentage"), (Unit(key="%", pint="", symbol="%", decimals=1),), "62"),
    "count": Kind(_("count"), (Unit(key="", pint="", symbol="", decimals=0),), "24"),
    "price": Kind(_("price"), (Unit(key="", pint="", symbol="", decimals=2),), "12.50"),
    "clock": Kind(
        _("clock"),
        (
            Unit(key="24", pint="", symbol=_("24-hour clock"), decimals=0),
            Unit(key="12", pint="", symbol=_("12-hour clock"), decimals=0),
        ),
        "16:30",
    ),
    "paper": Kind(
        _("paper"),
        (
            Unit(key="A4", pint="", symbol="A4", decimals=0),
            Unit(key="Letter", pint="", symbol=_("Letter"), decimals=0),
        ),
        "A4",
    ),
    "language": Kind(
        _("language"),
        (
            Unit(key="", pint="", symbol=_("as each browser asks"), decimals=0),
            *(Unit(key=one.key, pint="", symbol=one.name, decimals=0) for one in LANGUAGES.values()),
        ),
        CANADA.name,
    ),
    "minutes": Kind(
        _("time"),
        (
            Unit(key="min", pint="min", symbol="min", decimals=0),
            Unit(key="h", pint="h", symbol="h", decimals=1),
        ),
        "12 min",
    ),
}


@lru_cache(maxsize=1)
def _registry() -> "pint.UnitRegistry[float]":
    """Pint's units, and the trade's inch of mercury; imported when first needed, since that takes
    longer than all else a calculation does."""
    import pint

    registry: pint.UnitRegistry[float] = pint.UnitRegistry(autoconvert_offset_to_baseunit=True)
    registry.define("inHg_trade = 3386.389 pascal")
    return registry


@lru_cache(maxsize=256)
def scale(unit: str, inside: str) -> tuple[float, float]:
    """How a unit turns into another: times, then plus."""
    if unit == inside:
        return 1.0, 0.0
    quantity = _registry().Quantity
    zero = float(quantity(0.0, unit).to(inside).magnitude)
    # From far apart, so that the offset of a temperature costs the slope no digits.
    high = float(quantity(1000.0, unit).to(inside).magnitude)
    return (high - zero) / 1000.0, zero


def tidy(value: float) -> float:
    """A converted value without the last digits, which are the conversion's own: 212 F is 100 C."""
    return float(f"{value:.13g}") if abs(value) > 1e-9 else 0.0

"""Quantities as a person types and reads them, on pint.

Inside, every quantity is in one unit per kind (`Kind.inside`); this module is the only door.
"""

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from math import isfinite

import pint

from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import baume


@dataclass(frozen=True, kw_only=True)
class Unit:
    """A unit a person may choose: how pint spells it, how it is shown, decimals on show.

    A scale that is no multiple of the inside unit gives its own two functions.
    """

    key: str
    pint: str
    symbol: str
    decimals: int
    to_inside: Callable[[float], float] | None = None
    from_inside: Callable[[float], float] | None = None


@dataclass(frozen=True)
class Kind:
    """A kind of quantity: its name in a sentence, its unit inside, the units on offer."""

    name: str
    units: tuple[Unit, ...]
    example: str

    @property
    def inside(self) -> Unit:
        """The unit used in core and in the store."""
        return self.units[0]

    def unit(self, key: str) -> Unit:
        """The unit of that key; the inside unit when there is none such."""
        return next((unit for unit in self.units if unit.key == key), self.units[0])


KINDS: dict[str, Kind] = {
    "temperature": Kind(
        "temperature",
        (
            Unit(key="C", pint="degC", symbol="°C", decimals=1),
            Unit(key="F", pint="degF", symbol="°F", decimals=1),
        ),
        "104.1 C or 219.4 F",
    ),
    "difference": Kind(
        "temperature difference",
        (
            Unit(key="C", pint="delta_degC", symbol="K", decimals=1),
            Unit(key="F", pint="delta_degF", symbol="°F", decimals=1),
        ),
        "4.1 C or 7.4 F",
    ),
    "pressure": Kind(
        "pressure",
        (
            Unit(key="hPa", pint="hPa", symbol="hPa", decimals=1),
            Unit(key="inHg", pint="inHg_32F", symbol="inHg", decimals=2),
            Unit(key="mmHg", pint="mmHg", symbol="mmHg", decimals=1),
        ),
        "957 hPa or 28.26 inHg",
    ),
    "elevation": Kind(
        "elevation",
        (
            Unit(key="m", pint="m", symbol="m", decimals=0),
            Unit(key="ft", pint="ft", symbol="ft", decimals=0),
        ),
        "418 m or 1371 ft",
    ),
    "depth": Kind(
        "depth",
        (
            Unit(key="mm", pint="mm", symbol="mm", decimals=0),
            Unit(key="in", pint="inch", symbol="in", decimals=2),
        ),
        "85 mm or 3.3 in",
    ),
    "mass": Kind(
        "mass",
        (
            Unit(key="kg", pint="kg", symbol="kg", decimals=1),
            Unit(key="lb", pint="lb", symbol="lb", decimals=1),
        ),
        "31.5 kg or 69.4 lb",
    ),
    "volume": Kind(
        "volume",
        (
            Unit(key="L", pint="L", symbol="L", decimals=1),
            Unit(key="gal", pint="gallon", symbol="gal", decimals=2),
            Unit(key="ml", pint="mL", symbol="ml", decimals=0),
        ),
        "26 L or 7 gal",
    ),
    "jar": Kind(
        "jar size",
        (
            Unit(key="ml", pint="mL", symbol="ml", decimals=0),
            Unit(key="floz", pint="floz", symbol="fl oz", decimals=1),
            Unit(key="L", pint="L", symbol="L", decimals=2),
        ),
        "500 ml or 16.9 floz",
    ),
    "brix": Kind("Brix", (Unit(key="Bx", pint="", symbol="Brix", decimals=1),), "66.9"),
    "stem": Kind(
        "reading of the stem",
        (
            Unit(key="Bx", pint="", symbol="Brix", decimals=1),
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
    "percent": Kind("percentage", (Unit(key="%", pint="", symbol="%", decimals=1),), "62"),
    "count": Kind("count", (Unit(key="", pint="", symbol="", decimals=0),), "24"),
    "minutes": Kind(
        "time",
        (
            Unit(key="min", pint="min", symbol="min", decimals=0),
            Unit(key="h", pint="h", symbol="h", decimals=1),
        ),
        "12 min",
    ),
}

_SPELLINGS = {
    "c": "degC",
    "f": "degF",
    "celsius": "degC",
    "fahrenheit": "degF",
    "k": "kelvin",
    "hpa": "hPa",
    "mbar": "mbar",
    "mb": "mbar",
    "millibar": "mbar",
    "kpa": "kPa",
    "pa": "Pa",
    "inhg": "inHg_32F",
    "mmhg": "mmHg",
    "torr": "mmHg",
    "ft": "foot",
    "feet": "foot",
    "'": "foot",
    "in": "inch",
    "inches": "inch",
    '"': "inch",
    "l": "L",
    "litre": "L",
    "litres": "L",
    "liter": "L",
    "liters": "L",
    "ml": "mL",
    "cl": "cL",
    "gal": "gallon",
    "gallons": "gallon",
    "qt": "quart",
    "pt": "pint",
    "floz": "fluid_ounce",
    "fl oz": "fluid_ounce",
    "lbs": "lb",
    "oz": "ounce",
    "kgs": "kg",
    "%": "",
    "percent": "",
    "bx": "",
    "brix": "",
    "be": "baume",
    "bé": "baume",
    "baume": "baume",
    "baumé": "baume",
    "min": "minute",
    "mins": "minute",
    "minutes": "minute",
    "h": "hour",
}

_FORM = re.compile(r"^\s*([+-]?\d[\d\s .,]*|[+-]?[.,]\d+)\s*(\D.*)?$")


@dataclass(frozen=True)
class Typed:
    """What a person typed and how it was understood: `value` is in the kind's inside unit."""

    text: str
    value: float
    unit: str


@lru_cache(maxsize=1)
def _registry() -> "pint.UnitRegistry[float]":
    registry: pint.UnitRegistry[float] = pint.UnitRegistry(autoconvert_offset_to_baseunit=True)
    registry.define("inHg_32F = 3386.389 pascal")
    return registry


def parse(text: str, kind: str, default_unit: str = "", field: str = "") -> Typed:
    """Read a quantity as typed: "219 F", "104.1c", "29.4 inHg", "7 gal", "66,9".

    Args:
        text: a number, with or without a unit; the unit of `default_unit` if none.
        kind: a key of KINDS.
        default_unit: key of the unit a bare number is in; the kind's inside unit if empty.
        field: name of the form field or parameter, carried on the error.
    Raises:
        OutOfRange: not a number, or a unit of another kind; the sentence says what is allowed.
    """
    what = KINDS[kind]
    match = _FORM.match(text[:60]) if len(text) <= 60 else None
    if not text.strip():
        raise OutOfRange(f"Type a {what.name}, for example {what.example}.", field)
    if not match:
        raise OutOfRange(
            f"“{text[:40]}” is not a {what.name}. Type a number with or without its unit, "
            f"for example {what.example}.",
            field,
        )
    number = _number(match[1], what, field)
    named = (match[2] or "").strip().rstrip(".")
    chosen = what.unit(default_unit)
    unit = _unit_named(named, what, field) if named else chosen.pint
    own = next((u.to_inside for u in what.units if u.pint == unit and u.to_inside), None)
    if own is not None:
        value = own(number)
    elif unit == "" or what.inside.pint == "":
        value = number
    else:
        value = _convert(number, unit, inside=what.inside.pint, named=named, what=what, field=field)
    if not isfinite(value):
        raise OutOfRange(f"“{text[:40]}” is too large a number for a {what.name}.", field)
    if kind == "count" and value != int(value):
        raise OutOfRange(f"Type a whole number, for example {what.example}.", field)
    return Typed(text.strip(), value, named or chosen.key)


def _number(digits: str, what: Kind, field: str) -> float:
    compact = re.sub(r"\s", "", digits)
    if "," in compact:
        whole, _, rest = compact.partition(",")
        if "." in compact or "," in rest or len(rest) == 3 or not rest:
            raise OutOfRange(
                f"“{digits.strip()}” can be read two ways. Write the number without a thousands "
                f"mark, for example {what.example}.",
                field,
            )
        compact = f"{whole}.{rest}"
    try:
        return float(compact)
    except ValueError:
        raise OutOfRange(
            f"“{digits.strip()}” is not a number; write for example {what.example}.", field
        ) from None


def _unit_named(named: str, what: Kind, field: str) -> str:
    plain = named.replace("°", "").replace("º", "").strip()
    if plain.startswith("deg"):
        plain = plain[3:].strip()
    unit = _SPELLINGS.get(plain.lower(), plain)
    if what.name == "temperature difference":
        unit = {"degC": "delta_degC", "degF": "delta_degF", "kelvin": "delta_degC"}.get(unit, unit)
    known = {"", what.inside.symbol, *(u.pint for u in what.units)}
    if what.inside.pint == "" and unit not in known:
        raise _wrong_unit(named, what, field)
    return unit


def _convert(number: float, unit: str, inside: str, named: str, what: Kind, field: str) -> float:
    if not re.fullmatch(r"[A-Za-z_0-9 ]{1,20}", unit):
        raise _wrong_unit(named, what, field)
    try:
        return float(_registry().Quantity(number, unit).to(inside).magnitude)
    except (pint.PintError, ValueError, TypeError, AttributeError):
        raise _wrong_unit(named, what, field) from None


def _wrong_unit(named: str, what: Kind, field: str) -> OutOfRange:
    offered = " or ".join(unit.symbol for unit in what.units if unit.symbol) or "no unit"
    return OutOfRange(
        f"“{named[:20]}” is not a unit of {what.name}. Use {offered}, for example {what.example}.",
        field,
    )


def convert(value: float, kind: str, unit_key: str) -> float:
    """A value in the kind's inside unit, expressed in another of its units."""
    what = KINDS[kind]
    unit = what.unit(unit_key)
    if unit.from_inside is not None:
        return unit.from_inside(value)
    if unit is what.inside or not unit.pint:
        return value
    return float(_registry().Quantity(value, what.inside.pint).to(unit.pint).magnitude)


def number(value: float | None, decimals: int, signed: bool = False) -> str:
    """A number as text: a dash for a missing or non-finite one, real minus signs, no minus zero.

    Args:
        value: any.
        decimals: shown after the point, 0 and up.
        signed: whether a plus sign is shown too.
    """
    if value is None or not isfinite(value):
        return "–"
    text = f"{value:.{decimals}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    if signed and not text.startswith("-"):
        text = f"+{text}"
    return text.replace("-", "−")


def show(
    value: float | None,
    kind: str,
    unit_key: str = "",
    decimals: int | None = None,
    *,
    symbol: bool = True,
    both: bool = False,
) -> str:
    """The one formatter: a value in the kind's inside unit as text in a chosen unit.

    Missing and non-finite values show as a dash, and a number is never parted from its unit at
    the end of a line. With `both` the kind's other unit follows in parentheses, wherever a unit
    is named at all.
    """
    if value is None or not isfinite(value):
        return number(None, 0)
    unit = KINDS[kind].unit(unit_key)
    places = unit.decimals if decimals is None else decimals
    text = number(convert(value, kind, unit_key), places)
    if not symbol or not unit.symbol:
        return text
    text = f"{text}\u00a0{unit.symbol}"
    other = other_unit(kind, unit.key)
    if both and other is not None:
        text += f" ({show(value, kind, other.key)})"
    return text


def other_unit(kind: str, unit_key: str) -> Unit | None:
    """The first other unit of a kind; None for a kind that has one only, and for plain Brix."""
    what = KINDS[kind]
    chosen = what.unit(unit_key)
    return next((unit for unit in what.units if unit is not chosen), None)

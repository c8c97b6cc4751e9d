"""Quantities as a person reads them."""

from math import isfinite

from lumbrel.core.units.kinds import KINDS, Unit, scale
from lumbrel.words import joined, n_, number, quantity


def convert(value: float, kind: str, unit_key: str) -> float:
    """A value in the kind's inside unit, expressed in another of its units."""
    what = KINDS[kind]
    unit = what.unit(unit_key)
    if unit.from_inside is not None:
        return unit.from_inside(value)
    if unit is what.inside or not unit.pint:
        return value
    times, plus = scale(unit.pint, what.inside.pint)
    return (value - plus) / times


def show(
    value: float | None,
    kind: str,
    unit_key: str = "",
    decimals: int | None = None,
    *,
    symbol: bool = True,
    both: bool = False,
    grouped: bool = True,
) -> str:
    """The one formatter: a value in the kind's inside unit as text in a chosen unit.

    Missing and non-finite values show as a dash, and a number is never parted from its unit at
    the end of a line. With `both` the kind's other unit follows in parentheses, wherever a unit
    is named at all. Thousands are set apart unless `grouped` is off.
    """
    if value is None or not isfinite(value):
        return number(None, 0)
    unit = KINDS[kind].unit(unit_key)
    worth = convert(value, kind, unit_key)
    if symbol and unit.smaller and 0 < abs(worth) < unit.from_one:
        text = show(value, kind, unit.smaller)
    else:
        text = number(worth, _places(kind, unit, decimals), grouped=grouped)
        if not symbol or not unit.symbol:
            return text
        text = quantity(text, unit.symbol)
    other = other_unit(kind, unit.key)
    if both and other is not None:
        text = joined("", (text, " (", show(value, kind, other.key), ")"))
    return text


def _places(kind: str, unit: Unit, decimals: int | None) -> int:
    """Decimals of a unit. Those that are asked for are of the unit inside: one that is bigger is told more
    finely, lest 40 mm be 2 in."""
    if decimals is None:
        return unit.decimals
    inside = KINDS[kind].inside.decimals
    finer = max(unit.decimals - inside, 0)
    return decimals + finer if decimals < inside or not inside else max(decimals, unit.decimals)


def other_unit(kind: str, unit_key: str) -> Unit | None:
    """The first other unit of a kind; None for a kind that has one only, and for plain Brix."""
    what = KINDS[kind]
    chosen = what.unit(unit_key)
    return next((unit for unit in what.units if unit is not chosen), None)


def in_minutes(minutes: float) -> str:
    """Whole minutes with their noun; never less than one.

    Args:
        minutes: 0 and up.
    """
    return n_("{count} minute", "{count} minutes", max(round(minutes), 1))

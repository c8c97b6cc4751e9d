"""Quantities as a person reads them."""

from math import isfinite

from lumbrel.core.units.kinds import KINDS, Unit, scale


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
    worth = convert(value, kind, unit_key)
    if symbol and unit.smaller and 0 < abs(worth) < unit.from_one:
        text = show(value, kind, unit.smaller)
    else:
        text = number(worth, _places(kind, unit, decimals))
        if not symbol or not unit.symbol:
            return text
        text = f"{text}\u00a0{unit.symbol}"
    other = other_unit(kind, unit.key)
    if both and other is not None:
        text += f" ({show(value, kind, other.key)})"
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


def ordinal(rank: int) -> str:
    """A rank as it is read: 1st, 2nd, 11th.

    Args:
        rank: 1 and up.
    """
    ends = {1: "st", 2: "nd", 3: "rd"}
    teens = rank % 100 in (11, 12, 13)
    return f"{rank}{'th' if teens else ends.get(rank % 10, 'th')}"


def in_minutes(minutes: float) -> str:
    """Whole minutes with their noun; never less than one.

    Args:
        minutes: 0 and up.
    """
    whole = max(round(minutes), 1)
    return f"{whole} minute{'' if whole == 1 else 's'}"

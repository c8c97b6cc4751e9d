"""Numbers as the language that is spoken writes them."""

from functools import partial
from math import isfinite

from lumbrel.words.languages import Language
from lumbrel.words.said import Sentence

NOTHING = "–"
GROUPED_FROM = 10_000
"""Four digits are read at a glance, and stand together in both languages."""


def number(value: float | None, decimals: int, signed: bool = False, *, grouped: bool = True) -> str:
    """A number as text: a dash for a missing or non-finite one, thousands grouped, real minus signs,
    no minus zero.

    Args:
        value: any.
        decimals: shown after the point, 0 and up.
        signed: whether a plus sign is shown too.
        grouped: whether thousands are set apart, from ten thousand on.
    """
    if value is None or not isfinite(value):
        return Sentence(NOTHING, _nothing)
    apart = "," if grouped and abs(value) >= GROUPED_FROM else ""
    text = f"{value:{apart}.{decimals}f}"
    if text.startswith("-"):
        text = f"−{text[1:]}" if text.strip("-0.,") else text[1:]
    if signed and not text.startswith("−"):
        text = f"+{text}"
    return Sentence(text, partial(_marked, text))


def bare(value: float) -> str:
    """A number with no more digits than it needs."""
    text = f"{value:g}".replace("-", "−")
    return Sentence(text, partial(_marked, text))


def quantity(text: str, symbol: str) -> str:
    """A number with its unit, which it is never parted from at the end of a line.

    Args:
        text: of the number.
        symbol: of the unit.
    """
    return Sentence(f"{str.__str__(text)}\u00a0{symbol}", partial(_with_unit, text, symbol))


def unit(symbol: str) -> str:
    """A unit's symbol, as it is written by whoever reads it."""
    return Sentence(symbol, partial(symbol_of, symbol))


def share(fraction: float | None, decimals: int = 0) -> str:
    """A share as percent, with its sign."""
    return quantity(number(None if fraction is None else 100 * fraction, decimals), "%")


def ordinal(rank: int) -> str:
    """A rank as it is read: 1st, 2nd, 11th.

    Args:
        rank: 1 and up.
    """
    ends = {1: "st", 2: "nd", 3: "rd"}
    teens = rank % 100 in (11, 12, 13)
    english = f"{rank}{'th' if teens else ends.get(rank % 10, 'th')}"
    return Sentence(english, partial(_rank, english, rank))


def _nothing(_spoken: Language) -> str:
    return NOTHING


def _marked(text: str, spoken: Language) -> str:
    return text.translate(spoken.marks)


def _with_unit(text: str, symbol: str, spoken: Language) -> str:
    return f"{text}\u00a0{symbol_of(symbol, spoken)}"


def symbol_of(symbol: str, spoken: Language) -> str:
    """A unit's symbol as a language writes it."""
    return UNITS.get(spoken.short, {}).get(symbol) or str(symbol)


def _rank(english: str, rank: int, spoken: Language) -> str:
    if spoken.short == "fr":
        return "1er" if rank == 1 else f"{rank}e"
    return spoken.sentence(english)


UNITS = {
    "fr": {
        "in": "po",
        "ft": "pi",
        "oz": "oz",
        "fl oz": "oz liq.",
        "imp fl oz": "oz liq. imp.",
        "gal": "gal US",
        "imp gal": "gal imp.",
        "qt": "pte US",
        "imp qt": "pte imp.",
        "inHg": "poHg",
    }
}
"""Symbols of units that another language writes otherwise."""

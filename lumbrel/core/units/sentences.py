"""Sentences with quantities: written once, with units inside, and told in the units that a person chose."""

import re
from collections.abc import Mapping
from decimal import ROUND_CEILING, ROUND_FLOOR, ROUND_HALF_UP, Decimal
from functools import lru_cache, partial

from lumbrel.core.units.kinds import KINDS
from lumbrel.core.units.shown import convert
from lumbrel.words import CANADA, Language, Sentence
from lumbrel.words.numbers import symbol_of

KIND_OF = {
    "°C": "temperature",
    "K": "difference",
    "hPa": "pressure",
    "mm": "depth",
    "cm": "girth",
    "m": "elevation",
    "kg": "mass",
    "g": "piece",
    "ml": "jar",
    "L": "volume",
}
"""What a unit in a sentence measures."""
_OTHERS = r"°F|\bin|\bft|inHg|\blb|\boz|\bgal|\bpo|\bpi|poHg"
_BETWEEN = " and | to | or | et | à | ou "
SHOWN_DIGITS = 3


@lru_cache(maxsize=8)
def _patterns(decimal: str) -> tuple[str, re.Pattern[str]]:
    """A number, and a quantity, in a language with that decimal mark."""
    apart = " \u00a0\u202f" if decimal == "," else " \u00a0\u202f,"
    number = rf"[−-]?\d+(?:[{apart}]\d{{3}})*(?:{re.escape(decimal)}\d+)?(?![\d.,]*\d)"
    quantity = (
        rf"(?<![\w.,/–-])(?<!through )(?<!à travers )"
        rf"(?P<numbers>{number}(?:(?: ?[–×] ?|{_BETWEEN}|, ){number})*)"
        rf"(?P<space>[ \u00a0])(?P<unit>{'|'.join(KIND_OF)})(?![\w²³/°])"
        rf"(?: \((?P<other>[^()]*(?:{_OTHERS})\b[^()]*)\))?"
    )
    return number, re.compile(quantity)


def said(text: str, chosen: Mapping[str, str]) -> str:
    """A sentence in the chosen units.

    Args:
        text: its quantities in units inside, as "between 0 and 110 °C"; what stands behind one in
            parentheses in another unit takes its place where that is the chosen one, and is left out
            where it is not. What a colour class is told through, 10 mm, stays as it is.
        chosen: by kind the key of a unit.
    """
    english = _said(str.__str__(text), chosen, CANADA)
    return Sentence(english, partial(_again, text, chosen)) if isinstance(text, Sentence) else english


def _again(text: str, chosen: Mapping[str, str], spoken: Language) -> str:
    return _said(str(text), chosen, spoken)


def _said(text: str, chosen: Mapping[str, str], spoken: Language) -> str:
    return _told(text, tuple(chosen.get(kind, "") for kind in KIND_OF.values()), spoken)


@lru_cache(maxsize=4096)
def _told(text: str, keys: tuple[str, ...], spoken: Language) -> str:
    """One sentence in the units of those keys; the fixed ones are asked for by every page."""
    decimal = spoken.marks.get(ord("."), ".")
    number, quantity = _patterns(decimal)
    chosen = dict(zip(KIND_OF.values(), keys, strict=True))

    def told(found: re.Match[str]) -> str:
        kind = KIND_OF[found["unit"]]
        what = KINDS[kind]
        unit = what.unit(chosen.get(kind, ""))
        if unit is what.inside:
            return f"{found['numbers']}{found['space']}{found['unit']}"
        symbol, other = symbol_of(unit.symbol, spoken), found["other"] or ""
        if other.endswith((f" {symbol}", f"\u00a0{symbol}")):
            return other
        first, *more = re.findall(number, found["numbers"])
        span = len(more) == 1 and any(word in found["numbers"] for word in (" and ", " to ", " et ", " à "))
        ways = {first: ROUND_CEILING, more[0]: ROUND_FLOOR} if span else {}
        numbers = re.sub(
            number,
            lambda one: _number(
                one[0].replace(decimal, "."), kind, unit.key, ways.get(one[0], ROUND_HALF_UP)
            ).translate(spoken.marks),
            found["numbers"],
        )
        return f"{numbers}{found['space']}{symbol}"

    return quantity.sub(told, text)


def _number(text: str, kind: str, wanted: str, rounding: str) -> str:
    """A number in another unit, about as finely told; of a span the ends are rounded inwards, so that
    what a sentence allows is allowed."""
    plain = re.sub(r"[ \u00a0\u202f,]", "", text).replace("−", "-")
    value = Decimal(f"{convert(float(plain), kind, wanted):.9g}")
    if not value:
        return "0"
    last = -len(plain.partition(".")[2])
    if kind != "temperature":
        digits = min(max(len(plain.lstrip("-0.").replace(".", "").rstrip("0")), 2), SHOWN_DIGITS)
        last = value.adjusted() - digits + 1
    shown = f"{value.quantize(Decimal(1).scaleb(last), rounding=rounding):,f}"
    return (shown.rstrip("0").rstrip(".") if "." in shown else shown).replace("-", "−")

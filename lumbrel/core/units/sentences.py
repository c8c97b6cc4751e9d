"""Sentences with quantities: written once, with units inside, and told in the units that a person chose."""

import re
from collections.abc import Mapping
from decimal import ROUND_CEILING, ROUND_FLOOR, ROUND_HALF_UP, Decimal

from lumbrel.core.units.kinds import KINDS
from lumbrel.core.units.shown import convert

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
_NUMBER = r"[−-]?\d+(?:[ \u00a0\u202f,]\d{3})*(?:\.\d+)?(?![\d.,]*\d)"
_QUANTITY = re.compile(
    rf"(?<![\w.,/–-])(?<!through )(?P<numbers>{_NUMBER}(?:(?: ?[–×] ?| and | to | or |, ){_NUMBER})*)"
    rf"(?P<space>[ \u00a0])(?P<unit>{'|'.join(KIND_OF)})(?![\w²³/°])"
    r"(?: \((?P<other>[^()]*(?:°F|\bin|\bft|inHg|\blb|\boz|\bgal)\b[^()]*)\))?"
)
SHOWN_DIGITS = 3


def said(text: str, chosen: Mapping[str, str]) -> str:
    """A sentence in the chosen units.

    Args:
        text: its quantities in units inside, as "between 0 and 110 °C"; what stands behind one in
            parentheses in another unit takes its place where that is the chosen one, and is left out
            where it is not. What a colour class is told through, 10 mm, stays as it is.
        chosen: by kind the key of a unit.
    """

    def told(found: re.Match[str]) -> str:
        kind = KIND_OF[found["unit"]]
        what = KINDS[kind]
        unit = what.unit(chosen.get(kind, ""))
        if unit is what.inside:
            return f"{found['numbers']}{found['space']}{found['unit']}"
        other = found["other"] or ""
        if other.endswith(f" {unit.symbol}"):
            return other
        first, *more = re.findall(_NUMBER, found["numbers"])
        span = len(more) == 1 and (" and " in found["numbers"] or " to " in found["numbers"])
        ways = {first: ROUND_CEILING, more[0]: ROUND_FLOOR} if span else {}
        numbers = re.sub(
            _NUMBER,
            lambda one: _number(one[0], kind, unit.key, ways.get(one[0], ROUND_HALF_UP)),
            found["numbers"],
        )
        return f"{numbers}{found['space']}{unit.symbol}"

    return _QUANTITY.sub(told, text)


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

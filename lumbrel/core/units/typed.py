"""Quantities as a person types them: "219 F", "7 1/2 gal", "3 lb 5 oz", "5'3\"", "66,9"."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import isfinite

from lumbrel.core.errors import OutOfRange
from lumbrel.core.units.kinds import KINDS, Kind, Unit, scale, tidy
from lumbrel.core.units.spellings import OTHERWISE, PLAIN, SPELLINGS
from lumbrel.words import _, listed
from lumbrel.words.numbers import unit as shown

LONGEST = 60
_IMPERIAL = {"gallon", "quart", "pint", "fluid_ounce"}
"""Pots that are bigger where gallons are imperial."""
_NONE: dict[str, str] = {"": ""}


_GROUPED = r"\d{1,3}(?: \d{3})+(?:[.,]\d+)?"
_MARKED = r"\d{1,3}(?:,\d{3})+\.\d+|\d{1,3}(?:\.\d{3})+,\d+|\d{1,3}(?:,\d{3}){2,}|\d{1,3}(?:\.\d{3}){2,}"
"""With a thousands mark that cannot be the decimal one: 1,234.5 or 1.234,5 or 1,234,567."""
_FRACTION = r"(?:\d+[ -] *)?\d+ ?/ ?\d+"
_DECIMAL = r"\d+(?:[.,]\d*)?|[.,]\d+"
_NUMBER = re.compile(
    rf" *(?P<number>{_FRACTION}|{_MARKED}|{_GROUPED}|{_DECIMAL})(?![\d.,]) *(?P<unit>[^\d]*)"
)


@dataclass(frozen=True)
class Typed:
    """What a person typed and how it was understood: `value` is in the kind's inside unit."""

    text: str
    value: float
    unit: str
    bare: bool = False
    """Whether no unit was typed."""


@dataclass(frozen=True)
class _Part:
    """A number with its unit as pint has it, empty for none; `named` as it was typed."""

    number: float
    unit: str
    named: str


def parse(text: str, kind: str, default_unit: str = "", field: str = "") -> Typed:
    """Read a quantity as typed: "219 F", "104.1c", "29.4 inHg", "7 1/2 gal", "3 lb 5 oz", "66,9".

    Args:
        text: a number, whole, decimal or with a fraction, with or without a unit; the unit of
            `default_unit` if none. Several with units of one kind add up: "1 qt 4 oz". Of masses the
            difference of two weighings: "15.42 kg - 3.1 kg".
        kind: a key of KINDS.
        default_unit: key of the unit a bare number is in; the kind's inside unit if empty. Where it
            is the imperial gallon, quarts, pints and fluid ounces are imperial too.
        field: name of the form field or parameter, carried on the error.
    Raises:
        OutOfRange: not a number, or a unit of another kind; the sentence says what is allowed.
    """
    what = KINDS[kind]
    what = replace(what, example=what.example_in(default_unit))
    if kind in WEIGHED and len(two := re.split(r"\s[-−–]\s", text)) == 2:
        return _between(text, [parse(one, kind, default_unit, field) for one in two])
    if not text.strip():
        raise OutOfRange(
            _("Enter the {what}, for example {example}.", what=what.name, example=what.example), field
        )
    negative, parts = _parts(text, kind, what, field)
    chosen = what.unit(default_unit)
    if len(parts) > 1:
        if parts[-2].unit == "foot" and not parts[-1].unit:
            parts[-1] = replace(parts[-1], unit="inch")
        _require_one_kind(text, parts, what, field)
    total = 0.0
    for part in parts:
        total += _inside(part, what, chosen, imperial=default_unit == "igal")
    total = tidy(-total if negative and len(parts) > 1 else total)
    if not isfinite(total):
        raise OutOfRange(
            _("“{text}” is too large a number for a {what}.", text=text[:40], what=what.name), field
        )
    if kind == "count" and total != int(total):
        raise OutOfRange(_("Type a whole number, for example {example}.", example=what.example), field)
    bare = not any(part.named for part in parts)
    return Typed(text.strip(), total, parts[0].named or chosen.key, bare)


WEIGHED = ("mass", "piece")
"""Kinds that are told by two weighings: with and without, in either order."""


def _between(text: str, two: list[Typed]) -> Typed:
    """What lies between two weighings: "15.42 kg - 3.10 kg"."""
    return replace(two[0], text=text.strip(), value=tidy(abs(two[0].value - two[1].value)))


OTHER_UNITS = {"temperature": ("C", "F")}
"""Units of one kind of quantity that are taken for each other, since both are on the instruments."""


def in_the_other_unit(text: str, kind: str, default_unit: str = "") -> Typed | None:
    """What a bare number would say in the unit that it may have been meant in; None where a unit was
    typed, or no other one comes into question."""
    pair = OTHER_UNITS.get(kind)
    if pair is None:
        return None
    try:
        if not parse(text, kind, default_unit).bare:
            return None
        other = pair[1] if KINDS[kind].unit(default_unit).key == pair[0] else pair[0]
        return replace(parse(text, kind, other), unit=other)
    except OutOfRange:
        return None


def _parts(text: str, kind: str, what: Kind, field: str) -> tuple[bool, list[_Part]]:
    """The numbers of a text with their units, and whether the first is below nothing."""
    plain = re.sub(r"\s+", " ", text.translate(PLAIN)).strip() if len(text) <= LONGEST else ""
    if kind == "minutes":
        # An hour and a half; with two digits before the mark it would be a time of day.
        plain = re.sub(r"^(\d):([0-5]\d)(?: ?h)?$", r"\1 h \2 min", plain)
    negative = plain.startswith("-")
    rest = plain[1:] if negative or plain.startswith("+") else plain
    parts: list[_Part] = []
    while rest:
        match = _NUMBER.match(rest)
        if match is None:
            raise _no_number(text, what, field)
        number = _number(match["number"], what, field)
        named = match["unit"].strip(" .")
        unit = _unit(named, kind, what, field)
        parts.append(_Part(-number if negative and not parts else number, unit, named))
        rest = rest[match.end() :]
    if not parts:
        raise _no_number(text, what, field)
    if len(parts) > 1:
        first = parts[0]
        parts[0] = _Part(abs(first.number), first.unit, first.named)
    return negative, parts


def _no_number(text: str, what: Kind, field: str) -> OutOfRange:
    article = "an" if what.name[0] in "aeiou" else "a"
    return OutOfRange(
        _(
            "“{text}” is not {article} {what}. Type a number with or without its unit, for "
            "example {example}.",
            text=text[:40],
            article=article,
            what=what.name,
            example=what.example,
        ),
        field,
    )


def _number(digits: str, what: Kind, field: str) -> float:
    """A number as it is typed: 7, 7.5, 7,5, 1 013, 1,013.25, 7 1/2, 1/2."""
    if "/" in digits:
        whole, top, bottom = re.fullmatch(r"(?:(\d+)[ -] *)?(\d+) ?/ ?(\d+)", digits).groups()  # type: ignore[union-attr]
        if int(bottom) == 0 or (whole and int(top) >= int(bottom)):
            raise OutOfRange(_("“{digits}” is no fraction; write for example 7 1/2.", digits=digits), field)
        return int(whole or 0) + int(top) / int(bottom)
    compact = digits.replace(" ", "")
    if re.fullmatch(_MARKED, compact):
        # The mark that comes first parts thousands.
        mark = next(sign for sign in compact if sign in ",.")
        compact = compact.replace(mark, "").replace(",", ".")
    whole, comma, rest = compact.partition(",")
    if comma and (len(rest) == 3 or not rest):
        raise _two_ways(digits, what, field)
    return float(f"{whole}.{rest}" if comma else compact)


def _two_ways(digits: str, what: Kind, field: str) -> OutOfRange:
    return OutOfRange(
        _(
            "“{strip}” can be read two ways. Write the number without a thousands mark, for "
            "example {example}.",
            strip=digits.strip(),
            example=what.example,
        ),
        field,
    )


def _unit(named: str, kind: str, what: Kind, field: str) -> str:
    """Pint's name of a unit as it was typed; empty for none, or for a bare degree sign."""
    plain = re.sub(r"\s+", " ", named.lower().replace("°", " ").replace(".", " ")).strip()
    if kind in ("temperature", "difference", "stem", "brix"):
        plain = re.sub(r"^(degrees|degree|deg)\b *", "", plain)
        if named and not plain:
            return ""
    if not named:
        return ""
    # French has it behind: "gal imp."
    plain = re.sub(r"^(.+) (us|imp)$", r"\2 \1", plain)
    imperial = re.sub(r"^(imperial|imp|uk)\b *", "", plain)
    american = re.sub(r"^us\b *", "", plain)
    spelt = SPELLINGS[kind]
    plain, imperial, american = (OTHERWISE.get(one, one) for one in (plain, imperial, american))
    if kind in ("volume", "jar") and imperial != plain and spelt.get(imperial) in _IMPERIAL:
        return f"imperial_{spelt[imperial]}"
    if kind in ("volume", "jar") and american != plain and american in spelt:
        return f"us {spelt[american]}"
    if plain not in spelt:
        raise _wrong_unit(named, what, field)
    return spelt[plain] or "1"


def _wrong_unit(named: str, what: Kind, field: str) -> OutOfRange:
    offered = listed((shown(one.symbol) for one in what.units if one.symbol), "or") or _("no unit")
    return OutOfRange(
        _(
            "“{named}” is not a unit of {what}. Use {offered}, for example {example}.",
            named=named[:20],
            what=what.name,
            offered=offered,
            example=what.example,
        ),
        field,
    )


def _require_one_kind(text: str, parts: list[_Part], what: Kind, field: str) -> None:
    """Several numbers add up only with a unit each, the larger first: 3 lb 5 oz."""
    units = [part.unit for part in parts]
    offset = what.name in ("temperature", "count", "percentage", "Brix", "reading of the stem")
    if offset or any(unit in ("", "1") for unit in units):
        raise OutOfRange(
            _(
                "“{text}” can be read two ways. Write one number, for example {example}.",
                text=text[:40],
                example=what.example,
            ),
            field,
        )
    sizes = [scale(unit.removeprefix("us "), what.inside.pint)[0] for unit in units]
    if sizes != sorted(sizes, reverse=True) or len(set(sizes)) < len(sizes):
        raise OutOfRange(
            _(
                "“{text}” is not read: write the larger unit first and each once, as 3 lb 5 oz.",
                text=text[:40],
            ),
            field,
        )


def _inside(part: _Part, what: Kind, chosen: Unit, *, imperial: bool) -> float:
    """A number with its unit in the kind's inside unit."""
    unit = part.unit
    if unit in ("", "1"):
        unit = chosen.pint if unit == "" else what.inside.pint
    elif unit.startswith("us "):
        unit = unit.removeprefix("us ")
    elif imperial and unit in _IMPERIAL:
        unit = f"imperial_{unit}"
    own = next((u.to_inside for u in what.units if u.pint == unit and u.to_inside), None)
    if own is not None:
        return own(part.number)
    if not unit:
        return part.number
    times, plus = scale(unit, what.inside.pint)
    return part.number * times + plus


def kind_by_unit(text: str, kinds: Sequence[str]) -> str:
    """Of which kind a quantity is, by the unit that was typed.

    Args:
        text: as typed.
        kinds: the kinds that it may be of, the likeliest first.
    Returns:
        The first kind that has such a unit; without a unit, or where none has it, the first of all.
    """
    if not any(letter.isalpha() for letter in text):
        return kinds[0]
    for kind in kinds:
        try:
            parse(text, kind)
        except OutOfRange:
            continue
        return kind
    return kinds[0]

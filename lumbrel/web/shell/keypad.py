"""What the keypad of touch screens offers for a kind of quantity: the units as they are typed."""

from collections.abc import Iterable, Mapping

from lumbrel.words import _

KEYS: dict[str, tuple[tuple[str, ...], ...]] = {
    "temperature": (("C", "F"),),
    "difference": (("C", "F"),),
    "pressure": (("hPa", "inHg", "mmHg"),),
    "elevation": (("m", "ft"),),
    "depth": (("mm", "cm", "in"), ("in", "ft", "cm")),
    "girth": (("cm", "m", "in"), ("in", "ft", "cm")),
    "mass": (("kg", "g", "lb"), ("lb", "oz", "kg")),
    "piece": (("g", "oz", "kg"), ("oz", "lb", "g")),
    "volume": (("L", "ml", "gal"), ("gal", "qt", "L"), (_("imp gal"), "L", "ml"), ("ml", "L", "gal")),
    "jar": (("ml", "L", "floz"), ("floz", "qt", "ml")),
    "minutes": (("min", "h"),),
    "stem": (("Bx", _("Be")),),
    "amount": (("kg", "L", "mm"), ("lb", "gal", "in")),
    "clock": ((":",),),
    "brix": (),
    "percent": (),
    "count": (),
    "price": (),
}
"""By kind, the rows of keys; the one that begins with the kitchen's own unit is shown."""
TYPED = {"igal": _("imp gal")}
"""Where a unit is typed otherwise than its key."""


def keys_of(chosen: Mapping[str, str] | Iterable[tuple[str, str]]) -> dict[str, tuple[str, ...]]:
    """The units a keypad offers by kind, the kitchen's own first.

    Args:
        chosen: the kitchen's units by kind, or pairs of both.
    """
    own = dict(chosen)
    own["amount"] = own.get("mass", "")
    return {kind: _row(rows, own.get(kind, "")) for kind, rows in KEYS.items()}


def _row(rows: tuple[tuple[str, ...], ...], unit: str) -> tuple[str, ...]:
    if not rows:
        return ()
    own = TYPED.get(unit, unit)
    found = next((row for row in rows if row[0] == own), None)
    if found:
        return found
    first = rows[0]
    return (own, *(u for u in first if u != own)) if own in first else first

"""Quantities as a person types and reads them: the only door between what is typed or shown and
the units inside."""

from lumbrel.core.units.kinds import KINDS, Kind, Unit
from lumbrel.core.units.shown import convert, number, other_unit, show
from lumbrel.core.units.typed import Typed, kind_by_unit, parse

__all__ = [
    "KINDS",
    "Kind",
    "Typed",
    "Unit",
    "convert",
    "kind_by_unit",
    "number",
    "other_unit",
    "parse",
    "show",
]

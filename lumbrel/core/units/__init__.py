"""Quantities as a person types and reads them: the only door between what is typed or shown and
the units inside."""

from lumbrel.core.units.kinds import KINDS, Kind, Unit
from lumbrel.core.units.moments import TWELVE, span_of
from lumbrel.core.units.sentences import said
from lumbrel.core.units.shown import convert, in_minutes, other_unit, show
from lumbrel.core.units.typed import Typed, in_the_other_unit, kind_by_unit, parse
from lumbrel.words import named_day as day
from lumbrel.words import named_time as clock
from lumbrel.words import number, ordinal

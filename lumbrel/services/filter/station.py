"""The hot filter."""

from lumbrel.services.base.cautions import HOT
from lumbrel.services.base.facts import FilterFacts
from lumbrel.services.base.line import LineKind
from lumbrel.services.base.station import Station
from lumbrel.services.filter import entries
from lumbrel.services.filter.choices import choices

STATION = Station(
    key="filter",
    title="Filter",
    line_kinds=(
        LineKind(facts=FilterFacts, read=entries.filtering, words=entries.words, once=True),
    ),
    waits_for=FilterFacts,
    choices=choices,
    cautions=(HOT,),
)

"""Colour."""

from lumbrel.services.base.cautions import SALE
from lumbrel.services.base.facts import ColourFacts
from lumbrel.services.base.line import LineKind
from lumbrel.services.base.station import Station
from lumbrel.services.colour import entries
from lumbrel.services.colour.choices import choices
from lumbrel.words import _

STATION = Station(
    key="colour",
    title=_("Colour"),
    line_kinds=(LineKind(facts=ColourFacts, read=entries.colour, words=entries.words, once=True),),
    waits_for=ColourFacts,
    choices=choices,
    cautions=(SALE,),
)

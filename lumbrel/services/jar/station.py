"""Jars."""

from lumbrel.services.base.cautions import GLASS, HOT, SALE
from lumbrel.services.base.facts import JarFacts
from lumbrel.services.base.line import LineKind
from lumbrel.services.base.station import Station
from lumbrel.services.jar import entries
from lumbrel.services.jar.calculations import CALCULATIONS
from lumbrel.services.jar.choices import choices

STATION = Station(
    key="jar",
    title="Jar",
    line_kinds=(LineKind(facts=JarFacts, read=entries.jar, words=entries.words),),
    waits_for=JarFacts,
    choices=choices,
    cautions=(GLASS, HOT, SALE),
    calculations=CALCULATIONS,
)

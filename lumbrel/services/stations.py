"""The registry: every station in working order, and what is gathered from them.

A new station is a folder of its name on each floor, and its name in one line here.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta
from importlib import import_module
from sqlite3 import Connection
from typing import Any

from lumbrel.services.base import standing
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.book import Book
from lumbrel.services.base.cache import cache_of, record_key
from lumbrel.services.base.calculation import Calculation, calculations_in, rooms
from lumbrel.services.base.entry import Entry, of_row
from lumbrel.services.base.facts import Facts, StruckFacts
from lumbrel.services.base.said import spoken_by
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.bench.said import BOOK_KINDS as BENCH_KINDS
from lumbrel.services.record.settings import BOOK_KINDS as KITCHEN_KINDS
from lumbrel.services.record.slip import Slip
from lumbrel.store import book as lines
from lumbrel.store import kept
from lumbrel.store.book import written_so_far
from lumbrel.store.kitchen import load_kitchen
from lumbrel.store.record import Batch
from lumbrel.words import _

NAMES = ("day", "sap", "take_in", "pan", "filter", "colour", "jar", "candy", "shelf")
"""In working order."""
STATIONS: tuple[Station, ...] = tuple(
    import_module(f"lumbrel.services.{name}.station").STATION for name in NAMES
)

GLANCE = timedelta(seconds=5)

slip = Slip(kind for station in STATIONS for kind in station.line_kinds)
"""The slips of all batches, with every kind of line that a station brings."""
for _kind in (kind for station in STATIONS for kind in station.line_kinds):
    if _kind.says:
        spoken_by(_kind.key, _kind.says)
book = Book([*KITCHEN_KINDS, *BENCH_KINDS, *(kind for station in STATIONS for kind in station.book_kinds)])
"""All other lines, about trees, tanks, instruments, the air."""

CALCULATIONS: tuple[Calculation, ...] = tuple(
    calculation for room in rooms() for calculation in calculations_in(room)
)
"""The stateless calculations, alike for the API, the command line and scripts."""


def waiting(db: Connection) -> dict[str, list[Batch]]:
    """By station, the batches that wait for it, oldest first."""
    stops = (station.key for station in STATIONS if station.waits_for is not None)
    return {key: kept.waiting(db, key) for key in stops}


@dataclass(frozen=True)
class PlaceInLine:
    """A station on the line across the top."""

    station: Station
    state: State

    @property
    def href(self) -> str:
        """Where pressing it leads."""
        return self.station.address_of(self.state.code)


def line(db: Connection, now: datetime) -> list[PlaceInLine]:
    """The line across the top, every station with its live state; a few seconds old at most, and never older than
    the last thing that was written."""
    if db.in_transaction:
        return _line(db, now)
    shelf, key, news = cache_of(db).shelf(_("the line")), record_key(db), written_so_far(db)
    with shelf.lock:
        said, since, places = shelf.peek(key) or (-1, now, [])
        if said != news or not timedelta(0) <= now - since <= GLANCE:
            places = _line(db, now)
            shelf.put(key, (news, now, places))
        return list(places)


def _line(db: Connection, now: datetime) -> list[PlaceInLine]:
    look = Look(db, now, load_kitchen(db), waiting(db))
    return [PlaceInLine(station, station.state_of(look)) for station in STATIONS]


def next_after_draw(context: BatchContext) -> Station:
    """The first station after the pan that a drawn batch still waits for; the jars in the end. Near-syrup
    is taken in anew."""
    named = {station.key: station for station in STATIONS}
    if standing.is_near_syrup(context.current):
        return named["take_in"]
    for station in (named["filter"], named["colour"]):
        if station.waits_for and context.first(station.waits_for) is None:
            return station
    return named["jar"]


def home_of(kind: str) -> Station:
    """The station that a kind of line belongs to.

    Raises:
        StopIteration: no station brings such a kind.
    """
    return next(s for s in STATIONS if any(k.key == kind for k in s.line_kinds))


def is_kind(kind: str) -> bool:
    """Whether a station brings such a kind of line."""
    return any(k.key == kind for s in STATIONS for k in s.line_kinds)


def choices_for(kind: str, context: BatchContext) -> Any:
    """What the form of a kind of line offers to choose from, for a batch."""
    choices = home_of(kind).choices if is_kind(kind) else None
    return choices(context) if choices else None


def named(context: BatchContext, line_id: str) -> str:
    """What a line anywhere says, for one that was said anew since: by its words on its slip, or in the book."""
    row = lines.by_id(context.db, line_id)
    if row is None:
        return _("a line was written that it rests on")
    entry = of_row(row)
    if isinstance(entry.facts, StruckFacts) and entry.supersedes:
        old = lines.by_id(context.db, entry.supersedes)
        return (
            _("“{value}” was struck", value=_words(context, of_row(old))) if old else _("a line was struck")
        )
    return _(
        "“{value}” was {value_2}",
        value=_words(context, entry),
        value_2=_("corrected") if entry.supersedes else _("noted"),
    )


def _words(context: BatchContext, entry: Entry[Facts]) -> str:
    if entry.about != "batch":
        return book.said(context.db, entry)
    if entry.about_id != context.batch.id:
        return _("a line of another batch")
    return next((one.title for one in slip.lines(context) if one.entry.id == entry.id), entry.kind)


def cautions_of(key: str) -> tuple[tuple[str, str], ...]:
    """The cautions that belong to a station; none for any other room."""
    return next((s.cautions for s in STATIONS if s.key == key), ())

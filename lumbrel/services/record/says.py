"""What readings say, written when it is said, and anew when something that they rest on is another."""

from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.services.base import batch as contexts
from lumbrel.services.base import said
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    AddedFacts,
    DepthFacts,
    Facts,
    FedFacts,
    OpenedFacts,
    PutInFacts,
    ReadingFacts,
    ScaleFacts,
    ThermometerFacts,
)
from lumbrel.store import book, record
from lumbrel.store import said as store
from lumbrel.store.record import Batch


def say_by(db: Connection, batch: Batch, slip: list[Entry[Facts]], entry: Entry[Facts]) -> None:
    """Write what the lines of a slip say once one was written: that one, and those that rest on it."""
    wanted = _says_by(db, entry)
    if any(said.speaks(one) and wanted(one) for one in slip):
        said.say(contexts.of(db, batch, entry.noted_at, slip), wanted, entry.id)


def _says_by(db: Connection, entry: Entry[Facts]) -> said.Wanted:
    """Which lines of a slip may say something else once one is written: itself; by the sugar that is in the
    vessel, where that is another; all, where the take-in is."""
    old = book.by_id(db, entry.supersedes) if entry.supersedes else None
    was = {old.kind} if old else set()
    if old and isinstance(entry.facts, OpenedFacts):
        return said.speaks
    moved = isinstance(entry.facts, PutInFacts) or bool(was & {AddedFacts.key(), FedFacts.key()})
    by_sugar = (DepthFacts, ScaleFacts) if moved else ()
    return lambda one: one.id == entry.id or isinstance(one.facts, by_sugar)


def say_anew(db: Connection, since: datetime, instrument_id: str = "", vessel_id: str = "") -> None:
    """Write what readings say that were read from a moment on: by an instrument, in a vessel, or, with
    none of them named, all that rest on the air. The line that was written last is why."""

    def wanted(one: Entry[Any]) -> bool:
        facts = one.facts
        if one.at < since:
            return False
        if instrument_id:
            return isinstance(facts, ReadingFacts) and facts.instrument_id == instrument_id
        return isinstance(facts, DepthFacts | ThermometerFacts)

    _say_of(db, store.read_since(db, since, instrument_id, vessel_id), wanted)


def say_all_since(db: Connection, since: datetime) -> None:
    """Write what readings say from a moment on, once lines came from elsewhere that they may rest on."""
    _say_of(db, store.with_lines_since(db, since), lambda one: one.at >= since)


def _say_of(db: Connection, batch_ids: list[str], wanted: said.Wanted) -> None:
    because, noted_at = book.last(db)
    for batch_id in batch_ids:
        batch = record.batch_by(db, id=batch_id)
        assert batch is not None
        said.say(contexts.of(db, batch, noted_at), wanted, because)

"""A line of the book as services know it: its facts are a model of its kind."""

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from sqlite3 import Connection, Row
from typing import Generic, TypeVar

from pydantic import ValidationError

from lumbrel.services.base.facts import Facts, UnreadFacts, read_facts
from lumbrel.store import book
from lumbrel.store.book import LineRow, What
from lumbrel.store.db import AFTER_ALL, BEFORE_ALL, once

F = TypeVar("F", bound=Facts, covariant=True)
G = TypeVar("G", bound=Facts)


@dataclass(frozen=True, kw_only=True)
class Entry(Generic[F]):
    """One line: `typed` as it was typed, `facts` as understood or decided.

    `superseded` is set when loaded: a later line corrects or strikes this one.
    """

    id: str
    about: What = "batch"
    about_id: str
    at: datetime
    noted_at: datetime
    facts: F
    typed: dict[str, str] = field(default_factory=dict, hash=False)
    supersedes: str | None = None
    why: str = ""
    initials: str = ""
    superseded: bool = False
    seq: int = 0
    """The order in which lines came to the record; set when loaded."""

    @property
    def batch_id(self) -> str:
        """The batch on whose slip it stands."""
        return self.about_id

    @property
    def kind(self) -> str:
        """The kind of line it is."""
        return self.facts.kind

    def row(self) -> LineRow:
        """As the store keeps it."""
        own = {
            name: value for name, value in self.__dict__.items() if name not in ("facts", "superseded", "seq")
        }
        return LineRow(**own, kind=self.kind, facts=self.facts.written(), version=self.facts.VERSION)


def of_row(row: LineRow) -> Entry[Facts]:
    """A row of the store as a line."""
    own = {name: value for name, value in row.__dict__.items() if name not in ("kind", "version")}
    try:
        facts = read_facts(row.kind, row.version, row.facts)
    except ValidationError:
        facts = UnreadFacts(kind=row.kind, given=row.facts)
    return Entry(**own | {"facts": facts})


MOST_REMEMBERED = 10_000
"""Of a line some kilobytes: more would weigh more than they save."""


@lru_cache(MOST_REMEMBERED)
def read(row: Row) -> Entry[Facts]:
    """A stored row as a line. Known by all that the row says, so that a line which is read again
    with every reading of a long slip is understood once."""
    return of_row(book.line_of(row))


def slip_of(db: Connection, batch_id: str) -> list[Entry[Facts]]:
    """The whole slip of a batch in order of time, superseded lines included."""
    every = once(db, ("slip", batch_id), lambda: [*map(read, book.rows_about(db, batch_id))], of_lines=True)
    return list(every)


def lines_about(db: Connection, about_id: str, since: datetime = BEFORE_ALL) -> list[Entry[Facts]]:
    """The standing lines about one thing from a moment on, oldest first."""
    return [read(row) for row in book.standing_about(db, about_id, since)]


def newest(
    db: Connection,
    facts: type[G],
    about_id: str = "",
    *,
    since: datetime = BEFORE_ALL,
    until: datetime = AFTER_ALL,
    limit: int = 1000,
) -> list[Entry[G]]:
    """The standing lines of one kind between two moments, about one thing or whatever, newest first."""
    rows = book.newest(db, facts.key(), about_id, since=since, until=until, limit=limit)
    return [line for row in rows if (line := with_facts(read(row), (facts,)))]


def newest_until(
    db: Connection, facts: type[G], about_id: str, until: datetime, limit: int
) -> list[Entry[G]]:
    """The newest standing lines of one kind up to a moment. Those of its year are read together: the readings of a
    batch ask for many moments of it."""
    if db.in_transaction and getattr(db, "standing", None) is None:
        return newest(db, facts, about_id, until=until, limit=limit)
    begins = datetime(until.year, 1, 1, tzinfo=UTC)
    ends = datetime(min(until.year, 9998) + 1, 1, 1, tzinfo=UTC) - timedelta(milliseconds=1)
    of_year = once(
        db,
        (facts, about_id, until.year),
        lambda: newest(db, facts, about_id, since=begins, until=ends, limit=MOST_A_YEAR),
        of_lines=True,
    )
    if len(of_year) >= MOST_A_YEAR or until > ends:
        return newest(db, facts, about_id, until=until, limit=limit)
    found = [line for line in of_year if line.at <= until][:limit]
    if len(found) < limit:
        before, more = begins - timedelta(milliseconds=1), limit - len(found)
        found += once(
            db,
            (facts, about_id, until.year, more),
            lambda: newest(db, facts, about_id, until=before, limit=more),
            of_lines=True,
        )
    return found


MOST_A_YEAR = 500


def last_about(db: Connection, about_id: str, until: datetime, limit: int) -> list[Entry[Facts]]:
    """The standing lines about one thing up to a moment, newest first."""
    return [read(row) for row in book.newest(db, "", about_id, until=until, limit=limit)]


def preview(facts: G, at: datetime) -> Entry[G]:
    """A line that is not in the book yet, to see what it would say."""
    return Entry(id="", about_id="", at=at, noted_at=at, facts=facts)


def with_facts(entry: Entry[Facts], kinds: tuple[type[F], ...]) -> Entry[F] | None:
    """The line itself when its facts are of one of these kinds."""
    return entry if isinstance(entry.facts, kinds) else None  # type: ignore[return-value]

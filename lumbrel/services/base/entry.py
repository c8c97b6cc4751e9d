"""A line of a slip as services know it: its facts are a model of its kind."""

from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache
from sqlite3 import Connection, Row
from typing import Generic, TypeVar

from lumbrel.services.base.facts import Facts, read_facts
from lumbrel.store import record
from lumbrel.store.record import EntryRow

F = TypeVar("F", bound=Facts, covariant=True)
G = TypeVar("G", bound=Facts)


@dataclass(frozen=True, kw_only=True)
class Entry(Generic[F]):
    """One line of a slip: `typed` as it was typed, `facts` as understood or decided.

    `superseded` is set when loaded: a later line corrects or strikes this one.
    """

    id: str
    batch_id: str
    at: datetime
    noted_at: datetime
    facts: F
    typed: dict[str, str] = field(default_factory=dict)
    supersedes: str | None = None
    why: str = ""
    initials: str = ""
    superseded: bool = False

    @property
    def kind(self) -> str:
        """The kind of line it is."""
        return self.facts.kind

    def row(self) -> EntryRow:
        """As the store keeps it."""
        return EntryRow(
            id=self.id,
            batch_id=self.batch_id,
            kind=self.kind,
            at=self.at,
            noted_at=self.noted_at,
            typed=self.typed,
            facts=self.facts.written(),
            facts_version=self.facts.VERSION,
            supersedes=self.supersedes,
            why=self.why,
            initials=self.initials,
        )


def of_row(row: EntryRow) -> Entry[Facts]:
    """A row of the store as a line."""
    return Entry(
        id=row.id,
        batch_id=row.batch_id,
        at=row.at,
        noted_at=row.noted_at,
        facts=read_facts(row.kind, row.facts_version, row.facts),
        typed=row.typed,
        supersedes=row.supersedes,
        why=row.why,
        initials=row.initials,
        superseded=row.superseded,
    )


MOST_REMEMBERED = 20_000


@lru_cache(MOST_REMEMBERED)
def _read(row: Row) -> Entry[Facts]:
    """A stored row as a line. Known by all that the row says, so that a line which is read again
    with every reading of a long slip is understood once."""
    return of_row(record.entry_of(row))


def slip_of(db: Connection, batch_id: str) -> list[Entry[Facts]]:
    """The whole slip of a batch in order of time, superseded lines included."""
    return [_read(row) for row in record.slip_rows(db, batch_id)]


def preview(facts: G, at: datetime) -> Entry[G]:
    """A line that is not on any slip yet, to see what it would say."""
    return Entry(id="", batch_id="", at=at, noted_at=at, facts=facts)


def with_facts(entry: Entry[Facts], kinds: tuple[type[F], ...]) -> Entry[F] | None:
    """The line itself when its facts are of one of these kinds."""
    return entry if isinstance(entry.facts, kinds) else None  # type: ignore[return-value]


def current_lines(db: Connection, facts: type[F], limit: int = 1000) -> list[Entry[F]]:
    """Standing lines of one kind over all batches, newest first."""
    rows = record.current_of_kind(db, facts.key(), limit)
    return [e for row in rows if (e := with_facts(of_row(row), (facts,)))]

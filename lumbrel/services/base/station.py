"""What a station is: its lines, whom it waits for, its cautions, its sums, its words on the line."""

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.book import BookKind
from lumbrel.services.base.facts import Facts
from lumbrel.services.base.line import LineKind
from lumbrel.store.kitchen import Kitchen
from lumbrel.store.record import Batch
from lumbrel.words import _


@dataclass(frozen=True)
class Look:
    """The kitchen at a moment, as a station sees it to say how it stands."""

    db: Connection
    now: datetime
    kitchen: Kitchen
    waiting: dict[str, list[Batch]]
    """By station, the batches that wait for it, oldest first."""


@dataclass(frozen=True)
class State:
    """A station's state in a few words, and where pressing it leads."""

    words: str
    code: str = ""
    """The batch it leads to, if to one."""
    done: bool = False
    idle: bool = False


MOST_LOOKED_AT = 3
"""So many of those that wait are looked at for one that is being worked on."""


def at_work(look: Look, key: str, said: Callable[[BatchContext], str]) -> State:
    """The first batch at a station that is being worked on, in its words; else how many wait.

    Args:
        said: what there is to say of a batch; empty while nobody works on it.
    """
    waits = look.waiting[key]
    for batch in waits[:MOST_LOOKED_AT]:
        if words := said(contexts.of(look.db, batch, look.now)):
            return State(words, batch.code)
    return how_many(waits)


def how_many(waits: list[Batch]) -> State:
    words = _("{count} waiting", count=len(waits)) if waits else ""
    return State(words, waits[0].code if waits else "", idle=not waits)


@dataclass(frozen=True, kw_only=True)
class Station:
    """One station of the line."""

    key: str
    """Also the name of its folder on every floor."""
    title: str
    line_kinds: tuple[LineKind, ...] = ()
    book_kinds: tuple[BookKind, ...] = ()
    """Its lines about something else than a batch."""
    waits_for: type[Facts] | None = None
    """What a batch waits for here, by `standing.waits_for`: the line that its form puts."""
    cautions: tuple[tuple[str, str], ...] = ()
    """Each with the key it is dismissed by."""
    choices: Callable[[BatchContext], Any] | None = None
    """What the forms of its lines offer to choose from, for a batch."""
    state: Callable[[Look], State] | None = field(default=None)
    """How it stands; left out, it says how many wait."""
    batches_at: str = ""
    """Beneath its address, where its batches have their pages; left out, right there."""

    @property
    def path(self) -> str:
        """Its address."""
        return f"/{self.key.replace('_', '-')}"

    def address_of(self, code: str) -> str:
        """The address of a batch here."""
        return "/".join(part for part in (self.path, self.batches_at, code) if part)

    def state_of(self, look: Look) -> State:
        """How it stands now."""
        if self.state is not None:
            return self.state(look)
        return how_many(look.waiting[self.key])

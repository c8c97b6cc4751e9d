"""A line of the slip as it is read, and what there is to know of a kind of line."""

from collections.abc import Callable
from dataclasses import dataclass
from sqlite3 import Connection
from typing import Any, Literal

from lumbrel.services.base.asked import read_asked
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.entry import Entry, F
from lumbrel.services.base.facts import DrawnFacts, Facts
from lumbrel.services.base.form import Form
from lumbrel.services.base.said import Spoken
from lumbrel.words import _


@dataclass(frozen=True)
class Line:
    """One line of the slip as it is read: a time, a title, a second line, a figure."""

    entry: Entry[Facts]
    title: str
    detail: str = ""
    value: str = ""
    reading: Spoken | None = None


@dataclass(frozen=True, kw_only=True)
class LineKind:
    """A kind of line: how it is read from a form, put into words, and what it brings about."""

    facts: type[Facts]
    words: Callable[[BatchContext, Any], Line]
    """From the line (an Entry of these facts) to what stands on the slip."""
    read: Callable[[Form, BatchContext], Facts | None] | None = None
    """From a form; notes what is wrong on it and gives None. A kind without it is not typed."""
    says: Callable[[BatchContext, Any], Corrected] | None = None
    """What it says of density by today's formulas; a kind without it says nothing of it."""
    needs: tuple[str, tuple[type[Facts], ...]] | None = None
    """What must be on the slip before it, with the sentence where it is not."""
    doubt: Callable[[Form, BatchContext, Any], None] | None = None
    """Asks about facts that are possible but not plausible after what is on the slip."""
    stored: Callable[[Connection, Any], None] | None = None
    """Writes what else a line of this kind brings about, in the same transaction."""
    rests: Callable[[BatchContext, Any], str] | None = None
    """Says what later lines rest on a line, and so what to strike first; empty when none do."""
    undone: Callable[[Connection, Any, Any], None] | None = None
    """What else is undone when a line is struck: from it and from the line that strikes it."""
    fixed: Callable[[Any], str] = lambda _entry: ""
    """Says why such a line is struck, or begun anew, where it is not corrected."""
    on_fire: bool = False
    """Only while something of the batch is on the fire."""
    once: bool = False
    """At most one stands on a slip."""
    opens: bool = False
    """Written when the batch is opened; later it can only be corrected."""
    moves: bool = False
    """It moves syrup: two at nearly the same time may be one thing that two people noted."""
    of: Literal["boil", "cook", "both"] = "boil"
    """Whether it belongs to syrup that is finished, to a confection that is cooked, or to either."""

    @property
    def key(self) -> str:
        """As the record and addresses name it."""
        return self.facts.key()


DRAWN: tuple[str, tuple[type[Facts], ...]] = (_("Draw the batch off first."), (DrawnFacts,))
"""What is needed by all that comes after the draw."""


def typed(facts: type[F]) -> Callable[[Form, BatchContext], F | None]:
    """Reads a kind that declares its fields, or has none, from its form."""
    return lambda form, _context: read_asked(facts, form)


def worded(title: str) -> Callable[[BatchContext, Entry[Any]], Line]:
    """A kind that always reads the same on the slip."""
    return lambda _context, entry: Line(entry, title)

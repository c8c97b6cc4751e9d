"""What an application keeps between looks at its record, in one object.

Connections carry it; one that was opened without has a cache of its own, as long as it is open.
"""

from collections.abc import Callable, Hashable
from pathlib import Path
from sqlite3 import Connection
from threading import Lock, RLock
from typing import Any, TypeVar, cast

from lumbrel.store import book
from lumbrel.store.book import written_so_far
from lumbrel.store.db import once
from lumbrel.words import language

T = TypeVar("T")


class KeptThings:
    """Things worth keeping, by key and by the language they were put in; the one used longest ago goes
    first."""

    def __init__(self, most: int) -> None:
        self.lock = RLock()
        self._most = most
        self._kept: dict[Hashable, Any] = {}

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """What is kept under a key, made now if there is nothing."""
        key = _in_words(key)
        with self.lock:
            found = cast(T, self._kept.pop(key)) if key in self._kept else make()
            self._kept[key] = found
            while len(self._kept) > self._most:
                self._kept.pop(next(iter(self._kept)))
            return found

    def peek(self, key: Hashable) -> Any:
        """What is kept under a key, None if nothing."""
        with self.lock:
            return self._kept.get(_in_words(key))

    def put(self, key: Hashable, thing: object) -> None:
        """Keep something under a key, in another's place."""
        self.drop(key)
        self.get(key, lambda: thing)

    def drop(self, key: Hashable) -> None:
        """Forget what is kept under a key."""
        with self.lock:
            self._kept.pop(_in_words(key), None)


def _in_words(key: Hashable) -> Hashable:
    return (language().key, key)


class Cache:
    """The shelves of an application, by name."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._shelves: dict[str, KeptThings] = {}

    def shelf(self, name: str, most: int = 64) -> KeptThings:
        """A shelf by its name; `most` is how many things it holds."""
        with self._lock:
            return self._shelves.setdefault(name, KeptThings(most))


def cache_of(db: Connection) -> Cache:
    """The cache that a connection carries."""
    kept = getattr(db, "cache", None)
    if not isinstance(kept, Cache):
        kept = Cache()
        db.cache = kept  # type: ignore[attr-defined]
    return kept


def record_key(db: Connection) -> str:
    """A name for the record a connection is open on: a file put in another's place is another
    record."""
    return once(db, "record key", lambda: _record_key(db), of_lines=True)


def _record_key(db: Connection) -> str:
    file = next(row["file"] for row in db.execute("PRAGMA database_list") if row["name"] == "main")
    return f"{file} {Path(file).stat().st_ino}" if file else ""


def last_line(db: Connection, *things: str) -> tuple[int, ...]:
    """Numbers that grow with every line about such things, by what they are (as "tree") or by id, or with every
    line of a kind: two looks that see the same numbers see the same of them. What came before the application
    first asked counts as nothing. Not in the middle of a write, which may be taken back."""
    upto = written_so_far(db)
    shelf, key = cache_of(db).shelf("last lines"), record_key(db)
    newest: dict[str, int]
    with shelf.lock:
        heard, newest = shelf.peek(key) or (-1, {})
        if heard < upto:
            newest = newest | book.newest_by_about(db, heard) if heard >= 0 else {}
            shelf.put(key, (upto, newest))
    known = (newest.get(thing, 0) for thing in things)
    # A look that began before a line that another one heard of still sees things without it.
    return tuple(number if number <= upto else -upto for number in known)

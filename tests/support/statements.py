"""Statements of SQL, counted on every connection that is opened meanwhile."""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any
from unittest import mock

from lumbrel.store.db import Link


class Counted:
    """How many there were since it was last set to nothing."""

    def __init__(self) -> None:
        self.so_far = 0
        self.said: list[str] | None = None
        """What they were, with what was given to them; only if it is a list."""

    def add(self, statement: str) -> None:
        """One more."""
        self.so_far += 1
        if self.said is not None:
            self.said.append(statement)


@contextmanager
def counted() -> Iterator[Counted]:
    """Counts those of connections that are opened inside of the block."""
    count, plain = Counted(), Link.__init__

    def opened(self: Link, *given: Any, **named: Any) -> None:
        plain(self, *given, **named)
        self.set_trace_callback(count.add)

    with mock.patch.object(Link, "__init__", opened):
        yield count

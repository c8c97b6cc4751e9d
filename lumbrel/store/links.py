"""Connections that an application keeps open on its record, lent for one look at a time: what a look read of the
kitchen is known at the next one, as long as nobody wrote a line since."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Lock

from lumbrel.store.db import Link, connect

MOST_AT_REST = 6
"""So many wait for the next look; what more there are is closed after its own."""


class Links:
    """The connections of one application to one record."""

    def __init__(self, path: Path, cache: object = None) -> None:
        self._path, self._cache = path, cache
        self._lock = Lock()
        self._at_rest: list[tuple[tuple[int, int], Link]] = []
        self._most = MOST_AT_REST

    @contextmanager
    def lent(self) -> Iterator[sqlite3.Connection]:
        """A connection for as long as the block takes; one in which something failed is not lent again."""
        file, link = self._take()
        try:
            yield link
        except BaseException:
            link.close()
            raise
        link.lent = False
        with self._lock:
            kept = not link.in_transaction and len(self._at_rest) < self._most
            if kept:
                self._at_rest.append((file, link))
        if not kept:
            link.close()

    def _take(self) -> tuple[tuple[int, int], Link]:
        file = _file_of(self._path)
        while True:
            with self._lock:
                known, link = self._at_rest.pop() if self._at_rest else (file, None)
            if link is None:
                link = connect(self._path, self._cache)
                file = _file_of(self._path)
            elif known != file:
                # Another record was put in its place.
                link.close()
                continue
            link.begin_look()
            return file, link

    def close(self) -> None:
        """Close all that wait, and what is lent still once it comes back."""
        with self._lock:
            at_rest, self._at_rest, self._most = self._at_rest, [], 0
        for _, link in at_rest:
            link.close()


def _file_of(path: Path) -> tuple[int, int]:
    try:
        found = path.stat()
    except FileNotFoundError:
        return (0, 0)
    return (found.st_dev, found.st_ino)

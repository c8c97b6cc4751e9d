"""Those of one process who want to write to one record take turns, first come first served.

SQLite lets whoever asks at the right moment in, so that among many one may wait for ever.
"""

from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from sqlite3 import SQLITE_BUSY, OperationalError
from threading import Lock
from weakref import WeakValueDictionary


class Turns:
    """The queue before one record."""

    def __init__(self) -> None:
        self._door = Lock()
        self._queue: deque[Lock] = deque()

    @contextmanager
    def turn(self, patience_s: float) -> Iterator[None]:
        """Wait for one's turn, and keep it for the block.

        Raises:
            OperationalError: it did not come in so many seconds.
        """
        mine = Lock()
        mine.acquire()
        with self._door:
            self._queue.append(mine)
            first = self._queue[0] is mine
        if not first and not mine.acquire(timeout=patience_s):
            with self._door:
                # It may have come while the door was being opened.
                if self._queue[0] is not mine:
                    self._queue.remove(mine)
                    raise _busy()
        try:
            yield
        finally:
            with self._door:
                self._queue.popleft()
                if self._queue:
                    self._queue[0].release()


def _busy() -> OperationalError:
    """As SQLite itself says it."""
    error = OperationalError("database is locked")
    error.sqlite_errorcode, error.sqlite_errorname = SQLITE_BUSY, "SQLITE_BUSY"
    return error


_DOOR = Lock()
_KNOWN: WeakValueDictionary[str, Turns] = WeakValueDictionary()


def turns_of(path: Path | str) -> Turns:
    """The queue before a record, the same for all who open it by whatever name."""
    with _DOOR:
        key = str(Path(path).resolve())
        found = _KNOWN.get(key)
        if found is None:
            found = _KNOWN[key] = Turns()
        return found

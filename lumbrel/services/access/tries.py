"""Who tries wrong passphrases or codes waits longer with each, and so do all when many do."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from math import ceil
from threading import Lock

FREE_TRIES = 3
FIRST_WAIT_SECONDS, LONGEST_WAIT_SECONDS = 2.0, 900.0
FORGET_AFTER_SECONDS = 3600.0
MOST_ORIGINS = 1000
FREE_FOR_ALL, LONGEST_FOR_ALL_SECONDS = 30, 30.0
"""Wrong tries of everybody together before everybody waits: many addresses are one attacker's."""
EVERYBODY = ""


@dataclass
class _Tries:
    count: int = 0
    last: float = 0.0


class Patience:
    """Counts wrong tries by where they come from, and all together.

    Args:
        clock: seconds that only go on.
    """

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock, self._lock = clock, Lock()
        self._tries: dict[str, _Tries] = {}

    def must_wait(self, origin: str) -> int:
        """Seconds until somebody may try again; 0 at once. A try that may begin counts as wrong
        until `right` is called, so that many at once are not all the first."""
        with self._lock:
            self._forget()
            own = self._wait(origin, FREE_TRIES, LONGEST_WAIT_SECONDS)
            wait = max(own, self._wait(EVERYBODY, FREE_FOR_ALL, LONGEST_FOR_ALL_SECONDS))
            if wait <= 0:
                for name in (origin, EVERYBODY):
                    tries = self._tries.setdefault(name, _Tries())
                    tries.count += 1
                    tries.last = self._clock()
            return max(ceil(wait), 0)

    def right(self, origin: str) -> None:
        """A try was right: its origin begins anew."""
        with self._lock:
            self._tries.pop(origin, None)
            everybody = self._tries.get(EVERYBODY)
            if everybody:
                everybody.count = max(everybody.count - 1, 0)

    def _wait(self, origin: str, free: int, longest: float) -> float:
        tries = self._tries.get(origin)
        if tries is None or tries.count < free:
            return 0.0
        pause = FIRST_WAIT_SECONDS * 2.0 ** min(tries.count - free, 20)
        return tries.last + min(pause, longest) - self._clock()

    def _forget(self) -> None:
        """Forget whom nothing was heard of for long; of too many, the oldest."""
        now = self._clock()
        for name in [n for n, t in self._tries.items() if now - t.last > FORGET_AFTER_SECONDS]:
            del self._tries[name]
        while len(self._tries) > MOST_ORIGINS:
            del self._tries[min(self._tries, key=lambda name: self._tries[name].last)]

"""Whoever tries wrong tokens again and again has to wait."""

import time
from collections import OrderedDict, deque
from collections.abc import Callable
from math import ceil
from threading import Lock

TRIES, WITHIN_SECONDS, MOST_CALLERS = 10, 60.0, 1000


class Turnstile:
    """Counts what was wrong by who called, over the last minute.

    Args:
        clock: seconds that only go on.
    """

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock, self._lock = clock, Lock()
        self._wrong: OrderedDict[str, deque[float]] = OrderedDict()

    def must_wait(self, caller: str) -> int:
        """Seconds until this caller may try again; 0 at once."""
        with self._lock:
            tries = self._wrong.get(caller)
            if tries is None or len(tries) < TRIES:
                return 0
            return max(ceil(tries[0] + WITHIN_SECONDS - self._clock()), 0)

    def wrong(self, caller: str) -> None:
        """Note a wrong try; only so many callers are remembered, the latest."""
        with self._lock:
            tries = self._wrong.setdefault(caller, deque(maxlen=TRIES))
            tries.append(self._clock())
            self._wrong.move_to_end(caller)
            while len(self._wrong) > MOST_CALLERS:
                self._wrong.popitem(last=False)

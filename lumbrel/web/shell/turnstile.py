"""Whoever tries wrong tokens again and again has to wait."""

import time
from collections import OrderedDict, deque
from collections.abc import Callable
from math import ceil
from threading import Lock

TRIES, WITHIN_SECONDS, MOST_CALLERS = 10, 60.0, 1000


class Pace:
    """How often somebody may come: at a steady rate, with a few at once.

    Args:
        per_second: the steady rate.
        at_once: how many may come together after a pause.
        clock: seconds that only go on.
    """

    def __init__(self, per_second: float, at_once: int, clock: Callable[[], float] = time.monotonic) -> None:
        self._per_second, self._at_once, self._clock = per_second, at_once, clock
        self._lock = Lock()
        self._left: OrderedDict[str, tuple[float, float]] = OrderedDict()

    def may_come(self, caller: str) -> bool:
        """Whether this caller may come now; counts it if so."""
        with self._lock:
            now = self._clock()
            left, since = self._left.get(caller, (float(self._at_once), now))
            left = min(left + (now - since) * self._per_second, self._at_once)
            allowed = left >= 1.0
            self._left[caller] = (left - 1.0 if allowed else left, now)
            self._left.move_to_end(caller)
            while len(self._left) > MOST_CALLERS:
                self._left.popitem(last=False)
            return allowed


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

"""How far something long has come: counted where it is done, told by whoever listens."""

from collections.abc import Callable, Iterable, Iterator
from time import monotonic
from typing import TypeVar

T = TypeVar("T")
TOLD_EVERY_S = 0.5


class Progress:
    """Counts the steps of something long.

    Args:
        did: what a step did.
        tell: hears now and then what was done, how many steps, of how many, and how many seconds are left by
            how long it took so far; nobody does, if left out.
    """

    def __init__(
        self, did: str = "Done", tell: Callable[[str, int, int, float], None] | None = None
    ) -> None:
        self._did, self._tell = did, tell
        self._began = self._told = monotonic()
        self._done = self._whole = 0

    def of(self, whole: int, did: str = "") -> None:
        """How many steps there are, and what each does, if that is another; it begins anew."""
        self._did, self._began = did or self._did, monotonic()
        self._done, self._whole = 0, whole

    def step(self, steps: int = 1) -> None:
        """So many are done."""
        self._done += steps
        now = monotonic()
        if self._tell and (now - self._told >= TOLD_EVERY_S or self._done >= self._whole):
            self._told = now
            left = (now - self._began) * (self._whole - self._done) / max(self._done, 1)
            self._tell(self._did, self._done, self._whole, max(left, 0.0))

    def counted(self, things: Iterable[T], steps: Callable[[T], int] | None = None) -> Iterator[T]:
        """Things as they come, each a step, or as many as it says."""
        for thing in things:
            yield thing
            self.step(steps(thing) if steps else 1)

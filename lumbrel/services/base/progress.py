"""How far something long has come: counted where it is done, told by whoever listens."""

from collections.abc import Callable, Iterable, Iterator
from time import monotonic
from typing import TypeVar

from lumbrel.words import _, number

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
        self, did: str = _("Done"), tell: Callable[[str, int, int, float], None] | None = None
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


def in_words(did: str, done: int, whole: int, seconds_left: float) -> str:
    """How far it is, as a person reads it."""
    share = 100 * done / max(whole, 1)
    left = (
        f"{seconds_left:.0f} s"
        if seconds_left < 100
        else _("{seconds_left} min", seconds_left=number(seconds_left / 60, 0))
    )
    return _(
        "{did} {done} of {whole} ({share} %), {left} left",
        did=did,
        done=number(done, 0),
        whole=number(whole, 0),
        share=number(share, 0),
        left=left,
    )


class Stopped(Exception):
    """Something long that somebody stopped; nothing more comes of it."""


class Errand(Progress):
    """Something long that a page asked for: it can be looked at meanwhile, and stopped."""

    def __init__(self, did: str) -> None:
        super().__init__(did, self._hear)
        self.said, self.share = "", 0.0
        self.is_over = self.is_stopped = False

    def _hear(self, did: str, done: int, whole: int, seconds_left: float) -> None:
        self.said = in_words(did, done, whole, seconds_left)
        self.share = done / max(whole, 1)

    def step(self, steps: int = 1) -> None:
        """So many are done.

        Raises:
            Stopped: somebody stopped it.
        """
        if self.is_stopped:
            raise Stopped
        super().step(steps)

    def over(self, *, whole: bool) -> None:
        """It came to its end, or was stopped, or whoever waited for it left."""
        self.is_over, self.is_stopped = True, not whole
        self.said = WRITTEN if whole else NOT_WHOLE


WRITTEN = _("All of it is written; your browser keeps it with its downloads.")
NOT_WHOLE = _("It was stopped. What your browser kept of it is not whole: delete it.")


class Errands:
    """Those under way, and the last that were, by the name that a page gave each."""

    def __init__(self) -> None:
        self._known: dict[str, Errand] = {}

    def begin(self, key: str, did: str) -> Errand:
        """A new one."""
        while len(self._known) >= MOST_ERRANDS:
            self._known.pop(next(iter(self._known)), None)
        errand = Errand(did)
        if key:
            self._known[key[:MOST_LETTERS]] = errand
        return errand

    def find(self, key: str) -> Errand | None:
        """One by its name."""
        return self._known.get(key[:MOST_LETTERS])


MOST_ERRANDS, MOST_LETTERS = 20, 60

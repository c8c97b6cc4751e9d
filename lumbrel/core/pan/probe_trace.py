"""A probe's run in so many points and no more, however long it lasts."""

from bisect import bisect_right
from collections import deque
from dataclasses import dataclass
from math import floor, inf
from typing import NamedTuple

MOST_POINTS, MOST_MEANS = 32, 80
FIRST_WIDTH_S = 15.0
RISES_FROM, RISES_BY = 80.0, 0.2


@dataclass(kw_only=True)
class _While:
    start: float
    end: float
    count: int = 0
    seconds: float = 0.0
    values: float = 0.0
    low: float = inf
    high: float = -inf


class TracePoint(NamedTuple):
    """The mean of the samples of a while: seconds since the start, and value; how many there
    are, from when to when they may be, and how far apart the values lie."""

    second: float
    value: float
    samples: int
    begins: float
    ends: float
    spread: float


FALL_K, BEGAN_K, BACK_K = 1.2, 0.4, 0.3
"""So far under the level of before a probe has left the boil; within this it had not left it yet; and
within that it is back."""
LEVEL_STEPS, STEADY_STEPS, STEADY_K, RISEN_K = 20, 3, 0.35, 0.3
"""The level is the highest of so many quarters of a minute; so many that differ by so little, risen from the
lowest, are a boil again."""
NOT_BOILING_K = 8.0
"""Syrup boils at most so much lower than syrup did: water itself boils no further below."""
LEAST_FALL_S = 60.0
"""A splash is over sooner."""


class Fall(NamedTuple):
    """A while in which a probe was off the boil: seconds since the start of the run, and what it showed, degC."""

    began: float
    from_c: float
    low_at: float
    low_c: float
    ended: float | None = None
    """When it stood steady again; None while it does not."""
    to_c: float = 0.0
    last: float = 0.0
    """Until when it was followed."""

    @property
    def counts(self) -> bool:
        """Whether it is more than a splash."""
        return (self.last if self.ended is None else self.ended) - self.began >= LEAST_FALL_S


class Falls:
    """Watches a probe's quarters of a minute for whiles in which it left the boil."""

    def __init__(self) -> None:
        self._recent: deque[tuple[float, float]] = deque(maxlen=LEVEL_STEPS)
        self._done: list[Fall] = []
        self._open: Fall | None = None

    def add(self, second: float, value: float) -> None:
        """Take the mean of the next quarter of a minute."""
        if self._open is None:
            self._watch(second, value)
        else:
            self._follow(self._open, second, value)
        self._recent.append((second, value))

    def _watch(self, second: float, value: float) -> None:
        if len(self._recent) < 2:
            return
        level = max(v for _, v in self._recent)
        before = self._recent[-1][1]
        if value < level - FALL_K and before < level - BEGAN_K:
            good = [at for at, v in self._recent if v >= level - BEGAN_K]
            self._open = Fall(good[-1], level, second, value, last=second)

    def _follow(self, fall: Fall, second: float, value: float) -> None:
        if value < fall.low_c:
            fall = fall._replace(low_at=second, low_c=value)
        fall = fall._replace(last=second)
        self._open = fall
        newest = [*(v for _, v in self._recent), value][-STEADY_STEPS:]
        steady = max(newest) - min(newest) < STEADY_K
        risen = value > fall.low_c + RISEN_K or second - fall.low_at >= 90
        boils = value > fall.from_c - NOT_BOILING_K
        if value >= fall.from_c - BACK_K or (steady and risen and boils):
            ended = second if value >= fall.from_c - BACK_K else self._recent[-2][0]
            fall = fall._replace(ended=ended, to_c=value)
            if fall.counts:
                self._done.append(fall)
            self._open = None
            self._recent.clear()

    def found(self) -> list[Fall]:
        """Every fall that was more than a splash, the one that goes on last."""
        going_on = [self._open] if self._open and self._open.counts else []
        return [*self._done, *going_on]


class ProbeTrace:
    """Means over whiles: of a quarter of a minute for what is new, longer the longer ago.

    When there would be more than thirty-two, the two neighbours are joined that are shortest for
    their age: a sample costs the same after an hour as after a day.
    """

    def __init__(self) -> None:
        self.samples = 0
        self._whiles: list[_While] = []
        self._starts: list[float] = []
        self._rises: list[tuple[float, float]] = []
        self._means: dict[int, tuple[float, int]] = {}
        self._newest_step = -1
        self._falls = Falls()

    def add(self, second: float, value: float) -> None:
        """Take a sample, in any order.

        Args:
            second: since the start of the run, 0 and up.
            value: what the probe showed.
        """
        place = bisect_right(self._starts, second) - 1
        if place < 0 or second >= self._whiles[place].end:
            start = floor(second / FIRST_WIDTH_S) * FIRST_WIDTH_S
            place += 1
            self._whiles.insert(place, _While(start=start, end=start + FIRST_WIDTH_S))
            self._starts.insert(place, start)
        at = self._whiles[place]
        at.count += 1
        at.seconds += second
        at.values += value
        at.low, at.high = min(at.low, value), max(at.high, value)
        self.samples += 1
        self._keep_mean(int(second // FIRST_WIDTH_S), value)
        if value >= RISES_FROM and (not self._rises or value >= self._rises[-1][1] + RISES_BY):
            self._rises.append((second, value))
        if len(self._whiles) > MOST_POINTS:
            self._join()

    def _keep_mean(self, step: int, value: float) -> None:
        if step > self._newest_step:
            if self._newest_step in self._means:
                whole, samples = self._means[self._newest_step]
                self._falls.add((self._newest_step + 0.5) * FIRST_WIDTH_S, whole / samples)
            self._newest_step = step
        known, count = self._means.get(step, (0.0, 0))
        self._means[step] = (known + value, count + 1)
        if count == 0 and len(self._means) > MOST_MEANS:
            del self._means[min(self._means)]

    def means(self) -> list[tuple[int, float]]:
        """The newest quarters of a minute: the number of each since the start, and its mean."""
        return [(step, whole / count) for step, (whole, count) in sorted(self._means.items())]

    def falls(self) -> list[Fall]:
        """When it left the boil, and came back to one."""
        return self._falls.found()

    def _join(self) -> None:
        newest = self._whiles[-1].end

        def youth(i: int) -> float:
            first, second = self._whiles[i], self._whiles[i + 1]
            return (second.end - first.start) / (newest - first.start)

        i = min(range(len(self._whiles) - 1), key=youth)
        kept, gone = self._whiles[i], self._whiles.pop(i + 1)
        self._starts.pop(i + 1)
        kept.end = gone.end
        kept.count += gone.count
        kept.seconds += gone.seconds
        kept.values += gone.values
        kept.low, kept.high = min(kept.low, gone.low), max(kept.high, gone.high)

    def rises(self) -> list[tuple[float, float]]:
        """When it first came so high: seconds and values, from 80 degC on in steps of a fifth."""
        return list(self._rises)

    def points(self) -> list[TracePoint]:
        """The means, oldest first."""
        return [
            TracePoint(
                second=w.seconds / w.count,
                value=w.values / w.count,
                samples=w.count,
                begins=w.start,
                ends=w.end,
                spread=w.high - w.low,
            )
            for w in self._whiles
        ]

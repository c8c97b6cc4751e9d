"""A probe's run in so many points and no more, however long it lasts."""

from bisect import bisect_right
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
        known, count = self._means.get(step, (0.0, 0))
        self._means[step] = (known + value, count + 1)
        if count == 0 and len(self._means) > MOST_MEANS:
            del self._means[min(self._means)]

    def means(self) -> list[tuple[int, float]]:
        """The newest quarters of a minute: the number of each since the start, and its mean."""
        return [(step, whole / count) for step, (whole, count) in sorted(self._means.items())]

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

"""A probe's run in so many points and no more, however long it lasts."""

from dataclasses import dataclass
from math import floor

MOST_POINTS = 40
FIRST_WIDTH_S = 10.0


@dataclass
class _Bucket:
    count: int = 0
    seconds: float = 0.0
    values: float = 0.0


@dataclass(frozen=True)
class TracePoint:
    """The mean of the samples of a while: seconds since the start, and value."""

    second: float
    value: float
    count: int


class ProbeTrace:
    """Means over equal whiles. When there would be more than forty, neighbours are joined and
    the while doubles: a sample costs the same after an hour as after a day."""

    def __init__(self) -> None:
        self.width_s = FIRST_WIDTH_S
        self.samples = 0
        self._buckets: dict[int, _Bucket] = {}

    def add(self, second: float, value: float) -> None:
        """Take a sample, in any order.

        Args:
            second: since the start of the run, 0 and up.
            value: what the probe showed.
        """
        bucket = self._buckets.setdefault(floor(second / self.width_s), _Bucket())
        bucket.count += 1
        bucket.seconds += second
        bucket.values += value
        self.samples += 1
        while len(self._buckets) > MOST_POINTS:
            self._join()

    def _join(self) -> None:
        self.width_s *= 2
        joined: dict[int, _Bucket] = {}
        for index, old in self._buckets.items():
            new = joined.setdefault(index // 2, _Bucket())
            new.count += old.count
            new.seconds += old.seconds
            new.values += old.values
        self._buckets = joined

    def points(self) -> list[TracePoint]:
        """The means, oldest first."""
        return [
            TracePoint(bucket.seconds / bucket.count, bucket.values / bucket.count, bucket.count)
            for _, bucket in sorted(self._buckets.items())
        ]

"""The two pieces of numerical craft core needs: a bracketed root and a smooth table."""

from bisect import bisect_right
from collections.abc import Callable, Sequence
from itertools import pairwise


def solve(function: Callable[[float], float], low: float, high: float, tolerance: float = 1e-9) -> float:
    """Root of a continuous function between `low` and `high`, where its sign changes.

    Regula falsi with the Illinois damping, so it converges superlinearly and never
    leaves the bracket.

    Raises:
        ValueError: the function has the same sign at both ends.
    """
    at_low, at_high = function(low), function(high)
    if at_low == 0:
        return low
    if at_high == 0:
        return high
    if (at_low > 0) == (at_high > 0):
        raise ValueError("the function does not change sign between the two ends")
    for _any in range(200):
        middle = (low * at_high - high * at_low) / (at_high - at_low)
        at_middle = function(middle)
        if abs(at_middle) == 0 or abs(high - low) < tolerance:
            return middle
        if (at_middle > 0) == (at_high > 0):
            at_low *= 0.5 if abs(middle - high) < abs(high - low) else 1.0
            step, high, at_high = abs(middle - high), middle, at_middle
        else:
            at_high *= 0.5 if abs(middle - low) < abs(high - low) else 1.0
            step, low, at_low = abs(middle - low), middle, at_middle
        if step < tolerance:
            return middle
    return 0.5 * (low + high)


class MonotoneCubic:
    """Piecewise cubic through a table, smooth, without overshoot between the knots.

    Fritsch and Carlson's choice of slopes (SIAM J. Numer. Anal. 17, 1980, 238-246).
    """

    def __init__(self, xs: Sequence[float], ys: Sequence[float]) -> None:
        self._xs, self._ys = tuple(xs), tuple(ys)
        n = len(self._xs)
        secants = [(ys[i + 1] - ys[i]) / (xs[i + 1] - xs[i]) for i in range(n - 1)]
        slopes = [secants[0]]
        for left, right in pairwise(secants):
            slopes.append(0.0 if left * right <= 0 else 2 * left * right / (left + right))
        slopes.append(secants[-1])
        self._slopes = tuple(slopes)

    def __call__(self, x: float) -> float:
        """Value at `x`, which must lie inside the table."""
        xs = self._xs
        i = min(max(bisect_right(xs, x) - 1, 0), len(xs) - 2)
        width = xs[i + 1] - xs[i]
        t = (x - xs[i]) / width
        return (
            (1 + 2 * t) * (1 - t) ** 2 * self._ys[i]
            + t * (1 - t) ** 2 * width * self._slopes[i]
            + t * t * (3 - 2 * t) * self._ys[i + 1]
            - t * t * (1 - t) * width * self._slopes[i + 1]
        )

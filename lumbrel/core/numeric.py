"""The pieces of numerical craft that core needs: a bracketed root, a smooth table, and what weighed draws expect."""

from bisect import bisect_right
from collections.abc import Callable, Sequence
from itertools import pairwise
from math import inf

import numpy as np
import numpy.typing as npt

NINETY = (0.05, 0.95)
AS_GOOD = 0.97
"""Round which nearly as much lies as round the best is as good."""


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


def outlook(
    times: npt.NDArray[np.float64],
    weights: npt.NDArray[np.float64],
    near: float,
    least: float = 0.0,
) -> tuple[float, float, float]:
    """What weighed draws of a time expect, and their 5 and 95 % limits; infinite is never.

    Expected is the time that has the most of them near it: of a lopsided lot the middle is too late.

    Args:
        times: at least one, infinite where it never comes; weights: of each, 1 together.
        near: so near by share of the drawn time; least: and so near at the least.
    """
    order = np.argsort(times)
    sorted_times, share = times[order], np.concatenate([[0.0], np.cumsum(weights[order])])
    last = len(order) - 1
    low, high = (float(sorted_times[min(int(np.searchsorted(share[1:], part)), last)]) for part in NINETY)
    some = sorted_times[np.isfinite(sorted_times)]
    if share[len(some)] <= 0.5 * share[-1]:
        return inf, low, high
    first = np.searchsorted(sorted_times, np.minimum(some / (1 + near), some - least), side="left")
    after = np.searchsorted(sorted_times, np.maximum(some / (1 - near), some + least), side="right")
    round_it = share[after] - share[first]
    expected = float(np.median(some[round_it >= AS_GOOD * round_it.max()]))
    return min(max(expected, low), high), low, high

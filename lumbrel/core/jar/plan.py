"""Which jars one kettle fills: as little as can be is left over, in as few jars as can be."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import ceil, floor, prod

import numpy as np
from numpy.typing import NDArray

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.words import _, number

MOST_STEPS, MOST_TRIED, TINY_ML = 50_000, 120_000, 1e-6
MOST_SIZES, MOST_JARS = 12, 1_000_000
LEAST_REST_ML = 1.0
Counts = NDArray[np.int64]


@dataclass(frozen=True)
class JarPlan:
    """Jars by size, ml at 20 degC, the biggest first; what is left, ml, and the smallest jar that a
    rest would fill in part, if there is any."""

    jars: tuple[tuple[float, int], ...]
    left_ml: float
    part_ml: float | None

    @property
    def count(self) -> int:
        """How many full jars."""
        return sum(count for _any, count in self.jars)


def plan(
    volume_ml: float,
    sizes_ml: Sequence[float],
    wished: Mapping[float, int] | None = None,
    at_hand: Mapping[float, int] | None = None,
) -> JarPlan:
    """Whole jars for a volume: first those that are wished, then so that least is left, then the
    fewest.

    Args:
        volume_ml: at 20 degC, above 0 to 10 million.
        sizes_ml: one to twelve, each 10 to 20000.
        wished: how many of a size are to be filled first.
        at_hand: how many of a size there are; of others there are enough.
    Raises:
        OutOfRange: a value lies outside its range, or more is wished than there is syrup for.
    Source: every way is tried; where these are too many, every sum that can be reached, in steps of
        the sizes' common measure.
    """
    require_between(volume_ml, 1.0, 1e7, field="volume", what=_("The volume"), unit="ml")
    sizes = _ordered(sizes_ml)
    wanted = {float(s): n for s, n in (wished or {}).items() if n > 0}
    first = sum(s * n for s, n in wanted.items())
    if first > volume_ml + 1e-6:
        raise OutOfRange(
            _(
                "The jars wished for hold {first} L, and there are {volume_ml} L.",
                first=number(first / 1000, 1),
                volume_ml=number(volume_ml / 1000, 1),
            ),
            "wish",
        )
    there = {s: (at_hand or {}).get(s, MOST_JARS) - wanted.get(s, 0) for s in sizes}
    counts, left = _fill(volume_ml - first, sizes, there)
    jars = {s: counts.get(s, 0) + wanted.get(s, 0) for s in sorted({*sizes, *wanted}, reverse=True)}
    still = [s for s in sizes if there[s] > counts.get(s, 0) and s > left + 1e-6]
    return JarPlan(
        tuple((s, n) for s, n in jars.items() if n),
        left,
        min(still) if still and left > LEAST_REST_ML else None,
    )


def _ordered(sizes_ml: Sequence[float]) -> list[float]:
    """Sizes that can be, the biggest first."""
    sizes = sorted({float(s) for s in sizes_ml}, reverse=True)
    if not 1 <= len(sizes) <= MOST_SIZES or not all(10 <= s <= 20_000 for s in sizes):
        raise OutOfRange(_("Give one to twelve sizes of jars, each between 10 ml and 20 L."), "sizes")
    return sizes


def _fill(
    volume_ml: float, sizes: Sequence[float], there: Mapping[float, int]
) -> tuple[dict[float, int], float]:
    """How many of each size, and what is left, ml."""
    held = dict(there)
    taken, rest_ml = 0, volume_ml
    measure = _measure_ml(sizes)

    def ways() -> list[int]:
        return [min(floor((rest_ml + TINY_ML) / s), max(held[s], 0)) for s in sizes]

    def too_many() -> bool:
        return prod(m + 1 for m in ways()[:-1]) > MOST_TRIED and rest_ml / measure > MOST_STEPS

    while too_many() and held[sizes[0]] > 0 and rest_ml > sizes[0]:
        # Of so much the biggest jars are right in any case.
        more = min(max(floor(rest_ml / sizes[0] / 8), 1), held[sizes[0]])
        taken, rest_ml = taken + more, rest_ml - more * sizes[0]
        held[sizes[0]] -= more
    if prod(m + 1 for m in ways()[:-1]) <= MOST_TRIED:
        counts = _try_all(rest_ml, sizes, ways())
    else:
        counts = _by_sums(rest_ml, sizes, held)
    counts[sizes[0]] += taken
    return counts, max(volume_ml - sum(s * n for s, n in counts.items()), 0.0)


def _try_all(volume_ml: float, sizes: Sequence[float], most: Sequence[int]) -> dict[float, int]:
    """Every number of each size but the smallest, which takes of the rest what it can."""
    ranges = np.meshgrid(*(np.arange(m + 1) for m in most[:-1]), indexing="ij")
    tried = [r.ravel() for r in ranges]
    left = np.full(tried[0].shape if tried else (1,), volume_ml)
    for size, count in zip(sizes, tried, strict=False):
        left = left - size * count
    last = np.clip(np.floor((left + TINY_ML) / sizes[-1]), 0, most[-1])
    rest = left - sizes[-1] * last
    jars = sum(tried, last)
    # What fits not at all comes last; less than a tenth of a millilitre is no difference.
    order = np.lexsort((jars, np.round(rest, 1), rest < -TINY_ML))
    best = int(order[0])
    counts = {s: int(n[best]) for s, n in zip(sizes, tried, strict=False)}
    return counts | {sizes[-1]: int(last[best])}


def _by_sums(volume_ml: float, sizes: Sequence[float], there: Mapping[float, int]) -> dict[float, int]:
    """Sum by sum, in steps of the sizes' common measure."""
    grain = max(_measure_ml(sizes), volume_ml / MOST_STEPS)
    # Rounded up, so that no more is filled than there is.
    steps = [max(ceil(s / grain - 1e-6), 1) for s in sizes]
    fewest: Counts = np.full(floor(volume_ml / grain + 1e-9) + 1, MOST_JARS, dtype=np.int64)
    fewest[0] = 0
    used = []
    for size, step in zip(sizes, steps, strict=True):
        fewest, here = _with_size(fewest, step, max(there[size], 0))
        used.append(here)
    at = int(np.flatnonzero(fewest < MOST_JARS)[-1])
    counts = dict.fromkeys(sizes, 0)
    for size, step, here in zip(reversed(sizes), reversed(steps), reversed(used), strict=True):
        count = int(here[at])
        counts[size] += count
        at -= count * step
    return counts


def _with_size(fewest: Counts, step: int, limit: int) -> tuple[Counts, Counts]:
    """The fewest jars for every sum once a size is there too, and how many of it they take."""
    best, here = fewest.copy(), np.zeros(len(fewest), dtype=np.int64)
    most = min(limit, (len(fewest) - 1) // step)
    if limit >= (len(fewest) - 1) // step:
        for begin in range(step, len(fewest), step):
            end = min(begin + step, len(fewest))
            one_more = best[begin - step : end - step] + 1
            better = one_more < best[begin:end]
            best[begin:end][better] = one_more[better]
            here[begin:end][better] = here[begin - step : end - step][better] + 1
        return best, here
    for count in range(1, most + 1):
        moved = fewest[: len(fewest) - count * step] + count
        better = moved < best[count * step :]
        best[count * step :][better] = moved[better]
        here[count * step :][better] = count
    return best, here


def _measure_ml(sizes: Sequence[float]) -> float:
    """The biggest measure that all sizes are whole multiples of; the finest is a tenth of a
    millilitre."""
    return float(np.gcd.reduce([round(10 * s) for s in sizes])) / 10

"""What is likely of some unknowns after something was read: the likeliest are found, others drawn about them, and each
weighed by how well it explains the readings and by what is held of it before."""

from collections.abc import Callable, Sequence

import numpy as np

from lumbrel.core.physics.boil_curve import Floats

DRAWS, PASSES, ENOUGH, LEAST, WIDER = 400, 6, 0.2, 0.08, 1.4
STEPS, ASIDE, FARTHEST = 12, 0.03, 3.0
"""The likeliest are sought in so many steps, by slopes over so much of a sigma, none longer than so many sigmas."""
HALTS = (0.0, 0.1, 1.0, 10.0, 100.0)
"""A step is tried whole and more and more halted: a straight line is not always what is there."""
NEARER = 1e-2

Found = tuple[Floats, Floats, float]
"""Drawn unknowns, their weights, and the logarithm of how likely they make what was read."""
Misses = Callable[[Floats], Floats]
"""By how many sigmas each row of unknowns misses each reading."""


def after(before: Floats, sigmas: Floats, misses: Misses) -> Found:
    """Drawn unknowns with their weights, after what was read.

    Args:
        before, sigmas: what is held of each, and one sigma; nothing where it does not matter.
        misses: of each row of unknowns each reading, in sigmas of the reading; no column where nothing was read.
    Source: the likeliest by Gauss and Newton (Levenberg's halted step); importance sampling, drawn again about what it
        finds until enough of it counts.
    """
    live = sigmas > 0

    def unknowns(sure: Floats) -> Floats:
        each = np.tile(before, (len(sure), 1))
        each[:, live] += sure * sigmas[live]
        return each

    def missed(sure: Floats) -> Floats:
        return misses(unknowns(sure))

    rng = np.random.default_rng(11)
    middle, spread = _likeliest(missed, int(live.sum()))
    for _any in range(PASSES):
        root = np.linalg.cholesky(spread)
        noise = rng.standard_normal((DRAWS, len(middle)))
        sure = middle + noise @ root.T
        logs = 0.5 * ((noise**2).sum(axis=1) - (sure**2).sum(axis=1)) + np.log(np.diag(root)).sum()
        logs -= 0.5 * (missed(sure) ** 2).sum(axis=1)
        weights = _evened(logs, ENOUGH)
        if 1 / (weights**2).sum() > ENOUGH * DRAWS * 1.01:
            break
        middle = weights @ sure
        apart = sure - middle
        spread = WIDER * (weights[:, None] * apart).T @ apart + 1e-4 * np.eye(len(middle))
    return unknowns(sure), _evened(logs, LEAST), float(logs.max() + np.log(np.exp(logs - logs.max()).mean()))


def together(found: Sequence[Found]) -> tuple[Floats, Floats]:
    """What was drawn in several ways, each weighing as much as it explains."""
    explained = np.array([one[2] for one in found])
    shares = np.exp(explained - explained.max())
    weights = np.concatenate(
        [share * one[1] for share, one in zip(shares / shares.sum(), found, strict=True)]
    )
    return np.vstack([one[0] for one in found]), weights


def _likeliest(missed: Misses, many: int) -> tuple[Floats, Floats]:
    """The likeliest unknowns, in sigmas from what is held of them, and how they are spread about it."""
    at = np.zeros(many)
    for _any in range(STEPS):
        aside = missed(np.vstack([at, at + ASIDE * np.eye(many)]))
        slopes = (aside[1:] - aside[0]) / ASIDE
        normal = slopes @ slopes.T + np.eye(many)
        down = slopes @ aside[0] + at
        halted = [np.linalg.solve(normal + halt * np.diag(np.diag(normal)), down) for halt in HALTS]
        tried = np.array([at - step * FARTHEST / max(np.abs(step).max(), FARTHEST) for step in halted])
        costs = (missed(tried) ** 2).sum(axis=1) + (tried**2).sum(axis=1)
        if costs.min() > (aside[0] ** 2).sum() + at @ at - NEARER:
            break
        at = tried[int(np.argmin(costs))]
    return at, WIDER * np.asarray(np.linalg.inv(normal))


def _evened(logs: Floats, enough: float) -> Floats:
    """Weights by their logarithms, evened out as far as it takes for enough of the drawn to count."""

    def weighed(part: float) -> Floats:
        found = np.exp(part * (logs - logs.max()))
        return np.asarray(found / found.sum())

    low, high, part = 0.0, 1.0, 1.0
    for _any in range(12):
        if 1 / (weighed(part) ** 2).sum() >= enough * len(logs):
            low = part
        else:
            high = part
        part = (low + high) / 2
        if low == 1.0:
            break
    return weighed(low)

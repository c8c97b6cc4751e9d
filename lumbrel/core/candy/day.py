"""A day of cooks in several pots with one pair of hands: one cools while another boils, and nothing waits
that must not."""

import random
from collections.abc import Sequence
from dataclasses import dataclass

from lumbrel.core.candy.cook import CookStage
from lumbrel.core.errors import OutOfRange
from lumbrel.words import _

MOST_JOBS, MOST_POTS = 24, 6
TRIES = 120
Span = tuple[float, float]


@dataclass(frozen=True)
class CookJob:
    """A batch of a cook: its name and its parts, which follow each other without a wait: what has cooled
    is stirred at once."""

    name: str
    stages: tuple[CookStage, ...]

    @property
    def minutes(self) -> float:
        """From laying out to the last piece."""
        return sum(stage.minutes for stage in self.stages)

    @property
    def hands(self) -> list[Span]:
        """When it takes the hands, minutes from its beginning."""
        found, at = [], 0.0
        for stage in self.stages:
            if stage.hands and stage.minutes > 0:
                found.append((at, at + stage.minutes))
            at += stage.minutes
        return found


@dataclass(frozen=True)
class Laid:
    """A job in its place: which pot, from 0, and when it begins, minutes from the day's."""

    job: CookJob
    pot: int
    start: float

    @property
    def end(self) -> float:
        """When its pot is free again."""
        return self.start + self.job.minutes


def lay_out(jobs: Sequence[CookJob], pots: int) -> list[Laid]:
    """A day laid out, as short as is found: no pot and no hand has two things to do at once.

    Args:
        jobs: one to 24.
        pots: one to 6, each large enough for any of them.
    Raises:
        OutOfRange: there is nothing to cook, or too much, or no pot.
    Source: each order of jobs is laid out greedily; the best of orders by length and of some at random.
    """
    if not 1 <= len(jobs) <= MOST_JOBS:
        raise OutOfRange(
            _(
                "A day has one to {MOST_JOBS} batches; this has {count}.",
                MOST_JOBS=MOST_JOBS,
                count=len(jobs),
            ),
            "cooks",
        )
    if not 1 <= pots <= MOST_POTS:
        raise OutOfRange(_("A day has one to {MOST_POTS} pots.", MOST_POTS=MOST_POTS), "pots")
    chance = random.Random(len(jobs))
    orders = [
        list(jobs),
        sorted(jobs, key=lambda job: -job.minutes),
        sorted(jobs, key=lambda job: job.minutes),
    ]
    best: list[Laid] = []
    for i in range(TRIES):
        if i < len(orders):
            order = orders[i]
        else:
            order = [laid.job for laid in sorted(best, key=lambda laid: laid.start)]
            a, b = chance.randrange(len(order)), chance.randrange(len(order))
            order[a], order[b] = order[b], order[a]
        found = _greedy(order, pots)
        if not best or _length(found) < _length(best) - 1e-9:
            best = found
    return sorted(best, key=lambda laid: (laid.start, laid.pot))


def _length(day: list[Laid]) -> float:
    return max(laid.end for laid in day)


def _greedy(order: Sequence[CookJob], pots: int) -> list[Laid]:
    """Each job in its turn, where it is done first."""
    free = [0.0] * pots
    busy: list[Span] = []
    day: list[Laid] = []
    for job in order:
        starts = [_first_start(job, at, busy) for at in free]
        pot = min(range(pots), key=lambda i: (starts[i], free[i]))
        laid = Laid(job, pot, starts[pot])
        day.append(laid)
        free[pot] = laid.end
        busy += [(laid.start + a, laid.start + b) for a, b in job.hands]
        busy.sort()
    return day


def _first_start(job: CookJob, earliest: float, busy: Sequence[Span]) -> float:
    """The first moment from which its hands are never asked for while they are busy."""
    start = earliest
    while True:
        pushed = start
        for a, b in job.hands:
            for x, y in busy:
                if pushed + a < y - 1e-9 and pushed + b > x + 1e-9:
                    pushed = y - a
        if pushed <= start + 1e-9:
            return start
        start = pushed

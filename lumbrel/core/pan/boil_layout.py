"""How the unknowns of a boil's path are laid out."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from math import inf

import numpy as np
from numpy.typing import NDArray

from lumbrel.core.pan.solids import MassStep
from lumbrel.core.physics.boil_curve import Floats

Whiles = NDArray[np.intp]


@dataclass(frozen=True, kw_only=True)
class Layout:
    """Which parameters there are, and which of them rule each while.

    The parameters are the logarithm of the mass at first, a level of the rate for each setting of
    the burner, what it strays by in each while, and what each step was off by.
    """

    turned: tuple[float, ...]
    knots: tuple[float, ...]
    steps: tuple[MassStep, ...]
    begins: tuple[float, ...]
    ends: tuple[float, ...]
    level_of: tuple[int, ...]
    wander_of: tuple[int, ...]
    burns: tuple[bool, ...]

    @classmethod
    def of(
        cls,
        turned: Sequence[float],
        knots: Sequence[float],
        off: Sequence[tuple[float, float]],
        steps: Sequence[MassStep],
    ) -> "Layout":
        """For burner changes, bounds of whiles, whiles without heat, and steps."""
        bounds = {0.0, *turned, *knots, *(edge for pair in off for edge in pair)}
        begins = sorted(b for b in bounds if 0 <= b < inf)
        ends = [*begins[1:], inf]
        middles = [(a + min(b, a + 2)) / 2 for a, b in zip(begins, ends, strict=True)]
        whiles = list(pairwise(knots))
        return cls(
            turned=tuple(turned),
            knots=tuple(knots),
            steps=tuple(steps),
            begins=tuple(begins),
            ends=tuple(ends),
            level_of=tuple(sum(t <= m for t in turned) for m in middles),
            wander_of=tuple(next((k for k, (a, b) in enumerate(whiles) if a <= m < b), -1) for m in middles),
            burns=tuple(not any(a <= m < b for a, b in off) for m in middles),
        )

    @cached_property
    def levels(self) -> int:
        """Settings of the burner."""
        return len(self.turned) + 1

    @cached_property
    def wanders(self) -> int:
        """Whiles in which it strays by a share of its own."""
        return max(len(self.knots) - 1, 0)

    @cached_property
    def wander_from(self) -> int:
        """The first of those parameters."""
        return 1 + self.levels

    @cached_property
    def steps_from(self) -> int:
        """The first parameter of the steps."""
        return self.wander_from + self.wanders

    @cached_property
    def size(self) -> int:
        """How many parameters there are."""
        return self.steps_from + len(self.steps)

    @cached_property
    def _arrays(self) -> tuple[Floats, Floats, Floats, Floats]:
        ruled = np.zeros((len(self.begins), self.size))
        for i, (level, wander) in enumerate(zip(self.level_of, self.wander_of, strict=True)):
            ruled[i, 1 + level] = 1.0
            if wander >= 0:
                ruled[i, self.wander_from + wander] = 1.0
        return (np.array(self.begins), np.array(self.ends), np.array(self.burns, dtype=float), ruled)

    @cached_property
    def _steps(self) -> tuple[Floats, Floats]:
        minutes = np.array([step.minute for step in self.steps])
        return minutes, np.cumsum([0.0, *(step.mass_kg for step in self.steps)])

    def overlaps(self, minutes: Floats) -> Floats:
        """Minutes of each while that lie before each moment, with heat."""
        begins, ends, burns, _ = self._arrays
        lived = np.minimum(minutes[:, None], ends) - begins
        return np.maximum(lived, 0.0) * burns

    def rates(self, best: Floats) -> Floats:
        """Of each while, kg/min."""
        logs = self._arrays[3] @ best[: self.size]
        rates: Floats = np.exp(np.minimum(np.maximum(logs, -12.0), 4.0))
        return rates

    def while_of(self, minutes: Floats) -> Whiles:
        """In which while each moment lies."""
        found: Whiles = np.maximum(np.searchsorted(self._arrays[0], minutes, side="right") - 1, 0)
        return found

    def rate_at(self, best: Floats, minutes: Floats) -> Floats:
        """At each moment, kg/min; none without heat."""
        return self.rate_in(self.rates(best), self.while_of(minutes))

    def rate_in(self, rates: Floats, whiles: Whiles) -> Floats:
        """In some whiles, kg/min; none without heat."""
        found: Floats = (rates * self._arrays[2])[whiles]
        return found

    def stand(self, minutes: Floats) -> tuple[Floats, Whiles, Floats]:
        """At each moment: what the steps put in, kg; how many there were; and which."""
        at, added = self._steps
        passed = np.searchsorted(at, minutes, side="right")
        return added[passed], passed, (minutes[:, None] >= at).astype(float)

    def rows(self, first_kg: float, burnt: Floats, stepped: Floats) -> Floats:
        """How masses depend on the parameters, from the first mass and what burnt in each while."""
        rows = -burnt @ self._arrays[3]
        rows[:, 0] = first_kg
        rows[:, self.steps_from : self.size] = stepped
        return rows

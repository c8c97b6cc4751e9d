"""The mass balance as least squares: how every piece of evidence depends on the parameters.

The parameters are the mass at minute 0, the rate of each stretch of the burner, by how much the
rate strays in each while, and the errors that readings share, in their own sigmas.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from math import inf, sqrt

import numpy as np

from lumbrel.core.pan.fitted_boil import (
    WANDER_MINUTES,
    WANDERS,
    DensityReading,
    HeatReading,
    Step,
    Stretch,
)
from lumbrel.core.physics.boil_curve import Floats, boil_curves

PASSES, LEAST_SHARE = 12, 1 / 64
POOR_START = 4.0
"""Chi-squared for each reading from which another start is tried."""
CLOSE = 3e-4
"""A step of no more of the mass and of a usual rate is none."""
LEAST_KNOT_MINUTES, MOST_KNOTS = 6.0, 4
DENSEST_PATH_BRIX, THINNEST_PATH_BRIX = 92.0, 1.0
"""The path is held between these while it is sought."""
CHANGE_OF_RATE = 0.6
"""How much a burner change may change the rate, one sigma, as a share of the rate."""


@dataclass(frozen=True)
class Solution:
    """The parameters after a pass and their covariances."""

    best: Floats
    inverse: Floats


class MassBalance:
    """The problem of one boil: what is known once, and one pass of the fit at a time.

    Args:
        mass_kg, mass_sigma_kg: taken in, and one sigma of it.
        steps: additions and draws, oldest first.
        solids_kg: in the vessel before the first step and after each.
        prior_rate_kg_per_min: the vessel's learned rate and its sigma.
        changes: minutes, above 0, at which the burner was changed, oldest first.
        readings: densities.
        heat: boiling temperatures, oldest first.
    """

    def __init__(
        self,
        mass_kg: float,
        mass_sigma_kg: float,
        steps: Sequence[Step],
        solids_kg: Sequence[float],
        prior_rate_kg_per_min: tuple[float, float] | None,
        changes: Sequence[float],
        readings: Sequence[DensityReading],
        heat: Sequence[HeatReading],
    ) -> None:
        self.mass_kg, self.mass_sigma_kg = mass_kg, mass_sigma_kg
        self.prior = prior_rate_kg_per_min
        self.typical_rate = prior_rate_kg_per_min[0] if prior_rate_kg_per_min else mass_kg / 100
        self.starts = (0.0, *changes)
        """Where each setting of the burner begins."""
        self.knots = knots(heat)
        """Bounds of the whiles in which the rate may stray, each by its own share."""
        self.linear = len(self.starts) + max(len(self.knots), 1)
        """How many parameters the path has: mass, rates, what they stray by."""
        whiles = [*pairwise((*self.starts, inf)), *pairwise(self.knots)]
        self._from, self._to = (np.array(ends) for ends in zip(*whiles, strict=True))
        self._step_minutes = np.array([step.minute for step in steps])
        self._added = np.cumsum([0.0, *(step.mass_kg for step in steps)])
        self._solids = np.array(solids_kg)
        self.shared = sorted({r.shared for r in readings if r.shared} | {h.shared for h in heat})
        """The names of the errors that readings share, in the order of the last parameters."""
        self.density = Densities(self, readings)
        self.heat = Temperatures(self, heat)

    def rows(self, minutes: Floats) -> Floats:
        """Mass without the steps at each minute, as it depends on the path's parameters."""
        boiled = np.maximum(np.minimum(minutes[:, None], self._to) - self._from, 0.0)
        return np.concatenate([np.ones((len(minutes), 1)), -boiled], axis=1)

    def rate_rows(self, minutes: Floats) -> Floats:
        """The rate just after each minute, likewise."""
        after = minutes[:, None]
        burns = (self._from <= after) & (after < self._to)
        return np.concatenate([np.zeros((len(minutes), 1)), burns], axis=1)

    def stand(self, minutes: Floats) -> tuple[Floats, Floats]:
        """What the steps up to each minute put in, and the solids then, kg."""
        passed = np.searchsorted(self._step_minutes, minutes, side="right")
        return self._added[passed], self._solids[passed]

    def sharing(self, shared: Sequence[str], sigmas: Sequence[float]) -> Floats:
        """One sigma of each shared error in each reading: a row a reading, a column an error."""
        table = np.zeros((len(shared), len(self.shared)))
        for i, (name, sigma) in enumerate(zip(shared, sigmas, strict=True)):
            if name:
                table[i, self.shared.index(name)] = sigma
        return table

    @cached_property
    def _held(self) -> tuple[Floats, Floats]:
        """What holds the parameters before any reading, as rows in sigmas and their values."""
        size = self.linear + len(self.shared)
        rates, typical = len(self.starts), self.typical_rate
        rows: list[Floats] = []
        values: list[float] = []

        def hold(entries: dict[int, float], value: float, sigma: float) -> None:
            row = np.zeros(size)
            for index, entry in entries.items():
                row[index] = entry / sigma
            rows.append(row)
            values.append(value / sigma)

        hold({0: 1.0}, self.mass_kg, self.mass_sigma_kg)
        if self.prior is not None:
            hold({1: 1.0}, *self.prior)
        for k in range(1, rates):
            hold({k: -1.0, 1 + k: 1.0}, 0.0, CHANGE_OF_RATE * typical)
        for k, (a, b) in enumerate(pairwise(self.knots)):
            strays = WANDERS * sqrt(2 * WANDER_MINUTES / max(b - a, 2 * WANDER_MINUTES))
            hold({1 + rates + k: 1.0}, 0.0, strays * typical)
        for k in range(len(self.shared)):
            hold({self.linear + k: 1.0}, 0.0, 1.0)
        return np.array(rows), np.array(values)

    def settle(self) -> Solution:
        """The parameters that fit best: Gauss and Newton, each step cut until it helps.

        It starts from where each reading by itself would put the path, or from take-in and the
        usual rate, whichever fits better: of thin syrup a temperature by itself says nothing.
        """
        found = self.solve(self.density.brix, self.heat.alone())
        best, cost = found.best, self.cost(found.best)
        if cost > POOR_START * (len(self.density.brix) + self.heat.count):
            plain = np.zeros_like(best)
            plain[:2] = self.mass_kg, self.typical_rate
            if (other := self.cost(plain)) < cost:
                best, cost = plain, other
        for _ in range(PASSES):
            found = self.solve(self.density.on_path(best), self.heat.on_path(best))
            share, step = 1.0, found.best - best
            while (now := self.cost(best + share * step)) > cost and share > LEAST_SHARE:
                share /= 2
            if now > cost:
                break
            best, cost = best + share * step, now
            if self._close(share * step):
                break
        return Solution(best, found.inverse)

    def cost(self, best: Floats) -> float:
        """Chi-squared of everything known, with the boiling curve as it is."""
        rows, values = self._held
        parts = (rows @ best - values, self.density.misses(best), self.heat.misses(best))
        return float(sum(part @ part for part in parts))

    def solve(self, at_brix: Floats, on_path_kg: Floats) -> Solution:
        """One pass.

        Args:
            at_brix: the path's density at each density reading; its weight is taken there, not at
                the noisy reading.
            on_path_kg: the path's mass at each temperature, where the curve is made a line.
        """
        parts = [self._held, self.density.lines(at_brix), self.heat.lines(on_path_kg)]
        rows = np.concatenate([rows for rows, _ in parts])
        values = np.concatenate([values for _, values in parts])
        inverse = np.linalg.inv(rows.T @ rows)
        return Solution(inverse @ (rows.T @ values), inverse)

    def _close(self, step: Floats) -> bool:
        """Whether a step leaves mass and rates where they are."""
        apart = np.abs(step)
        rates = apart[1 : 1 + len(self.starts)]
        return bool(apart[0] < CLOSE * self.mass_kg and (rates < CLOSE * self.typical_rate).all())

    def stretches(self, found: Solution) -> tuple[Stretch, ...]:
        """Each stretch as a line of its own: mass0 as its rate would have had it from minute 0."""
        minutes = np.array(sorted({*self.starts, *self.knots}))
        rates = self.rate_rows(minutes)
        masses = self.rows(minutes) + minutes[:, None] * rates
        path, best = found.inverse[: self.linear, : self.linear], found.best[: self.linear]
        variances = [
            np.einsum("ij,jk,ik->i", a, path, b).tolist()
            for a, b in ((masses, masses), (rates, rates), (masses, rates))
        ]
        return tuple(
            Stretch(minute, mass0, rate, (var_m, var_r, cov))
            for minute, mass0, rate, var_m, var_r, cov in zip(
                minutes.tolist(),
                (masses @ best).tolist(),
                (rates @ best).tolist(),
                *variances,
                strict=True,
            )
        )


class Densities:
    """Density readings, with all that stays the same from pass to pass."""

    def __init__(self, balance: MassBalance, readings: Sequence[DensityReading]) -> None:
        minutes = np.array([r.minute for r in readings])
        self.rows, self.brix = balance.rows(minutes), np.array([r.brix for r in readings])
        self._sigma: Floats = np.array([r.sigma_brix for r in readings])
        self._shared = balance.sharing(
            [r.shared for r in readings], [r.shared_sigma_brix for r in readings]
        )
        self._before, self._solids = balance.stand(minutes)

    def on_path(self, best: Floats) -> Floats:
        """The path's density at each reading, 0.1 to 97 Brix."""
        mass = self.rows @ best[: self.rows.shape[1]] + self._before
        return np.maximum(100 * self._solids / np.maximum(mass, self._solids / 0.97), 0.1)

    def misses(self, best: Floats) -> Floats:
        """How far the path lies from each reading, in sigmas."""
        shared = self._shared @ best[self.rows.shape[1] :]
        apart: Floats = self.on_path(best) + shared - self.brix
        return apart / self._sigma

    def lines(self, at_brix: Floats) -> tuple[Floats, Floats]:
        """Rows in sigmas, and values."""
        slope = 100 * self._solids / at_brix**2
        sigma = slope * self._sigma
        rows = np.concatenate([self.rows, -slope[:, None] * self._shared], axis=1)
        return rows / sigma[:, None], (100 * self._solids / self.brix - self._before) / sigma


class Temperatures:
    """Boiling temperatures, with all that stays the same from pass to pass."""

    def __init__(self, balance: MassBalance, heat: Sequence[HeatReading]) -> None:
        minutes = np.array([h.minute for h in heat])
        self.count = len(heat)
        self._rows = balance.rows(minutes)
        self._shown = np.array([h.temperature_c for h in heat])
        self._sigma: Floats = np.array([h.sigma_k for h in heat])
        self._shared = balance.sharing([h.shared for h in heat], [h.shared_sigma_k for h in heat])
        self._curves = boil_curves(
            tuple(h.station_pressure_pa for h in heat), tuple(h.invert_fraction for h in heat)
        )
        self._before, self._solids = balance.stand(minutes)

    def alone(self) -> Floats:
        """The mass that each speaks of by itself, kg: where the first pass starts."""
        brix = np.nan_to_num(self._curves.brix_of(self._shown), nan=THINNEST_PATH_BRIX)
        return self._within(100 * self._solids / np.maximum(brix, THINNEST_PATH_BRIX))

    def on_path(self, best: Floats) -> Floats:
        """The path's mass at each, kg."""
        return self._within(self._rows @ best[: self._rows.shape[1]] + self._before)

    def misses(self, best: Floats) -> Floats:
        """How far the path's boil lies from each temperature, in sigmas."""
        boils = self._curves.at(100 * self._solids / self.on_path(best))[0]
        apart: Floats = boils + self._shared @ best[self._rows.shape[1] :] - self._shown
        return apart / self._sigma

    def _within(self, mass_kg: Floats) -> Floats:
        """Masses held where the boiling curve has a meaning."""
        solids = 100 * self._solids
        return np.minimum(
            np.maximum(mass_kg, solids / DENSEST_PATH_BRIX), solids / THINNEST_PATH_BRIX
        )

    def lines(self, on_path_kg: Floats) -> tuple[Floats, Floats]:
        """Rows in sigmas, and values."""
        brix = 100 * self._solids / on_path_kg
        boils, per_brix = self._curves.at(brix)
        per_kg = -per_brix * brix / on_path_kg
        rows = np.concatenate([per_kg[:, None] * self._rows, self._shared], axis=1)
        values = self._shown - boils + per_kg * (on_path_kg - self._before)
        return rows / self._sigma[:, None], values / self._sigma


def knots(heat: Sequence[HeatReading]) -> tuple[float, ...]:
    """Bounds of the whiles in which the rate may stray: from the first temperature to the last."""
    if len(heat) < MOST_KNOTS + 1:
        return ()
    first, last = max(heat[0].minute, 0.0), heat[-1].minute
    count = min(int((last - first) / LEAST_KNOT_MINUTES), MOST_KNOTS)
    return tuple(first + (last - first) * i / count for i in range(count + 1)) if count else ()

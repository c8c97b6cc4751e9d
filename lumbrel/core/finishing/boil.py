"""When will it be done: the mass balance fitted to every reading so far.

At steady heat the mass falls linearly, m(t) = m0 - r t, and the solids stay, so solids / Brix
is a straight line in time while Brix and temperature run away at the end. m0 and r are fitted
by weighted least squares; readings of one instrument may share an error (a thermometer's
offset), which is fitted along with them and held near zero by its own sigma. Where the burner
was changed the line bends: each stretch has a rate of its own. And no burner is quite steady:
where temperatures show the path closely it may stray from the straight line by what a burner
wanders, and ahead of the last reading it goes on at the mean rate.

Boiling temperatures enter as temperatures, through the boiling curve linearised along the path:
turned into Brix one by one they would be lopsided where the curve is flat.
"""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from math import inf, sqrt

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.finishing.path import (
    WANDER_MINUTES,
    WANDERS,
    BoilFit,
    DensityReading,
    HeatReading,
    Step,
    Stretch,
)
from lumbrel.core.numeric import invert
from lumbrel.core.physics.boil_curve import BoilCurve, boil_curve

NEXT_CHECK_MINUTES = (2.0, 30.0)


def fit(
    mass_kg: float,
    brix: float,
    readings: Sequence[DensityReading],
    steps: Sequence[Step] = (),
    prior_rate_kg_per_min: tuple[float, float] | None = None,
    brix_sigma: float = 0.3,
    heat: Sequence[HeatReading] = (),
    changes: Sequence[float] = (),
) -> BoilFit:
    """Fit the boil's mass balance to the take-in, the readings and the vessel's past.

    Args:
        mass_kg: taken in, above 0.
        brix: of what was taken in, 0.1 to 97.
        readings: corrected, after the boil-off began.
        steps: additions and draws so far, with their density.
        prior_rate_kg_per_min: the vessel's learned rate and its sigma.
        brix_sigma: one sigma of the take-in Brix.
        heat: boiling temperatures.
        changes: minutes at which the burner was changed; each stretch gets its own rate.
    Raises:
        OutOfRange: a value lies outside its range, or there is nothing to tell the rate from.
    Source: linear least squares (Gauss and Newton for the temperatures); solids conserved.
    """
    if not 0 < mass_kg <= 100_000:
        raise OutOfRange("The mass must be above 0 and at most 100 000 kg.", "mass_kg")
    require_between(brix, 0.1, 97.0, "brix", "Brix", "percent by mass")
    for reading in readings:
        require_between(reading.brix, 0.1, 97.0, "readings", "A reading's Brix", "percent by mass")
        require_between(reading.minute, 0.0, 100_000, "readings", "A reading's minute", "min")
        if not 0 < reading.sigma_brix <= 50:
            raise OutOfRange(
                "A reading's uncertainty must be above 0 and at most 50 Brix.", "readings"
            )
    if prior_rate_kg_per_min is None and not any(r.minute > 0 for r in readings):
        raise OutOfRange(
            "Give at least one reading after minute 0, or the vessel's past rate "
            "(prior_rate_kg_per_min): without either nothing says how fast it boils off.", "readings",
        )  # fmt: skip
    ordered = tuple(sorted(steps, key=lambda step: step.minute))
    solids = [mass_kg * brix / 100]
    for step in ordered:
        solids.append(solids[-1] + step.mass_kg * step.brix / 100)
        if solids[-1] <= 0:
            raise OutOfRange("More was drawn than was ever in the vessel.", "events")
    problem = _Problem(
        mass_kg, mass_kg * brix_sigma / brix, ordered, tuple(solids), prior_rate_kg_per_min,
        (0.0, *sorted(c for c in changes if c > 0)), _knots(heat),
    )  # fmt: skip
    brixes = [reading.brix for reading in readings]
    rows = [problem._row(reading.minute) for reading in readings]
    hot = [problem.prepared(reading) for reading in heat]
    found = problem.solve(readings, brixes, hot, [one.first_kg for one in hot])
    for _ in range(HEAT_PASSES if heat else 1):
        before = found.best
        brixes = [
            problem.brix_on(found.mass_kg(row), reading.minute)
            for row, reading in zip(rows, readings, strict=True)
        ]
        path = [one.held(found.mass_kg(one.row) + one.before_kg) for one in hot]
        found = problem.solve(readings, brixes, hot, path)
        if (
            heat
            and abs(found.best[0] - before[0]) < CLOSE * mass_kg
            and all(
                abs(new - old) < CLOSE * problem.typical_rate
                for new, old in zip(
                    found.best[1 : 1 + len(problem.starts)], before[1:], strict=False
                )
            )
        ):
            break
    return problem.fitted(found)


CLOSE = 3e-4
"""Two passes that differ by no more of the mass and of a usual rate are one."""
HEAT_PASSES = 8
LEAST_KNOT_MINUTES, MOST_KNOTS = 6.0, 4
DENSEST_PATH_BRIX, THINNEST_PATH_BRIX = 92.0, 1.0
"""The path is held between these while it is sought."""
CHANGE_OF_RATE = 0.6
"""How much a burner change may change the rate, one sigma, as a share of the rate."""


@dataclass(frozen=True)
class _Problem:
    """What stays the same from pass to pass."""

    mass_kg: float
    mass_sigma_kg: float
    steps: tuple[Step, ...]
    solids: tuple[float, ...]
    prior: tuple[float, float] | None
    starts: tuple[float, ...]
    """Where each setting of the burner begins."""
    knots: tuple[float, ...]
    """Bounds of the whiles in which the rate may stray, each by its own share."""

    @property
    def typical_rate(self) -> float:
        """What a rate may be expected to be, kg/min."""
        return self.prior[0] if self.prior else self.mass_kg / 100

    @property
    def linear(self) -> int:
        """How many parameters the path has: mass0, the rates, what they stray by."""
        return 1 + len(self.starts) + max(len(self.knots) - 1, 0)

    def _row(self, minute: float) -> list[float]:
        """Mass at a minute as it depends on mass0, on each rate, and on what it strays by."""
        ends = (*self.starts[1:], inf)
        row = [1.0]
        row += [-max(min(minute, b) - a, 0.0) for a, b in zip(self.starts, ends, strict=True)]
        return row + [-max(min(minute, b) - a, 0.0) for a, b in pairwise(self.knots)]

    def _rate_row(self, minute: float) -> list[float]:
        """The rate just after a minute, likewise."""
        now = bisect_right(self.starts, minute) - 1
        row = [0.0] + [1.0 if i == now else 0.0 for i in range(len(self.starts))]
        return row + [1.0 if a <= minute < b else 0.0 for a, b in pairwise(self.knots)]

    def _before(self, minute: float) -> tuple[int, float]:
        passed = bisect_right([step.minute for step in self.steps], minute)
        return passed, sum(step.mass_kg for step in self.steps[:passed])

    def prepared(self, hot: HeatReading) -> "_Hot":
        """A temperature with all that stays the same from pass to pass; the first pass starts
        from the mass it speaks of by itself."""
        passed, before = self._before(hot.minute)
        curve = boil_curve(hot.station_pressure_pa, hot.invert_fraction)
        try:
            brix = curve.brix_of(hot.temperature_c)
        except OutOfRange:
            brix = THINNEST_PATH_BRIX
        one = _Hot(hot, hot.minute, curve, self._row(hot.minute), before, self.solids[passed], 0.0)
        return replace(one, first_kg=one.held(100 * one.solids_kg / max(brix, THINNEST_PATH_BRIX)))

    def solve(
        self,
        readings: Sequence[DensityReading],
        weight_at_brix: Sequence[float],
        heat: Sequence["_Hot"],
        path: Sequence[float],
    ) -> "_Found":
        """One pass; weights and slopes are taken on the path, not at the noisy readings."""
        shared = sorted({r.shared for r in readings if r.shared} | {h.reading.shared for h in heat})
        rates, linear = len(self.starts), self.linear
        size = linear + len(shared)
        normal = [[0.0] * size for _ in range(size)]
        right = [0.0] * size

        def add(row: Sequence[float], value: float, sigma: float) -> None:
            weight = sigma**-2
            known = [(i, x) for i, x in enumerate(row) if x]
            for i, x in known:
                right[i] += x * value * weight
                line, scaled = normal[i], x * weight
                for j, y in known:
                    line[j] += scaled * y

        def one(index: int, at: float = 1.0) -> list[float]:
            return [at if i == index else 0.0 for i in range(size)]

        add(one(0), self.mass_kg, self.mass_sigma_kg)
        if self.prior is not None:
            add(one(1), self.prior[0], self.prior[1])
        typical = self.typical_rate
        for k in range(1, rates):
            step = one(1 + k)
            step[k] = -1.0
            add(step, 0.0, CHANGE_OF_RATE * typical)
        for k, (a, b) in enumerate(pairwise(self.knots)):
            strays = WANDERS * sqrt(2 * WANDER_MINUTES / max(b - a, 2 * WANDER_MINUTES))
            add(one(1 + rates + k), 0.0, strays * typical)
        for k in range(len(shared)):
            add(one(linear + k), 0.0, 1.0)
        blank = [0.0] * len(shared)
        for reading, at_brix in zip(readings, weight_at_brix, strict=True):
            passed, before = self._before(reading.minute)
            mass = 100 * self.solids[passed] / reading.brix
            slope = 100 * self.solids[passed] / at_brix**2
            row = [*self._row(reading.minute), *blank]
            if reading.shared:
                row[linear + shared.index(reading.shared)] = -slope * reading.shared_sigma_brix
            add(row, mass - before, slope * reading.sigma_brix)
        for hot, mass in zip(heat, path, strict=True):
            brix = 100 * hot.solids_kg / mass
            boils, per_brix = hot.curve.at(brix)
            per_kg = -per_brix * brix / mass
            row = [per_kg * x for x in hot.row] + blank
            row[linear + shared.index(hot.reading.shared)] = hot.reading.shared_sigma_k
            value = hot.reading.temperature_c - boils + per_kg * (mass - hot.before_kg)
            add(row, value, hot.reading.sigma_k)
        inverse = invert(normal)
        best = [sum(inverse[i][j] * right[j] for j in range(size)) for i in range(size)]
        return _Found(best, inverse, tuple(shared))

    def brix_on(self, mass_kg: float, minute: float) -> float:
        """Density on the path, from a mass without the steps so far."""
        passed, before = self._before(minute)
        solids = self.solids[passed]
        return max(min(97.0, 100 * solids / max(mass_kg + before, solids / 0.97)), 0.1)

    def fitted(self, found: "_Found") -> BoilFit:
        """The fit as it is handed out."""
        return BoilFit(
            self._stretches(found.best, found.inverse), self.solids, self.steps,
            tuple(zip(found.shared, found.best[self.linear :], strict=True)), self.starts[1:],
            self.knots[-1] if self.knots else 0.0,
        )  # fmt: skip

    def _stretches(
        self, best: Sequence[float], inverse: Sequence[Sequence[float]]
    ) -> tuple[Stretch, ...]:
        """Each stretch as a line of its own: mass0 as its rate would have had it from minute 0."""

        def covariance(a: Sequence[float], b: Sequence[float]) -> float:
            return sum(
                x * y * inverse[i][j] for i, x in enumerate(a) if x for j, y in enumerate(b) if y
            )

        found = []
        for start in sorted({*self.starts, *self.knots}):
            rate = self._rate_row(start)
            mass0 = [m + start * r for m, r in zip(self._row(start), rate, strict=True)]
            found.append(
                Stretch(
                    start, sum(x * y for x, y in zip(mass0, best, strict=False)),
                    sum(x * y for x, y in zip(rate, best, strict=False)),
                    (covariance(mass0, mass0), covariance(rate, rate), covariance(mass0, rate)),
                )
            )  # fmt: skip
        return tuple(found)


@dataclass(frozen=True)
class _Found:
    """The parameters after a pass, their covariances, and the names of the shared errors."""

    best: list[float]
    inverse: list[list[float]]
    shared: tuple[str, ...]

    def mass_kg(self, row: Sequence[float]) -> float:
        """Mass without the steps, where a row says how it depends on the parameters."""
        return sum(x * y for x, y in zip(row, self.best, strict=False) if x)


@dataclass(frozen=True)
class _Hot:
    """A temperature, ready for the passes."""

    reading: HeatReading
    minute: float
    curve: BoilCurve
    row: list[float]
    before_kg: float
    solids_kg: float
    first_kg: float

    def held(self, mass_kg: float) -> float:
        """A mass on the path, held where the boiling curve has a meaning."""
        least = 100 * self.solids_kg / DENSEST_PATH_BRIX
        return min(max(mass_kg, least), 100 * self.solids_kg / THINNEST_PATH_BRIX)


def _knots(heat: Sequence[HeatReading]) -> tuple[float, ...]:
    """Bounds of the whiles in which the rate may stray: from the first temperature to the last."""
    if len(heat) < MOST_KNOTS + 1:
        return ()
    first, last = max(heat[0].minute, 0.0), heat[-1].minute
    count = min(int((last - first) / LEAST_KNOT_MINUTES), MOST_KNOTS)
    return tuple(first + (last - first) * i / count for i in range(count + 1)) if count else ()


def next_check_minutes(minutes_to_target: float) -> float:
    """Minutes until the next look: when half of the remaining water is gone, 2 to 30.

    Args:
        minutes_to_target: minutes left on the fitted path; below 0 counts as 0.
    """
    shortest, longest = NEXT_CHECK_MINUTES
    return min(max(minutes_to_target / 2, shortest), longest)

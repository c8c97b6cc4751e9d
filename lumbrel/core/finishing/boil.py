"""When will it be done: the mass balance fitted to every reading so far.

At steady heat the mass falls linearly, m(t) = m0 - r t, and the solids stay, so solids / Brix
is a straight line in time while Brix and temperature run away at the end. m0 and r are fitted
by weighted least squares; readings of one instrument may share an error (a thermometer's
offset), which is fitted along with them and held near zero by its own sigma.
"""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from math import inf, sqrt

from lumbrel.core.errors import OutOfRange, require_between

NEXT_CHECK_MINUTES = (2.0, 30.0)
NINETY_PERCENT = 1.645


@dataclass(frozen=True)
class DensityReading:
    """A corrected reading as evidence for the fit.

    Args:
        minute: since the vessel began to boil off.
        brix, sigma_brix: corrected value and the part of its error that is its own.
        shared: name of the error it shares with others, if any.
        shared_sigma_brix: one sigma of that shared error at this reading.
    """

    minute: float
    brix: float
    sigma_brix: float
    shared: str = ""
    shared_sigma_brix: float = 0.0


@dataclass(frozen=True)
class Step:
    """Something put in (mass above 0) or drawn (below 0) at a minute, kg at a Brix."""

    minute: float
    mass_kg: float
    brix: float


@dataclass(frozen=True)
class BoilFit:
    """A fitted boil. Masses in kg, times in minutes since the boil-off began."""

    mass0_kg: float
    rate_kg_per_min: float
    variance: tuple[float, float, float]
    """Of mass0, of the rate, and their covariance."""
    solids_kg: tuple[float, ...]
    """Solids in the vessel before the first step, after it, after the second ..."""
    steps: tuple[Step, ...]

    def _steps_until(self, minute: float) -> int:
        return bisect_right([step.minute for step in self.steps], minute)

    def mass_kg_at(self, minute: float) -> float:
        """Mass in the vessel, kg; before the boil-off begins it is the first mass."""
        added = sum(step.mass_kg for step in self.steps[: self._steps_until(minute)])
        return self.mass0_kg + added - self.rate_kg_per_min * max(minute, 0.0)

    def brix_at(self, minute: float) -> float:
        """Density on the fitted path, at most 97 Brix."""
        solids = self.solids_kg[self._steps_until(minute)]
        return min(97.0, 100 * solids / max(self.mass_kg_at(minute), solids / 0.97))

    def sigma_brix_at(self, minute: float) -> float:
        """One sigma of the fitted path, Brix."""
        t = max(minute, 0.0)
        var_m, var_r, cov = self.variance
        sigma_m = sqrt(max(var_m - 2 * t * cov + t * t * var_r, 0.0))
        mass = self.mass_kg_at(minute)
        return self.brix_at(minute) * sigma_m / max(mass, 1e-9)

    def minute_of(self, target_brix: float) -> float:
        """When the path reaches the target (infinite when nothing is boiling off)."""
        if self.rate_kg_per_min <= 0:
            return inf
        return self._water_kg(target_brix) / self.rate_kg_per_min

    def band_of(self, target_brix: float, z: float = NINETY_PERCENT) -> tuple[float, float]:
        """Earliest and latest minute of the target, 90 % by default (Fieller's limits).

        The latest is infinite when the readings cannot yet tell the rate from nothing.
        """
        var_m, var_r, cov = self.variance
        water, rate, z2 = self._water_kg(target_brix), self.rate_kg_per_min, z * z
        a = rate * rate - z2 * var_r
        b = -2 * (water * rate - z2 * cov)
        c = water * water - z2 * var_m
        root = sqrt(max(b * b - 4 * a * c, 0.0))
        if a <= 0 or rate <= 0:
            low = (-b - root) / (2 * a) if a != 0 else 0.0
            return max(0.0, low if a > 0 else 0.0), inf
        return (-b - root) / (2 * a), (-b + root) / (2 * a)

    def _water_kg(self, target_brix: float) -> float:
        """Water between the mass at minute 0 (all steps counted) and the target."""
        added = sum(step.mass_kg for step in self.steps)
        return self.mass0_kg + added - 100 * self.solids_kg[-1] / target_brix


def fit(
    mass_kg: float,
    brix: float,
    readings: Sequence[DensityReading],
    steps: Sequence[Step] = (),
    prior_rate_kg_per_min: tuple[float, float] | None = None,
    brix_sigma: float = 0.3,
) -> BoilFit:
    """Fit the boil's mass balance to the take-in, the readings and the vessel's past.

    Args:
        mass_kg: taken in, above 0.
        brix: of what was taken in, 0.1 to 97.
        readings: corrected, after the boil-off began.
        steps: additions and draws so far, with their density.
        prior_rate_kg_per_min: the vessel's learned rate and its sigma.
        brix_sigma: one sigma of the take-in Brix.
    Raises:
        OutOfRange: a value lies outside its range, or there is nothing to tell the rate from.
    Source: linear least squares; solids conserved.
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
    brixes = [reading.brix for reading in readings]
    for _ in range(2):
        fitted = _solve(mass_kg, brix, readings, brixes, ordered, tuple(solids), prior_rate_kg_per_min, brix_sigma)  # fmt: skip
        brixes = [max(fitted.brix_at(reading.minute), 0.1) for reading in readings]
    return fitted


def _solve(
    mass_kg: float,
    brix: float,
    readings: Sequence[DensityReading],
    weight_at_brix: Sequence[float],
    steps: tuple[Step, ...],
    solids: tuple[float, ...],
    prior: tuple[float, float] | None,
    brix_sigma: float,
) -> BoilFit:
    """One pass; the weights are taken at the given densities, not at the noisy readings."""
    shared = sorted({reading.shared for reading in readings if reading.shared})
    size = 2 + len(shared)
    normal = [[0.0] * size for _ in range(size)]
    right = [0.0] * size

    def add(row: Sequence[float], value: float, sigma: float) -> None:
        for i, x in enumerate(row):
            if x:
                right[i] += x * value / sigma**2
                for j, y in enumerate(row):
                    normal[i][j] += x * y / sigma**2

    blank = [0.0] * len(shared)
    add([1.0, 0.0, *blank], mass_kg, mass_kg * brix_sigma / brix)
    if prior is not None:
        add([0.0, 1.0, *blank], prior[0], prior[1])
    for k in range(len(shared)):
        add([0.0, 0.0, *(1.0 if i == k else 0.0 for i in range(len(shared)))], 0.0, 1.0)
    times = [step.minute for step in steps]
    for reading, at_brix in zip(readings, weight_at_brix, strict=True):
        passed = bisect_right(times, reading.minute)
        mass = 100 * solids[passed] / reading.brix
        slope = 100 * solids[passed] / at_brix**2
        row = [1.0, -reading.minute, *blank]
        if reading.shared:
            row[2 + shared.index(reading.shared)] = -slope * reading.shared_sigma_brix
        before = sum(step.mass_kg for step in steps[:passed])
        add(row, mass - before, slope * reading.sigma_brix)
    inverse = _invert(normal)
    best = [sum(inverse[i][j] * right[j] for j in range(size)) for i in range(size)]
    variance = (inverse[0][0], inverse[1][1], inverse[0][1])
    return BoilFit(best[0], best[1], variance, solids, steps)


def _invert(matrix: list[list[float]]) -> list[list[float]]:
    """Inverse of a small symmetric positive definite matrix, by Gauss and Jordan."""
    size = len(matrix)
    work = [[*row, *(1.0 if i == j else 0.0 for j in range(size))] for i, row in enumerate(matrix)]
    for i in range(size):
        pivot = max(range(i, size), key=lambda k: abs(work[k][i]))
        work[i], work[pivot] = work[pivot], work[i]
        scale = work[i][i]
        work[i] = [x / scale for x in work[i]]
        for k in range(size):
            if k != i and work[k][i]:
                factor = work[k][i]
                work[k] = [x - factor * y for x, y in zip(work[k], work[i], strict=True)]
    return [row[size:] for row in work]


def carried_to(
    fitted: BoilFit, brix: float, sigma_brix: float, from_minute: float, to_minute: float
) -> tuple[float, float]:
    """What an older reading says of the density now, moved along the fitted path.

    The water lost since is taken off the mass that the reading implies; the rate's own
    uncertainty over that time is added. Exact for a moment before a step as well.

    Args:
        fitted: the boil.
        brix, sigma_brix: the corrected reading.
        from_minute, to_minute: its time and the moment wanted, minutes.
    Returns:
        Brix and its sigma at `to_minute`.
    """
    change = fitted.mass_kg_at(to_minute) - fitted.mass_kg_at(from_minute)
    then = fitted.solids_kg[fitted._steps_until(from_minute)]
    now = fitted.solids_kg[fitted._steps_until(to_minute)]
    mass_then = 100 * then / brix
    mass_now = max(mass_then + change, now / 0.97)
    sigma_mass = sqrt(
        (mass_then * sigma_brix / brix) ** 2
        + fitted.variance[1] * (max(to_minute, 0.0) - max(from_minute, 0.0)) ** 2
    )
    carried = 100 * now / mass_now
    return carried, carried * sigma_mass / mass_now


def next_check_minutes(minutes_to_target: float) -> float:
    """Minutes until the next look: when half of the remaining water is gone, 2 to 30.

    Args:
        minutes_to_target: minutes left on the fitted path; below 0 counts as 0.
    """
    shortest, longest = NEXT_CHECK_MINUTES
    return min(max(minutes_to_target / 2, shortest), longest)

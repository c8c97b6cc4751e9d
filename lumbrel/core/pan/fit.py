"""When will it be done, by hand: the mass balance fitted to densities, at steady heat.

The mass falls linearly, m(t) = m0 - r t, and the solids stay, so solids / Brix is a straight line
in time while Brix and temperature run away at the end. m0 and r are fitted by weighted least
squares. A boil in a kitchen, with its probe, its burner and its mistakes, is `boil_model`'s.
"""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from math import inf, sqrt

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.pan.solids import MassStep, solids_after
from lumbrel.words import _

NEXT_CHECK_MINUTES = (0.5, 30.0)
NINETY_PERCENT = 1.645
TAKE_IN_SIGMA_BRIX = 0.3
"""One sigma of the Brix that is taken in, where nothing else is said."""
PASSES = 8


@dataclass(frozen=True)
class DensityReading:
    """A corrected reading: minutes since the vessel began to boil off, Brix, and one sigma of it."""

    minute: float
    brix: float
    sigma_brix: float


@dataclass(frozen=True, kw_only=True)
class SteadyBoil:
    """A fitted boil at steady heat. Masses in kg, times in minutes since the boil-off began."""

    mass0_kg: float
    rate_kg_per_min: float
    variance: tuple[float, float, float]
    """Of mass0, of the rate, and their covariance."""
    solids_kg: tuple[float, ...]
    """Solids in the vessel before the first step, after it, after the second ..."""
    steps: tuple[MassStep, ...]

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
    steps: Sequence[MassStep] = (),
    prior_rate_kg_per_min: tuple[float, float] | None = None,
    brix_sigma: float = TAKE_IN_SIGMA_BRIX,
) -> SteadyBoil:
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
    Source: weighted least squares, each weight taken on the path; solids conserved.
    """
    _require(mass_kg, brix, readings, has_past=prior_rate_kg_per_min is not None)
    ordered = tuple(sorted(steps, key=lambda step: step.minute))
    solids = solids_after(mass_kg * brix / 100, ordered)
    held = _Normal()
    held.add(1.0, 0.0, mass_kg, mass_kg * brix_sigma / brix)
    if prior_rate_kg_per_min is not None:
        held.add(0.0, 1.0, *prior_rate_kg_per_min)
    found, at_brix = None, [r.brix for r in readings]
    for _any in range(PASSES):
        normal = held.copy()
        for reading, on_path in zip(readings, at_brix, strict=True):
            passed = bisect_right([step.minute for step in ordered], reading.minute)
            hundred = 100 * solids[passed]
            added = sum(step.mass_kg for step in ordered[:passed])
            sigma = hundred / on_path**2 * reading.sigma_brix
            normal.add(1.0, -reading.minute, hundred / reading.brix - added, sigma)
        mass0, rate, variance = normal.solve()
        found = SteadyBoil(
            mass0_kg=mass0, rate_kg_per_min=rate, variance=variance, solids_kg=tuple(solids), steps=ordered
        )
        at_brix = [max(found.brix_at(r.minute), 0.1) for r in readings]
    assert found is not None
    return found


def _require(mass_kg: float, brix: float, readings: Sequence[DensityReading], *, has_past: bool) -> None:
    if not 0 < mass_kg <= 100_000:
        raise OutOfRange(_("The mass must be above 0 and at most 100 000 kg."), "mass_kg")
    require_between(brix, 0.1, 97.0, field="brix", what=_("Brix"), unit=_("percent by mass"))
    for reading in readings:
        _require_plausible(reading)
    if not has_past and not any(r.minute > 0 for r in readings):
        raise OutOfRange(
            _(
                "Give at least one reading after minute 0, or the vessel's past rate "
                "(prior_rate_kg_per_min): without either nothing says how fast it boils off."
            ),
            "readings",
        )


class _Normal:
    """The normal equations of two unknowns, one weighted row after the other."""

    def __init__(self) -> None:
        self._sums = [0.0] * 5

    def copy(self) -> "_Normal":
        """To go on from here."""
        other = _Normal()
        other._sums = list(self._sums)
        return other

    def add(self, a: float, b: float, value: float, sigma: float) -> None:
        """A row: a m0 + b r = value, give or take sigma."""
        terms = (a * a, a * b, b * b, a * value, b * value)
        self._sums = [old + term / sigma**2 for old, term in zip(self._sums, terms, strict=True)]

    def solve(self) -> tuple[float, float, tuple[float, float, float]]:
        """Both unknowns; their variances and covariance."""
        aa, ab, bb, av, bv = self._sums
        det = aa * bb - ab * ab
        if det <= 0:
            raise OutOfRange(_("These readings do not tell how fast it boils off."), "readings")
        variance = (bb / det, aa / det, -ab / det)
        return (bb * av - ab * bv) / det, (aa * bv - ab * av) / det, variance


def _require_plausible(reading: DensityReading) -> None:
    field = "readings"
    require_between(
        reading.brix, 0.1, 97.0, field=field, what=_("A reading's Brix"), unit=_("percent by mass")
    )
    require_between(reading.minute, 0.0, 100_000, field=field, what=_("A reading's minute"), unit="min")
    if not 0 < reading.sigma_brix <= 50:
        raise OutOfRange(_("A reading's uncertainty must be above 0 and at most 50 Brix."), field)


def next_check_minutes(low_minutes: float) -> float:
    """Minutes until the next look: half-way to the low end of the range, since whoever looks too late has
    burnt it; half a minute to 30.

    Args:
        low_minutes: minutes to the low end; below 0 counts as 0.
    """
    shortest, longest = NEXT_CHECK_MINUTES
    return min(max(low_minutes / 2, shortest), longest)

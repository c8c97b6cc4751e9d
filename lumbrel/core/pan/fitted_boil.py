"""The path of a boil as it was fitted: mass, density and doubt at any minute, and the finish.

Solids stay, so a mass says the density; see `fit.fit` for how the path is found.
"""

from bisect import bisect_right
from dataclasses import dataclass
from math import inf, sqrt
from typing import NamedTuple

NINETY_PERCENT = 1.645
WANDERS, WANDER_MINUTES = 0.036, 4.0
"""A burner strays by 3 percent for minutes at a time; a little more makes up for the whiles the fit
cannot follow."""


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


class HeatReading(NamedTuple):
    """A boiling temperature as evidence for the fit.

    Args:
        minute: since the vessel began to boil off.
        temperature_c: corrected by the thermometer's calibration, degC.
        sigma_k: the part of its error that is its own, K.
        shared: name of the error it shares with others.
        shared_sigma_k: one sigma of that, K.
        station_pressure_pa: at that moment, Pa.
        invert_fraction: of the solids, 0 to 1.
    """

    minute: float
    temperature_c: float
    sigma_k: float
    shared: str
    shared_sigma_k: float
    station_pressure_pa: float
    invert_fraction: float


@dataclass(frozen=True)
class Stretch:
    """A stretch of steady heat: from its minute on, mass = mass0 - rate * minute (steps apart)."""

    from_minute: float
    mass0_kg: float
    rate_kg_per_min: float
    variance: tuple[float, float, float]
    """Of mass0, of the rate, and their covariance."""


@dataclass(frozen=True)
class Step:
    """Something put in (mass above 0) or drawn (below 0) at a minute, kg at a Brix."""

    minute: float
    mass_kg: float
    brix: float


@dataclass(frozen=True, kw_only=True)
class BoilFit:
    """A fitted boil. Masses in kg, times in minutes since the boil-off began."""

    stretches: tuple[Stretch, ...]
    solids_kg: tuple[float, ...]
    """Solids in the vessel before the first step, after it, after the second ..."""
    steps: tuple[Step, ...]
    shared: tuple[tuple[str, float], ...] = ()
    """Each shared error by its name, in its own sigmas, as the fit found it."""
    changed_at: tuple[float, ...] = ()
    """Minutes at which the burner was changed."""
    followed_to: float = 0.0
    """Minute up to which temperatures were followed closely; 0 when there were none."""

    @property
    def mass0_kg(self) -> float:
        """Mass at minute 0 on the line of the last stretch."""
        return self.stretches[-1].mass0_kg

    @property
    def rate_kg_per_min(self) -> float:
        """What boils off now."""
        return self.stretches[-1].rate_kg_per_min

    @property
    def variance(self) -> tuple[float, float, float]:
        """Of mass0, of the rate now, and their covariance."""
        return self.stretches[-1].variance

    def _stretch(self, minute: float) -> Stretch:
        for stretch in reversed(self.stretches):
            if minute >= stretch.from_minute:
                return stretch
        return self.stretches[0]

    def _steps_until(self, minute: float) -> int:
        return bisect_right([step.minute for step in self.steps], minute)

    def mass_kg_at(self, minute: float) -> float:
        """Mass in the vessel, kg; before the boil-off begins it is the first mass."""
        added = sum(step.mass_kg for step in self.steps[: self._steps_until(minute)])
        on = self._stretch(minute)
        return on.mass0_kg + added - on.rate_kg_per_min * max(minute, 0.0)

    def burnt_kg(self, minute: float) -> float:
        """Water boiled off up to a minute, kg."""
        on = self._stretch(minute)
        return self.stretches[0].mass0_kg - on.mass0_kg + on.rate_kg_per_min * max(minute, 0.0)

    def brix_at(self, minute: float) -> float:
        """Density on the fitted path, at most 97 Brix."""
        solids = self.solids_kg[self._steps_until(minute)]
        return min(97.0, 100 * solids / max(self.mass_kg_at(minute), solids / 0.97))

    def sigma_brix_at(self, minute: float) -> float:
        """One sigma of the fitted path, Brix."""
        t = max(minute, 0.0)
        var_m, var_r, cov = self._stretch(minute).variance
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
        if self.followed_to > 0 and rate > 0:
            ahead = max(water / rate - self.followed_to, 0.0)
            var_m += rate * rate * 2 * WANDERS**2 * WANDER_MINUTES * ahead
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

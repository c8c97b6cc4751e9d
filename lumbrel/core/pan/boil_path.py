"""The path of a boil as it was fitted: mass, density and doubt at any minute, and the finish.

See `boil_model` for how it is found.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from math import exp, hypot, inf, sqrt
from typing import NamedTuple

import numpy as np

from lumbrel.core.pan.boil_layout import Layout
from lumbrel.core.pan.solids import MOST_BRIX, MassStep
from lumbrel.core.physics.boil_curve import Floats

STRAYS, OU_MINUTES = 0.06, 4.5
"""A burner strays by so much of its rate, for so many minutes at a time."""
TURNED_PER_MINUTE = 0.022
"""How often somebody turns a burner, or stokes, that was not to be turned."""
TURNED_SIGMA = 0.35
UNSEEN_MINUTES = (3.0, 12.0)
"""A change so fresh is not seen yet: with a probe in the boil, and without."""
DRAWS = 512
MOST_MINUTES = 10_000.0
LEVEL_STRAYS_PER_ROOT_MINUTE = 0.016
"""No burner has quite the same level an hour later."""


class Finish(NamedTuple):
    """Minutes from now to a density, and the limits of 90 %; `high` is infinite when nothing says
    that it will be."""

    left: float
    low: float
    high: float


@dataclass(frozen=True, kw_only=True)
class BoilPath:
    """A fitted boil. Masses in kg, times in minutes since the boil-off began."""

    layout: Layout
    best: Floats
    covariance: Floats
    solids_kg: tuple[float, ...]
    """Solids in the vessel before the first step, after it, after the second ..."""
    shared: tuple[tuple[str, float], ...] = ()
    """Each shared error by its name, in its own sigmas, as the fit found it."""
    strays: float = STRAYS
    """Of its rate, by how much the burner is held to stray; and as far as this boil shows it."""
    strays_seen: float = STRAYS
    unseen_minutes: float = UNSEEN_MINUTES[1]
    """For how long a change of the burner goes unseen."""
    density_weights: tuple[float, ...] = ()
    heat_weights: tuple[float, ...] = ()
    """How much each reading counted: little when it is wild."""
    may_have_changed: tuple[float, float] = (0.0, 0.0)
    """How likely its rate became another of late, though not enough speaks for it; and by how much, as a
    logarithm."""
    cost: float = 0.0
    """Twice the negative logarithm of how likely all that was read is on it, to hold it against the path of
    the same readings by another tale."""

    @property
    def steps(self) -> tuple[MassStep, ...]:
        """Additions and draws so far."""
        return self.layout.steps

    @property
    def changed_at(self) -> tuple[float, ...]:
        """Minutes at which the burner was changed."""
        return self.layout.turned

    @property
    def followed_to(self) -> float:
        """The last minute of which anything was read."""
        return self.layout.knots[-1] if self.layout.knots else 0.0

    @property
    def mass0_kg(self) -> float:
        """At minute 0."""
        return exp(float(self.best[0]))

    @property
    def rate_kg_per_min(self) -> float:
        """What boils off with the burner as it is set; always positive."""
        return exp(float(self.best[self.layout.levels]))

    @property
    def rate_sigma(self) -> float:
        """One sigma of its logarithm."""
        return sqrt(self.covariance[self.layout.levels, self.layout.levels])

    @cached_property
    def _last_strays(self) -> float:
        if not self.layout.wanders:
            return 0.0
        return float(self.best[self.layout.steps_from - 1])

    def _since(self, minutes: Floats) -> Floats:
        """For how long nothing was read, with its memory of how the burner strayed, minutes."""
        apart = np.maximum(minutes - self.followed_to, 0.0)
        faded: Floats = OU_MINUTES * -np.expm1(-apart / OU_MINUTES)
        return faded

    def _masses(self, minutes: Floats) -> Floats:
        layout, best = self.layout, self.best
        held = np.maximum(minutes, 0.0)
        burnt = (layout.overlaps(held) * layout.rates(best)).sum(1)
        more = layout.rate_at(best, held) * self._last_strays * self._since(held)
        before, _, stepped = layout.stand(minutes)
        masses: Floats = self.mass0_kg + before + stepped @ best[layout.steps_from :] - burnt - more
        return masses

    def _rows(self, minutes: Floats) -> Floats:
        layout, best = self.layout, self.best
        held = np.maximum(minutes, 0.0)
        _, _, stepped = layout.stand(minutes)
        rows = layout.rows(self.mass0_kg, layout.overlaps(held) * layout.rates(best), stepped)
        if layout.wanders:
            rows[:, layout.steps_from - 1] -= layout.rate_at(best, held) * self._since(held)
        return rows

    def _ahead(self, minutes: Floats | float) -> Floats:
        """Variance of what a burner strays in so many minutes from a known straying, min²."""
        t = np.maximum(np.asarray(minutes, dtype=float), 0.0) / OU_MINUTES
        shape = 2 * t - 3 + 4 * np.exp(-t) - np.exp(-2 * t)
        found: Floats = (self.strays * OU_MINUTES) ** 2 * np.maximum(shape, 0.0)
        return found

    def _solids(self, minutes: Floats) -> Floats:
        solids: Floats = np.array(self.solids_kg)[self.layout.stand(minutes)[1]]
        return solids

    def masses_kg(self, minutes: Sequence[float]) -> list[float]:
        """Mass in the vessel at each moment, kg."""
        masses: list[float] = self._masses(np.array(minutes, dtype=float)).tolist()
        return masses

    def mass_kg_at(self, minute: float) -> float:
        """Mass in the vessel, kg; before the boil-off begins it is the first mass."""
        return self.masses_kg([minute])[0]

    def burnt_kg(self, minute: float) -> float:
        """Water boiled off up to a minute, kg."""
        return self.mass0_kg + float(self.layout.stand(np.array([minute]))[0][0]) - self.mass_kg_at(minute)

    def brixes(self, minutes: Sequence[float]) -> list[float]:
        """Density on the path at each moment, at most 97 Brix."""
        at = np.array(minutes, dtype=float)
        solids = self._solids(at)
        masses = np.maximum(self._masses(at), solids / (MOST_BRIX / 100))
        brixes: list[float] = (100 * solids / masses).tolist()
        return brixes

    def brix_at(self, minute: float) -> float:
        """Density on the path, at most 97 Brix."""
        return self.brixes([minute])[0]

    def _sigmas_kg(self, minutes: Floats) -> Floats:
        rows = self._rows(minutes)
        variance = np.einsum("ij,jk,ik->i", rows, self.covariance, rows)
        unread = np.maximum(minutes - self.followed_to, 0.0)
        variance += self.rate_kg_per_min**2 * self._ahead(unread)
        sigmas: Floats = np.sqrt(np.maximum(variance, 0.0))
        return sigmas

    def sigmas_brix(self, minutes: Sequence[float]) -> list[float]:
        """One sigma of the path at each moment, Brix."""
        at = np.array(minutes, dtype=float)
        masses = np.maximum(self._masses(at), 1e-9)
        sigmas: list[float] = (np.array(self.brixes(minutes)) * self._sigmas_kg(at) / masses).tolist()
        return sigmas

    def apart(self, minute: float, brix: float, sigma_brix: float, minute_sigma: float) -> float:
        """How far a density lies from the path, in sigmas of both; denser is above 0. In masses, where
        a vague path is not lopsided.

        Args:
            minute: when it was, and minute_sigma how well that is known.
            brix, sigma_brix: the density and one sigma of it.
        """
        at = np.array([minute])
        mass = 100 * float(self._solids(at)[0]) / brix
        rate = float(self.layout.rate_at(self.best, np.maximum(at, 0.0))[0])
        doubt = hypot(float(self._sigmas_kg(at)[0]), mass * sigma_brix / brix, rate * minute_sigma)
        return (float(self._masses(at)[0]) - mass) / doubt

    def sigma_brix_at(self, minute: float) -> float:
        """One sigma of the path, Brix."""
        return self.sigmas_brix([minute])[0]

    def rise_brix_per_min(self, minute: float) -> float:
        """How fast it grows denser."""
        at = np.array([minute])
        rate = float(self.layout.rate_at(self.best, np.maximum(at, 0.0))[0])
        return self.brix_at(minute) * rate / max(self.mass_kg_at(minute), 1e-9)

    def finish(self, target_brix: float, now: float) -> Finish:
        """When the path reaches a density with the heat as it is.

        From the likely paths: what is in the vessel, the burner's level, how it strays now and
        will, and that it may be turned. The draws are the same each time, so that the figures do
        not flicker.
        """
        at = np.array([max(now, 0.0)])
        rows = np.zeros((3, self.layout.size))
        rows[0] = self._rows(at)[0]
        rows[1, self.layout.levels] = 1.0
        unread = max(now - self.followed_to, 0.0)
        fades = exp(-unread / OU_MINUTES)
        if self.layout.wanders:
            rows[2, self.layout.steps_from - 1] = fades
        cov = rows @ self.covariance @ rows.T
        cov[0, 0] += self.rate_kg_per_min**2 * float(self._ahead(unread))
        cov[2, 2] += self.strays**2 * (1 - fades**2)
        root = np.linalg.cholesky(cov + np.diag([1e-12, 1e-10, 1e-10]))
        wanted = 100 * self.solids_kg[-1] / target_brix
        water = float(self._masses(at)[0]) - wanted
        middle = self._minutes(
            np.array([water]),
            np.array([self.best[self.layout.levels]]),
            np.array([self._last_strays * fades]),
            np.zeros((4, 1)),
        )
        draws = _draws()
        off = root @ draws[:3]
        chance, by = self.may_have_changed
        changed = by * (_even() < chance)
        each = self._minutes(
            water + off[0],
            self.best[self.layout.levels] + off[1] + changed,
            self._last_strays * fades + off[2],
            draws[3:],
        )
        low, high = np.quantile(each, [0.05, 0.95]).tolist()
        waits = self._waits(now)
        left = float(middle[0])
        return Finish(
            min(max(left + waits, 0.0), MOST_MINUTES),
            max(min(low, left) + waits, 0.0),
            inf if high > MOST_MINUTES / 2 else max(high, left) + waits,
        )

    def _waits(self, now: float) -> float:
        return max(-now, 0.0)

    def _minutes(self, water: Floats, levels: Floats, strays: Floats, more: Floats) -> Floats:
        """Minutes until so much water is gone, kg, for each draw; below 0 when it is past."""
        rates = np.exp(np.minimum(np.maximum(levels, -12.0), 4.0))
        plain = np.minimum(water / rates, MOST_MINUTES)
        minutes = plain
        for _ in range(4):
            ahead = np.maximum(minutes, 0.0)
            carried = strays * OU_MINUTES * -np.expm1(-ahead / OU_MINUTES)
            unknown = more[0] * np.sqrt(self._ahead(ahead) + (LEVEL_STRAYS_PER_ROOT_MINUTE**2 / 3) * ahead**3)
            turned = more[1] < -np.expm1(-TURNED_PER_MINUTE * (ahead + self.unseen_minutes))
            rest = np.minimum(more[3] * (ahead + self.unseen_minutes), ahead)
            change = turned * -np.expm1(TURNED_SIGMA * more[2]) * rest
            minutes = plain - carried - unknown + np.where(water > 0, change, 0.0)
            minutes = np.where(water > 0, np.maximum(minutes, 0.25 * plain), plain)
        return minutes

    def carried(
        self, brix: float, sigma_brix: float, from_minute: float, to_minute: float
    ) -> tuple[float, float]:
        """What an older reading says of the density now, moved along the path.

        The water lost since is taken off the mass that the reading implies; the rate's own doubt
        over that time is added. Exact for a moment before a step as well.
        """
        at = np.array([from_minute, to_minute])
        mass_before, mass_after = self._masses(at).tolist()
        then, now = self._solids(at).tolist()
        mass_then = 100 * then / brix
        mass_now = max(mass_then + mass_after - mass_before, now / 0.97)
        rows = self._rows(at)
        apart = rows[1] - rows[0]
        went = float(apart @ self.covariance @ apart)
        went += self.rate_kg_per_min**2 * float(
            self._ahead(max(to_minute - max(from_minute, self.followed_to), 0.0))
        )
        sigma_mass = sqrt((mass_then * sigma_brix / brix) ** 2 + max(went, 0.0))
        carried = 100 * now / mass_now
        return carried, carried * sigma_mass / mass_now


@lru_cache(maxsize=1)
def _draws() -> Floats:
    """Points spread evenly over seven dimensions: five normal, and two from 0 to 1."""
    from statistics import NormalDist

    primes = (2, 3, 5, 7, 11, 13, 17)
    normal = NormalDist()
    table = np.empty((7, DRAWS))
    for row, base in enumerate(primes):
        values = [_radical_inverse(i + 20, base) for i in range(DRAWS)]
        uniform = row in (4, 6)
        table[row] = values if uniform else [normal.inv_cdf(v) for v in values]
    return table


@lru_cache(maxsize=1)
def _even() -> Floats:
    """A number from 0 to 1 for each of the points, evenly spread and in no order with theirs."""
    return np.array([_radical_inverse(i + 20, 19) for i in range(DRAWS)])


def _radical_inverse(number: int, base: int) -> float:
    """The digits of a number mirrored at the point: the sequence of van der Corput."""
    share, found = 1.0, 0.0
    while number:
        share /= base
        number, digit = divmod(number, base)
        found += digit * share
    return found

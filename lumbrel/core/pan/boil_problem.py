"""The least-squares problem of one boil."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot, log, sqrt
from typing import NamedTuple

import numpy as np

from lumbrel.core.pan.boil_layout import Layout
from lumbrel.core.pan.boil_lines import (
    AIR,
    CURVE,
    DRIFT,
    DRIFT_SIGMA_K_PER_H,
    LAG,
    SLOPE,
    Densities,
    Density,
    Heat,
    Temperatures,
    Terms,
)
from lumbrel.core.pan.boil_path import OU_MINUTES, STRAYS, UNSEEN_MINUTES, BoilPath
from lumbrel.core.pan.solids import MassStep, solids_after
from lumbrel.core.physics.boil_curve import Floats

CHANGE_SIGMA = 0.35
"""By how much a burner that was turned changes, one sigma of the logarithm."""
STRAYS_KNOWN_AS, LEAST_STRAYS, MOST_STRAYS, STRAYS_ALIKE = 8.0, 0.03, 0.12, (0.87, 1.15)
"""What is expected of a burner's straying counts like so many whiles of it."""
LEAST_SIDE_MINUTES = 2.5
NEAR_COST = 3.0
"""So likely for each reading, a start is near enough."""
PASSES, LEAST_SHARE, CLOSE, CLOSE_AT_FIRST = 25, 1 / 256, 1e-4, 1e-2
KNOT_MINUTES = (1.0, 1.0, 1.0, 1.5, 1.5, 2.0, 2.0, 2.0, 3.0, 3.0, 4.0, 4.0, 6.0, 6.0, 8.0, 10.0)


@dataclass(frozen=True, kw_only=True)
class KnownBefore:
    """What is known of a boil before any reading.

    Args:
        mass_kg, brix: taken in; brix_sigma one sigma of it.
        rate_kg_per_min, rate_sigma: of the vessel, and one sigma of its logarithm.
        start_sigma: minutes by which the beginning of the boil-off may be off.
        steps: additions and draws so far; `step_sigmas_kg` how far each may be off, as water.
        turned: minutes at which somebody turned the burner, or the rate of the sugar in the vessel may
            have changed; `turned_sigmas` by how much, one sigma of the logarithm, where it is not as usual.
        off: whiles without heat.
        curve_sigma_k: how far real syrup boils off the curve, near the finish.
        air_at: minute at which the pressure was known last; None when it is followed.
        strays: share by which this vessel's burner strays.
        drift_k_per_h: by how much the probe in it may drift, one sigma.
    """

    mass_kg: float
    brix: float
    brix_sigma: float
    rate_kg_per_min: float
    rate_sigma: float
    start_sigma: float = 0.0
    steps: tuple[MassStep, ...] = ()
    step_sigmas_kg: tuple[float, ...] = ()
    turned: tuple[float, ...] = ()
    turned_sigmas: tuple[tuple[float, float], ...] = ()
    off: tuple[tuple[float, float], ...] = ()
    curve_sigma_k: float = 0.15
    air_at: float | None = 0.0
    strays: float = STRAYS
    drift_k_per_h: float = DRIFT_SIGMA_K_PER_H


class _Change(NamedTuple):
    """A change of the burner that nobody noted: when, how much it explains, and by how much its rate changed,
    as a logarithm."""

    minute: float
    gain: float
    by: float


@dataclass(frozen=True)
class _Solution:
    best: Floats
    covariance: Floats


class Problem:
    """One boil with its settings of the burner given."""

    def __init__(
        self, known: KnownBefore, densities: Sequence[Density], heat: Sequence[Heat], now: float
    ) -> None:
        self.known = known
        moments = [*(d.minute for d in densities), *(h.minute for h in heat)]
        last = min(max([*moments, 0.0]), now)
        self.layout = layout = Layout.of(known.turned, _knots(last), known.off, known.steps)
        names = {d.shared for d in densities if d.shared} | {h.shared for h in heat}
        common = (CURVE, SLOPE, AIR, LAG, DRIFT) if heat else ()
        self.terms = Terms(
            layout=layout,
            shared=(*sorted(names), *common),
            solids_kg=tuple(solids_after(known.mass_kg * known.brix / 100, known.steps)),
            first_kg=known.mass_kg,
            curve_sigma_k=known.curve_sigma_k,
            air_at=known.air_at,
            drift_k_per_h=known.drift_k_per_h,
        )
        self.size = self.terms.size
        self.densities = Densities(self.terms, densities)
        self.heat = Temperatures(self.terms, heat)
        self._shape = (
            np.linalg.inv(np.linalg.cholesky(_wander(layout.knots, 1.0))) if layout.wanders else None
        )
        """What makes the wanders of unit straying independent."""
        self._held_rows, self._held_values = self._held()
        self._held_normal = self._held_rows.T @ self._held_rows

    def _held(self) -> tuple[Floats, Floats]:
        """What holds the parameters before any reading: rows in sigmas, and their values."""
        known, layout = self.known, self.layout
        eye = np.eye(self.size)
        first = hypot(
            known.brix_sigma / known.brix, known.start_sigma * known.rate_kg_per_min / known.mass_kg
        )
        rows, values = [eye[:1] / first], [np.array([log(known.mass_kg) / first])]
        levels = slice(1, 1 + layout.levels)
        begin = eye[levels].copy()
        # Sugar that is more than thought makes mass and rate for this sugar less by the same share.
        begin[0] = (begin[0] - eye[0]) / known.rate_sigma
        sigmas = dict(known.turned_sigmas)
        for k, at in enumerate(layout.turned, 1):
            begin[k] = (eye[1 + k] - eye[k]) / sigmas.get(at, CHANGE_SIGMA)
        rows.append(begin)
        usual = log(known.rate_kg_per_min / known.mass_kg) / known.rate_sigma
        values.append(np.r_[usual, np.zeros(len(begin) - 1)])
        if self._shape is not None:
            at = layout.wander_from
            rows.append(self._shape / known.strays @ eye[at : at + layout.wanders])
            values.append(np.zeros(layout.wanders))
        for k in range(len(known.steps)):
            sigma = known.step_sigmas_kg[k] if k < len(known.step_sigmas_kg) else 0.0
            rows.append(eye[layout.steps_from + k][None, :] / max(sigma, 1e-3))
            values.append(np.zeros(1))
        rest = eye[layout.size :]
        rows.append(rest)
        values.append(np.zeros(len(rest)))
        return np.concatenate(rows), np.concatenate(values)

    def _start(self) -> tuple[float, int, Floats]:
        """The take-in, and of some rates the one that fits best: the usual one, and those by which the
        last readings would come out. A path that runs dry on its way says nothing of where to go."""
        usual = self.known.rate_kg_per_min
        rates = [usual]
        for lines in (self.densities, self.heat):
            rates += lines.rates_since_the_start(self.known.mass_kg)
        starts = []
        for rate in rates:
            best = np.zeros(self.size)
            best[0] = log(self.known.mass_kg)
            best[1 : 1 + self.layout.levels] = log(min(max(rate, usual / 300), 30 * usual))
            starts.append(best)
        return min(((self.cost(best), i, best) for i, best in enumerate(starts)))

    def cost(self, best: Floats) -> float:
        """Twice the negative logarithm of how likely this path is."""
        held = self._held_rows @ best - self._held_values
        return float(held @ held) + self.densities.cost(best) + self.heat.cost(best)

    def solve(self) -> _Solution:
        """The most likely parameters: first as if every reading were good, which finds the boil from
        wherever it begins; from there wild readings are forgiven."""
        cost, _, best = self._start()
        count = len(self.densities.minutes) + len(self.heat.minutes)
        if cost > NEAR_COST * (count + 1):
            for lines in (self.densities, self.heat):
                lines.forgive(False)
            first, _, start = self._start()
            best = self._descend(start, first, CLOSE_AT_FIRST).copy()
            for lines in (self.densities, self.heat):
                lines.forgive(True)
            cost = self.cost(best)
        best = self._descend(best, cost, CLOSE)
        normal, _ = self._normal(best)
        return _Solution(best, np.asarray(np.linalg.inv(normal), dtype=np.float64))

    def _descend(self, best: Floats, cost: float, close: float) -> Floats:
        for _ in range(PASSES):
            step = np.linalg.solve(*self._normal(best))
            apart = np.max(np.abs(step[1 : 1 + self.layout.levels]))
            # A rate that is to change by more than e in one step overshoots.
            share = min(1.0, 1.0 / max(apart, 1e-9))
            trial = best + share * step
            while (now := self.cost(trial)) > cost and share > LEAST_SHARE:
                share /= 2
                trial = best + share * step
            if now > cost:
                break
            gained, best, cost = cost - now, trial, now
            if gained < close * (1 + cost):
                break
        return best

    def _normal(self, best: Floats) -> tuple[Floats, Floats]:
        """The normal equations of a step from here."""
        normal = self._held_normal.copy()
        right = self._held_rows.T @ (self._held_values - self._held_rows @ best)
        for lines in (self.densities, self.heat):
            if len(lines.minutes):
                rows, misses = lines.lines(best)
                normal += rows.T @ rows
                right = right + rows.T @ misses
        return normal, right

    def unnoted_change(self, found: _Solution) -> "_Change | None":
        """Where one more change of the burner would explain most."""
        layout = self.layout
        last = layout.knots[-1] if layout.knots else 0.0
        first = max([0.0, *self.known.turned])
        inner = [k for k in layout.knots if first + LEAST_SIDE_MINUTES <= k <= last - LEAST_SIDE_MINUTES]
        if not inner:
            return None
        # What a step at a knot adds to every line: as if the level were another from there on.
        after = np.array(layout.begins)[:, None] >= np.array(inner)
        freedom, right = np.zeros(len(inner)), np.zeros(len(inner))
        inside = np.zeros((self.size, len(inner)))
        for lines in (self.densities, self.heat):
            burnt, per_kg = lines.in_sigmas(found.best)
            columns = (burnt @ after) * -per_kg[:, None]
            rows, misses = lines.lines(found.best)
            inside += rows.T @ columns
            freedom += (columns**2).sum(0)
            right += columns.T @ misses
        freedom -= np.einsum("ij,ij->j", inside, found.covariance @ inside)
        held = freedom + CHANGE_SIGMA**-2
        gains = right**2 / held
        best = int(gains.argmax())
        return _Change(inner[best], float(gains[best]), float(right[best] / held[best]))

    def strays_seen(self, found: _Solution) -> float:
        """By how much this burner strays, as far as its run shows."""
        layout = self.layout
        count, at = layout.wanders, layout.wander_from
        shape = self._shape
        if shape is None:
            return self.known.strays
        which = slice(at, at + count)
        seen = float(((shape @ found.best[which]) ** 2).sum())
        unseen = float(np.trace(shape @ found.covariance[which, which] @ shape.T))
        mean = (STRAYS_KNOWN_AS * self.known.strays**2 + seen + unseen) / (STRAYS_KNOWN_AS + count)
        return min(max(sqrt(mean), LEAST_STRAYS), MOST_STRAYS)

    def path(self, found: _Solution, strays_seen: float) -> BoilPath:
        """The result."""
        size = self.layout.size
        return BoilPath(
            layout=self.layout,
            best=found.best[:size],
            covariance=found.covariance[:size, :size],
            solids_kg=self.terms.solids_kg,
            shared=tuple(zip(self.terms.shared, found.best[size:].tolist(), strict=True)),
            strays=self.known.strays,
            strays_seen=strays_seen,
            unseen_minutes=UNSEEN_MINUTES[0 if self.heat.live else 1],
            density_weights=self.densities.weights(found.best),
            heat_weights=self.heat.weights(found.best),
            cost=self.cost(found.best),
        )


def _knots(last: float) -> tuple[float, ...]:
    """Bounds of the whiles in which the rate may stray: close together near the end."""
    if last < 1.0:
        return ()
    knots, at = [last], last
    for width in (*KNOT_MINUTES, *(12.0,) * 6):
        at -= width
        if at < 1.0:
            break
        knots.append(at)
    return (0.0, *reversed(knots))


def _wander(knots: Sequence[float], strays: float) -> Floats:
    """Covariance of the mean straying in each while: it is forgotten in minutes."""
    bounds = np.array(knots)
    widths = np.diff(bounds) / OU_MINUTES
    middles = (bounds[1:] + bounds[:-1]) / (2 * OU_MINUTES)
    own = 2 * (widths - 1 + np.exp(-widths)) / widths**2
    damped = -np.expm1(-widths) / widths
    gaps = np.abs(middles[:, None] - middles) - (widths[:, None] + widths) / 2
    between = np.outer(damped, damped) * np.exp(-np.maximum(gaps, 0.0))
    np.fill_diagonal(between, own)
    whole: Floats = strays**2 * (between + 1e-9 * np.eye(len(own)))
    return whole

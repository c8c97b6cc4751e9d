"""Readings of a boil as a fit needs them: how far each lies from a path, and what moves it.

A density and a boiling temperature are different witnesses of one mass; each has errors of its own and
errors that it shares.
"""

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, log
from typing import NamedTuple

import numpy as np

from lumbrel.core.pan.boil_layout import Layout
from lumbrel.core.physics.boil_curve import Floats, boil_curves
from lumbrel.words import _

CURVE, SLOPE, AIR, LAG = (_("the boiling curve"), _("its steepness"), _("the air"), _("the probe's lag"))
DRIFT, DRIFT_SIGMA_K_PER_H = _("the probe's drift"), 0.1
SLOPE_SIGMA, AIR_SIGMA_K_PER_H = 0.025, 0.05
LAG_MINUTES, LAG_SIGMA_MINUTES = 0.33, 0.17
"""A probe shows what was so long ago: 5 to 40 seconds."""
FORGIVES_TYPED, FORGIVES_LIVE, FORGIVES_NONE = 4.0, 8.0, 1e7
"""Degrees of freedom of the loss: the fewer, the sooner a reading counts as wild."""
DENSEST_BRIX, THINNEST_BRIX = 92.0, 1.0
MOST_LOG_MASS = 12.0


class Density(NamedTuple):
    """A density read from a cup, a drop, a depth, a sign.

    Args:
        minute: when it was dipped, since the boil-off began.
        brix, sigma_brix: corrected, and the part of its error that is its own.
        shared, shared_sigma_brix: the error it shares with others of its instrument.
        minute_sigma: how well the moment is known.
        bound: it only says that the density is under `brix`.
        by_solids: read as a mass, and the density worked out with the sugar taken in.
    """

    minute: float
    brix: float
    sigma_brix: float
    shared: str = ""
    shared_sigma_brix: float = 0.0
    minute_sigma: float = 0.0
    bound: bool = False
    by_solids: bool = False


class Heat(NamedTuple):
    """A boiling temperature, corrected by its thermometer's calibration.

    Args:
        minute: since the boil-off began.
        temperature_c: degC; sigma_k its own part of the error.
        shared, shared_sigma_k: the thermometer and what its calibration may be wrong by.
        station_pressure_pa, invert_fraction: of the boil.
        live: from a probe that stands in it and lags, not typed.
        minute_sigma: how well the moment is known.
    """

    minute: float
    temperature_c: float
    sigma_k: float
    shared: str
    shared_sigma_k: float
    station_pressure_pa: float
    invert_fraction: float
    live: bool = True
    minute_sigma: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Terms:
    """What a fit's parameters are: those of the path, and the errors that readings share.

    Args:
        layout: of the path's parameters, which come first.
        shared: names of the shared errors, in the order of the last parameters, in their sigmas.
        solids_kg: in the vessel before the first step and after each.
        first_kg: taken in, as it was weighed.
        curve_sigma_k: how far real syrup boils off the curve.
        air_at: minute at which the pressure was known last; None when it is followed.
        drift_k_per_h: by how much a probe may drift, one sigma.
    """

    layout: Layout
    shared: tuple[str, ...]
    solids_kg: tuple[float, ...]
    first_kg: float
    curve_sigma_k: float
    air_at: float | None
    drift_k_per_h: float = DRIFT_SIGMA_K_PER_H

    @property
    def size(self) -> int:
        """How many parameters there are."""
        return self.layout.size + len(self.shared)

    def column(self, name: str) -> int:
        """Where a shared error stands among them."""
        return self.layout.size + self.shared.index(name)


class BoilState(NamedTuple):
    """Readings of a kind on one path: what a kilogram moves them by, and how far they lie off."""

    burnt: Floats
    per_kg: Floats
    """In the reading's own unit."""
    sigma: Floats
    common: Floats
    """How each depends on the errors it shares."""
    misses: Floats
    """In sigmas."""
    weights: Floats


class Lines(ABC):
    """What kinds of reading have in common: minutes, steps before them, what burnt until then."""

    forgives: Floats
    """Degrees of freedom of Student's t, one to a reading."""

    def __init__(self, terms: Terms, minutes: Floats, forgives: Floats) -> None:
        self._forgives = self.forgives = forgives
        self.terms, self.minutes = terms, minutes
        layout = terms.layout
        self._overlaps = layout.overlaps(minutes)
        self._before, passed, self._stepped = layout.stand(minutes)
        self._whiles = layout.while_of(minutes)
        self._hundred: Floats = 100 * np.array(terms.solids_kg)[passed]
        self._last: tuple[Floats, BoilState] | None = None

    def forgive(self, wild: bool) -> None:
        """Whether wild readings are forgiven."""
        self.forgives = self._forgives if wild else np.full(len(self.minutes), FORGIVES_NONE)
        self._last = None

    def at(self, best: Floats) -> BoilState:
        """How they stand on a path; the last one is remembered."""
        if self._last is None or self._last[0] is not best:
            self._last = (best, self._stand(best))
        return self._last[1]

    def _stand(self, best: Floats) -> BoilState:
        layout = self.terms.layout
        rates = layout.rates(best)
        burnt = self._overlaps * rates
        first = exp(min(best[0], MOST_LOG_MASS))
        mass = first + self._before - burnt.sum(1)
        if layout.steps:
            mass += self._stepped @ best[layout.steps_from : layout.size]
        # Held where a density has a meaning.
        mass = np.minimum(np.maximum(mass, self._hundred / DENSEST_BRIX), self._hundred / THINNEST_BRIX)
        brix = self._hundred / mass
        denser = brix / mass * layout.rate_in(rates, self._whiles)
        return self._read(best, burnt, brix, brix / mass, denser)

    @abstractmethod
    def _read(self, best: Floats, burnt: Floats, brix: Floats, per_kg: Floats, denser: Floats) -> BoilState:
        """From the density at each, what a kilogram makes of it and how fast it grows."""

    def _weights(self, misses: Floats) -> Floats:
        """How much each counts: little when it is wild."""
        weights: Floats = (self.forgives + 1) / (self.forgives + misses**2)
        return weights

    def rates_since_the_start(self, mass_kg: float) -> list[float]:
        """The mean rate by which the last of them would come out, kg/min."""
        brix = self._brix_alone()
        known = np.flatnonzero((brix > THINNEST_BRIX) & (self._overlaps.sum(1) > 0))
        found = []
        for i in known[-1:]:
            burnt = mass_kg + self._before[i] - self._hundred[i] / brix[i]
            found.append(float(burnt / self._overlaps[i].sum()))
        return [rate for rate in found if rate > 0]

    @abstractmethod
    def _brix_alone(self) -> Floats:
        """The density that each speaks of by itself; not a number where it speaks of none."""

    def weights(self, best: Floats) -> tuple[float, ...]:
        """How much each counts on a path."""
        return tuple(self.at(best).weights.tolist()) if len(self.minutes) else ()

    def cost(self, best: Floats) -> float:
        """Of all, by Student's t."""
        if not len(self.minutes):
            return 0.0
        misses, forgives = self.at(best).misses, self.forgives
        return float(((forgives + 1) * np.log1p(misses**2 / forgives)).sum())

    def lines(self, best: Floats) -> tuple[Floats, Floats]:
        """Rows and misses, in weighted sigmas."""
        if not len(self.minutes):
            return np.zeros((0, self.terms.size)), np.zeros(0)
        now, layout = self.at(best), self.terms.layout
        roots = np.sqrt(now.weights)
        rows = now.common.copy()
        rows[:, : layout.size] += now.per_kg[:, None] * layout.rows(
            exp(min(best[0], MOST_LOG_MASS)), now.burnt, self._stepped
        )
        return rows * (roots / now.sigma)[:, None], -now.misses * roots

    def in_sigmas(self, best: Floats) -> tuple[Floats, Floats]:
        """What burnt in each while until each, and what a kilogram moves it by, weighted."""
        if not len(self.minutes):
            return self._overlaps, np.zeros(0)
        now = self.at(best)
        return now.burnt, now.per_kg / now.sigma * np.sqrt(now.weights)


class Densities(Lines):
    """Densities read."""

    def __init__(self, terms: Terms, read: Sequence[Density]) -> None:
        minutes = np.array([d.minute for d in read])
        super().__init__(terms, minutes, np.full(len(read), FORGIVES_TYPED))
        self._brix: Floats = np.array([d.brix for d in read])
        self._own: Floats = np.array([d.sigma_brix for d in read])
        self._dated: Floats = np.array([d.minute_sigma for d in read])
        self._by_solids: Floats = np.array([float(d.by_solids) for d in read])
        self._common = np.zeros((len(read), terms.size))
        for i, one in enumerate(read):
            if one.shared:
                self._common[i, terms.column(one.shared)] = one.shared_sigma_brix

    def _brix_alone(self) -> Floats:
        return self._brix

    def _read(self, best: Floats, burnt: Floats, brix: Floats, per_kg: Floats, denser: Floats) -> BoilState:
        sigma = np.sqrt(self._own**2 + (denser * self._dated) ** 2)
        apart = (brix + self._common @ best - self._brix) / sigma
        common = self._common
        if self._by_solids.any():
            # The solids held fixed, more water than was weighed means less sugar than was thought;
            # of that a mass knows nothing.
            common = common.copy()
            common[:, 0] += brix * self._by_solids
            apart += brix * self._by_solids * (best[0] - log(self.terms.first_kg)) / sigma
        return BoilState(
            burnt=burnt,
            per_kg=-per_kg,
            sigma=sigma,
            common=common,
            misses=apart,
            weights=self._weights(apart),
        )


class Temperatures(Lines):
    """Boiling temperatures."""

    def __init__(self, terms: Terms, read: Sequence[Heat]) -> None:
        live = np.array([h.live for h in read], dtype=bool)
        minutes = np.array([h.minute for h in read])
        super().__init__(
            terms,
            np.maximum(minutes - np.where(live, LAG_MINUTES, 0.0), 0.0),
            np.where(live, FORGIVES_LIVE, FORGIVES_TYPED),
        )
        self.live = bool(live.any())
        self._shown = np.array([h.temperature_c for h in read])
        self._own: Floats = np.array([h.sigma_k for h in read])
        self._dated: Floats = np.array([h.minute_sigma for h in read])
        self._lags: Floats = -LAG_SIGMA_MINUTES * live
        self._curves = boil_curves(
            tuple(h.station_pressure_pa for h in read), tuple(h.invert_fraction for h in read)
        )
        self._shared = np.zeros((len(read), terms.size))
        if read:
            self._shared[:, terms.column(CURVE)] = terms.curve_sigma_k
            self._slope, self._lag = terms.column(SLOPE), terms.column(LAG)
            if terms.air_at is not None:
                hours = (minutes - terms.air_at) / 60
                self._shared[:, terms.column(AIR)] = AIR_SIGMA_K_PER_H * hours
            self._shared[:, terms.column(DRIFT)] = terms.drift_k_per_h * live * minutes / 60
        for i, one in enumerate(read):
            self._shared[i, terms.column(one.shared)] = one.shared_sigma_k

    def _brix_alone(self) -> Floats:
        return self._curves.brix_of(self._shown)

    def _read(self, best: Floats, burnt: Floats, brix: Floats, per_kg: Floats, denser: Floats) -> BoilState:
        if not len(brix):
            return BoilState(burnt, brix, brix, self._shared, misses=brix, weights=brix)
        boils, per_brix = self._curves.at(brix)
        rises = per_brix * denser
        common = self._shared.copy()
        common[:, self._slope] = SLOPE_SIGMA * (boils - self._curves.water_c)
        common[:, self._lag] = self._lags * rises
        sigma = np.sqrt(self._own**2 + (rises * self._dated) ** 2)
        misses = (boils + common @ best - self._shown) / sigma
        return BoilState(
            burnt=burnt,
            per_kg=-per_brix * per_kg,
            sigma=sigma,
            common=common,
            misses=misses,
            weights=self._weights(misses),
        )

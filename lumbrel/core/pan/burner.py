"""Was the burner changed? Where the mass balance bends, and how the rate changed there."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from lumbrel.core.pan.fitted_boil import BoilFit, HeatReading
from lumbrel.core.physics.boil_curve import Floats, boil_curves

Places = int | NDArray[np.intp]

LEAST_SIDE_POINTS = 4
LEAST_SIDE_MINUTES = 3.0
SURE_CHI2 = 18.0
LEAST_CHANGE = 0.15
THINNEST_BRIX = 38.0
"""Below it a temperature says too little of the mass to tell one rate from another."""
MOST_CHANGES = 3


class _Lines:
    """Weighted lines through stretches of points, from running sums: any stretch costs the same."""

    def __init__(self, minutes: Floats, masses: Floats, weights: Floats) -> None:
        self.minutes, y = minutes, masses - masses[0]
        terms = np.array([np.ones_like(y), minutes, y, minutes**2, minutes * y, y**2]) * weights
        self._sums = np.concatenate([np.zeros((1, 6)), np.cumsum(terms.T, axis=0)])

    def through(self, start: Places, end: Places) -> tuple[Floats, Floats, Floats]:
        """Slopes, their variances, and chi-squared of the lines through points start..end."""
        w, x, y, xx, xy, yy = (self._sums[end] - self._sums[start]).T
        det = np.maximum(w * xx - x * x, 1e-12)
        slope = (w * xy - x * y) / det
        level = (y - slope * x) / w
        return slope, w / det, np.maximum(yy - level * y - slope * xy, 0.0)


def rate_changes(fitted: BoilFit, heat: Sequence[HeatReading]) -> list[float]:
    """Minutes at which the rate of boiling off changed, oldest first.

    Each temperature is turned into a mass with the fit's own idea of the thermometer's offset;
    a stretch is cut where two lines serve so much better than one that chance cannot be the
    reason, and the rates differ by more than a seventh.

    Args:
        fitted: the boil, fitted so far.
        heat: boiling temperatures in order of time.
    """
    if len(heat) < 2 * LEAST_SIDE_POINTS:
        return []
    offsets = dict(fitted.shared)
    curves = boil_curves(
        tuple(h.station_pressure_pa for h in heat), tuple(h.invert_fraction for h in heat)
    )
    own = [h.temperature_c - offsets.get(h.shared, 0.0) * h.shared_sigma_k for h in heat]
    brixes = curves.brix_of(np.array(own))
    slopes = curves.at(np.nan_to_num(brixes))[1]
    dense = brixes >= THINNEST_BRIX
    if dense.sum() < 2 * LEAST_SIDE_POINTS:
        return []
    minutes = np.array([h.minute for h in heat])[dense]
    passed = np.searchsorted([step.minute for step in fitted.steps], minutes, side="right")
    masses = 100 * np.array(fitted.solids_kg)[passed] / brixes[dense]
    sigmas = np.array([h.sigma_k for h in heat])[dense] / slopes[dense] * masses / brixes[dense]
    added_kg = np.cumsum([0.0, *(step.mass_kg for step in fitted.steps)])[passed]
    cuts: list[int] = []
    _cut(_Lines(minutes, masses - added_kg, sigmas**-2), 0, len(minutes), cuts)
    return [float(minutes[cut - 1] + minutes[cut]) / 2 for cut in sorted(cuts)]


def _cut(lines: _Lines, start: int, end: int, cuts: list[int]) -> None:
    """Cut a stretch where it bends most, if it surely does, and look at both halves again."""
    if len(cuts) >= MOST_CHANGES or end - start < 2 * LEAST_SIDE_POINTS:
        return
    places = np.arange(start + LEAST_SIDE_POINTS, end - LEAST_SIDE_POINTS + 1)
    minutes = lines.minutes
    sides = np.minimum(minutes[places - 1] - minutes[start], minutes[end - 1] - minutes[places])
    places = places[sides >= LEAST_SIDE_MINUTES]
    if not places.size:
        return
    before, var_b, chi_b = lines.through(start, places)
    after, var_a, chi_a = lines.through(places, end)
    gains = lines.through(start, end)[2] - chi_b - chi_a
    i = int(gains.argmax())
    apart = abs(after[i] - before[i])
    if (
        gains[i] < SURE_CHI2
        or apart < LEAST_CHANGE * max(abs(before[i]), abs(after[i]))
        or apart**2 < 9 * (var_a[i] + var_b[i])
    ):
        return
    best = int(places[i])
    cuts.append(best)
    _cut(lines, start, best, cuts)
    _cut(lines, best, end, cuts)

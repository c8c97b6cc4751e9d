"""Was the burner changed? Where the mass balance bends, and how the rate changed there."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate

from lumbrel.core.errors import OutOfRange
from lumbrel.core.finishing.path import BoilFit, HeatReading
from lumbrel.core.physics.boil_curve import boil_curve

LEAST_SIDE_POINTS = 4
LEAST_SIDE_MINUTES = 3.0
SURE_CHI2 = 18.0
LEAST_CHANGE = 0.15
THINNEST_BRIX = 38.0
"""Below it a temperature says too little of the mass to tell one rate from another."""
MOST_CHANGES = 3


@dataclass(frozen=True)
class _Sums:
    """Running sums of weighted points, so that any stretch's line costs the same."""

    w: list[float]
    x: list[float]
    y: list[float]
    xx: list[float]
    xy: list[float]
    yy: list[float]

    def line(self, start: int, end: int) -> tuple[float, float, float]:
        """Slope, its variance, and chi-squared of the weighted line through points start..end."""
        w, x, y = (s[end] - s[start] for s in (self.w, self.x, self.y))
        xx, xy, yy = (s[end] - s[start] for s in (self.xx, self.xy, self.yy))
        det = w * xx - x * x
        if det <= 1e-12:
            return 0.0, float("inf"), 0.0
        slope = (w * xy - x * y) / det
        level = (y - slope * x) / w
        chi2 = yy - level * y - slope * xy
        return slope, w / det, max(chi2, 0.0)


def rate_changes(fitted: BoilFit, heat: Sequence[HeatReading]) -> list[float]:
    """Minutes at which the rate of boiling off changed, oldest first.

    Each temperature is turned into a mass with the fit's own idea of the thermometer's offset;
    a stretch is cut where two lines serve so much better than one that chance cannot be the
    reason, and the rates differ by more than a seventh.

    Args:
        fitted: the boil, fitted so far.
        heat: boiling temperatures in order of time.
    """
    offsets = dict(fitted.shared)
    minutes: list[float] = []
    masses: list[float] = []
    weights: list[float] = []
    for hot in heat:
        curve = boil_curve(hot.station_pressure_pa, hot.invert_fraction)
        true = hot.temperature_c - offsets.get(hot.shared, 0.0) * hot.shared_sigma_k
        try:
            brix = curve.brix_of(true)
        except OutOfRange:
            continue
        if brix < THINNEST_BRIX:
            continue
        passed = fitted._steps_until(hot.minute)
        mass = 100 * fitted.solids_kg[passed] / brix
        sigma = hot.sigma_k / curve.at(brix)[1] * mass / brix
        minutes.append(hot.minute)
        masses.append(mass - sum(step.mass_kg for step in fitted.steps[:passed]))
        weights.append(sigma**-2)
    if len(minutes) < 2 * LEAST_SIDE_POINTS:
        return []
    origin = masses[0]
    shifted = [mass - origin for mass in masses]

    def sums(values: Sequence[float]) -> list[float]:
        return [0.0, *accumulate(w * v for w, v in zip(weights, values, strict=True))]

    known = _Sums(
        sums([1.0] * len(minutes)), sums(minutes), sums(shifted), sums([m * m for m in minutes]),
        sums([m * v for m, v in zip(minutes, shifted, strict=True)]), sums([v * v for v in shifted]),
    )  # fmt: skip
    cuts: list[int] = []
    _cut(known, minutes, 0, len(minutes), cuts)
    return [(minutes[cut - 1] + minutes[cut]) / 2 for cut in sorted(cuts)]


def _cut(known: _Sums, minutes: Sequence[float], start: int, end: int, cuts: list[int]) -> None:
    """Cut a stretch where it bends most, if it surely does, and look at both halves again."""
    if len(cuts) >= MOST_CHANGES or end - start < 2 * LEAST_SIDE_POINTS:
        return
    whole = known.line(start, end)[2]
    best, gain = 0, 0.0
    for cut in range(start + LEAST_SIDE_POINTS, end - LEAST_SIDE_POINTS + 1):
        sides = minutes[cut - 1] - minutes[start], minutes[end - 1] - minutes[cut]
        if min(sides) < LEAST_SIDE_MINUTES:
            continue
        found = whole - known.line(start, cut)[2] - known.line(cut, end)[2]
        if found > gain:
            best, gain = cut, found
    if not best or gain < SURE_CHI2:
        return
    (before, var_b, _), (after, var_a, _) = known.line(start, best), known.line(best, end)
    apart = abs(after - before)
    if apart < LEAST_CHANGE * max(abs(before), abs(after)) or apart**2 < 9 * (var_a + var_b):
        return
    cuts.append(best)
    _cut(known, minutes, start, best, cuts)
    _cut(known, minutes, best, end, cuts)

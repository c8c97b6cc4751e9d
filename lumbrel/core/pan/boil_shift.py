"""Each woodlot's syrup boils a little off the curve: its minerals and its invert sugar are its own.

What was read cold after a draw, held against the temperature at which it was drawn, tells by how much.
"""

from collections.abc import Sequence
from math import hypot, sqrt
from typing import NamedTuple

from lumbrel.core.pan.solids import carry_over_brix
from lumbrel.core.physics import sucrose

BETWEEN_K = 0.1
"""One sigma by which the draws of one woodlot differ from each other."""
CARRIED_SIGMA_BRIX = 0.2


class ShiftSeen(NamedTuple):
    """What one draw showed: how much hotter than believed it boiled, K; one sigma; and what of that
    the draws of a woodlot share, as the same stem read them all."""

    shift_k: float
    sigma_k: float
    shared_k: float


class Shift(NamedTuple):
    """By how much a woodlot's syrup boils hotter than the curve says, K, one sigma of it, and how many
    draws taught it."""

    k: float
    sigma_k: float
    draws: int


def seen_at(
    rise_k: float,
    rise_sigma_k: float,
    cold_brix: float,
    cold_sigma_brix: float,
    *,
    pressure_pa: float,
    invert_fraction: float,
    carry_over_fraction: float,
) -> ShiftSeen:
    """What a draw and its cold reading teach.

    Args:
        rise_k, rise_sigma_k: above water's boil, K, as its thermometer showed at the draw.
        cold_brix, cold_sigma_brix: of the first cold reading, corrected; 40 to 90.
        pressure_pa: at the draw.
        invert_fraction: of the solids.
        carry_over_fraction: of the mass that boils off the hot vessel after the draw.
    """
    at_draw = cold_brix - carry_over_brix(cold_brix, carry_over_fraction)
    believed = sucrose.boiling_point_c(at_draw, pressure_pa, invert_fraction)
    water = sucrose.boiling_point_c(0.0, pressure_pa, invert_fraction)
    slope = sucrose.boiling_slope_k_per_brix(at_draw, pressure_pa, invert_fraction)
    cold = slope * cold_sigma_brix
    sigma = hypot(rise_sigma_k, cold, slope * CARRIED_SIGMA_BRIX)
    return ShiftSeen(rise_k - (believed - water), sigma, cold)


def learnt(seen: Sequence[ShiftSeen], before_sigma_k: float) -> Shift:
    """A woodlot's shift from its draws; without any, none, and as unsure as any syrup.

    Args:
        seen: its draws.
        before_sigma_k: how far syrup of its kind lies off the curve, one sigma.
    """
    if not seen:
        return Shift(0.0, before_sigma_k, 0)
    weights = [1 / (one.sigma_k**2 + BETWEEN_K**2) for one in seen]
    whole = sum(weights) + before_sigma_k**-2
    mean = sum(w * one.shift_k for w, one in zip(weights, seen, strict=True)) / whole
    shared = sum(one.shared_k for one in seen) / len(seen)
    sigma = sqrt(1 / whole + BETWEEN_K**2 + shared**2)
    return Shift(mean, min(sigma, before_sigma_k), len(seen))

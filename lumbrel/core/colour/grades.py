"""Colour classes by light transmittance at 560 nm through 10 mm, glycerol as 100 %.

Source: the legal colour classes of syrup; Beer and Lambert's law for path and blend.
"""

from collections.abc import Sequence
from math import erf, log10, sqrt

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.words import _

CLASSES: tuple[tuple[str, float, float], ...] = (
    (_("Golden"), 75.0, 100.0),
    (_("Amber"), 50.0, 75.0),
    (_("Dark"), 25.0, 50.0),
    (_("Very Dark"), 0.0, 25.0),
)
METER_SIGMA_POINTS = 1.0


def transmittance_10mm_percent(transmittance_percent: float, path_length_mm: float) -> float:
    """Transmittance as it would be through 10 mm, percent.

    Args:
        transmittance_percent: measured, above 0 to 100.
        path_length_mm: inner width of the vial, 1 to 100.
    Raises:
        OutOfRange: a value lies outside its range.
    Example: 64 % through 20 mm is 80 % through 10.
    """
    if not 0 < transmittance_percent <= 100:
        raise OutOfRange(
            _("Transmittance must be above 0 and at most 100 percent of the glycerol blank."),
            "transmittance_percent",
        )
    require_between(path_length_mm, 1.0, 100.0, field="path_length_mm", what=_("The path length"), unit="mm")
    return float(100 * (transmittance_percent / 100) ** (10 / path_length_mm))


def colour_class(transmittance_10mm: float) -> str:
    """Name of the colour class for a transmittance through 10 mm, percent."""
    require_between(
        transmittance_10mm, 0.0, 100.0, field="transmittance_percent", what=_("Transmittance"), unit="%"
    )
    return next(name for name, low, _any in CLASSES if transmittance_10mm >= low)


def chances(transmittance_10mm: float, sigma_points: float = METER_SIGMA_POINTS) -> dict[str, float]:
    """Chance of each class, given the reading's sigma, summing to 1.

    Args:
        transmittance_10mm: percent, 0 to 100.
        sigma_points: one sigma, percentage points, above 0 to 30.
    """
    require_between(
        transmittance_10mm, 0.0, 100.0, field="transmittance_percent", what=_("Transmittance"), unit="%"
    )
    if not 0 < sigma_points <= 30:
        raise OutOfRange(_("The uncertainty must be above 0 and at most 30 points."), "uncertainty")

    def below(border: float) -> float:
        return 0.5 * (1 + erf((border - transmittance_10mm) / (sigma_points * sqrt(2))))

    uppers = {name: 1.0 if high == 100 else below(high) for name, _any, high in CLASSES}
    lowers = {name: 0.0 if low == 0 else below(low) for name, low, _any in CLASSES}
    return {name: max(uppers[name] - lowers[name], 0.0) for name, _any, _other in CLASSES}


LEAST_PART_L = 1e-6


def blend_transmittance_percent(parts: Sequence[tuple[float, float]]) -> float:
    """Transmittance through 10 mm of a blend: absorbance adds by volume fraction.

    Args:
        parts: one or more of (volume in L from 0.000001, transmittance through 10 mm in percent,
            above 0 to 100), of the same density.
    Raises:
        OutOfRange: there is no part, or a value lies outside its range.
    """
    if not parts:
        raise OutOfRange(_("Give at least one part of the blend."), "parts")
    absorbance = total = 0.0
    for volume, transmittance in parts:
        if not LEAST_PART_L <= volume <= 100_000:
            raise OutOfRange(_("A part's volume must be between 0.000001 and 100 000 L."), "parts")
        t10 = transmittance_10mm_percent(transmittance, 10.0)
        absorbance -= volume * log10(t10 / 100)
        total += volume
    return float(100 * 10 ** (-absorbance / total))

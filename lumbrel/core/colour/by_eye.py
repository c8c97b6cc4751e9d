"""A colour held against references by eye: it is lighter than one, like one, or between two."""

from collections.abc import Sequence
from math import erf, sqrt
from typing import NamedTuple

from lumbrel.core.colour.grades import CLASSES, transmittance_10mm_percent
from lumbrel.core.errors import OutOfRange
from lumbrel.words import _

EYE_SIGMA_POINTS = 4.0
"""One sigma of where the eye sees two colours alike, percentage points."""
LIGHTEST, DARKEST = 98.0, 2.0


class SeenByEye(NamedTuple):
    """What the eye said: transmittance through 10 mm, percent, the limits it lies between, and the chance
    of each class."""

    transmittance_percent: float
    low_percent: float
    high_percent: float
    chances: dict[str, float]


def seen_between(
    lighter: float | None, darker: float | None, reference_path_mm: float, vial_path_mm: float
) -> SeenByEye:
    """The colour of a sample by the references it lies between; alike when both are the same.

    Args:
        lighter, darker: transmittances of the two references through 10 mm, percent; None when it is
            lighter, or darker, than all of them.
        reference_path_mm: of the vials that the references stand for, 1 to 100.
        vial_path_mm: of the sample's vial, 1 to 100: what is looked through more looks darker than it is.
    Raises:
        OutOfRange: there is no reference, or they are the wrong way round.
    """
    if lighter is None and darker is None:
        raise OutOfRange(_("Say beside which reference it lies."), "seen")
    high = LIGHTEST if lighter is None else lighter
    low = DARKEST if darker is None else darker
    if low > high:
        raise OutOfRange(_("The lighter reference lets more light through than the darker."), "seen")
    share = 10.0 * vial_path_mm / reference_path_mm
    high, low = (transmittance_10mm_percent(max(t, 0.1), share) for t in (high, low))
    chances = {name: _chance(low, high, bottom, top) for name, bottom, top in CLASSES}
    whole = sum(chances.values())
    return SeenByEye((low + high) / 2, low, high, {name: chance / whole for name, chance in chances.items()})


def _chance(low: float, high: float, bottom: float, top: float) -> float:
    """That it lies within a class: anywhere between its limits alike, each seen only so well."""
    floor = -1e9 if bottom == 0 else bottom
    ceiling = 1e9 if top == 100 else top
    return _below(low, high, ceiling) - _below(low, high, floor)


def _below(low: float, high: float, border: float) -> float:
    """That it lies under a border: the mean of normal curves with their middles between two limits."""
    if abs(border) > 1e8:
        return float(border > 0)
    if high - low < 1e-6:
        return 0.5 * (1 + erf((border - low) / (EYE_SIGMA_POINTS * sqrt(2))))
    points: Sequence[float] = [low + (high - low) * (i + 0.5) / 64 for i in range(64)]
    return sum(0.5 * (1 + erf((border - p) / (EYE_SIGMA_POINTS * sqrt(2)))) for p in points) / 64


REFERENCES: tuple[float, ...] = (87.0, 75.0, 62.0, 50.0, 37.0, 25.0, 12.0)
"""A row to hold a vial against: the borders of the classes, and the middle of each; percent."""

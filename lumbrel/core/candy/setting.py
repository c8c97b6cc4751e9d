"""Whether a syrup will set: invert sugar keeps it from crystallizing, and dark late syrup has most of it."""

from dataclasses import dataclass
from math import erf, sqrt

from lumbrel.core.candy.confections import Confection, invert_percent_from_glucose_meter
from lumbrel.core.errors import OutOfRange
from lumbrel.words import _

NEVER_PERCENT = 4.0
"""Above it nothing sets."""
METER_SHARE, METER_LEAST = 0.15, 0.15
"""One sigma of a home meter on diluted syrup, as a share, and percent of invert at the least."""
BY_GRADE: dict[str, tuple[float, float]] = {
    "Golden": (0.6, 0.4),
    "Amber": (1.0, 0.7),
    "Dark": (1.8, 1.1),
    "Very Dark": (3.0, 1.8),
    "": (1.5, 1.3),
}
"""Invert sugar by colour class and one sigma, percent of the syrup: a made-up beginning, as wide as it is."""
LATE_DAYS, LATE_ADDS = 30.0, 0.6
"""A syrup boiled so many days after the season's first has so much more of it, percent."""
YEAR_ADDS = 0.2
"""In the jar it gains that a year."""
BIRCH = (58.0, 4.0)
"""Birch sugar is nearly all of it."""


@dataclass(frozen=True)
class Invert:
    """Invert sugar of a syrup, percent, and one sigma."""

    percent: float
    sigma: float

    def below(self, limit: float) -> float:
        """The chance that it is below a limit, of what it can be: it is never less than none."""
        none = _normal((0.0 - self.percent) / self.sigma)
        return min(max((_normal((limit - self.percent) / self.sigma) - none) / (1 - none), 0.0), 1.0)


def _normal(x: float) -> float:
    return 0.5 * (1 + erf(x / sqrt(2)))


def estimated(grade: str, sugar_kind: str, days_into_season: float = 0.0, years: float = 0.0) -> Invert:
    """What a syrup is likely to have when nobody measured it.

    Args:
        grade: its colour class; empty when it has none.
        sugar_kind: maple, walnut or birch.
        days_into_season: when it was boiled, from the season's first boil; 0 and up.
        years: how long it stands in its jar.
    """
    if sugar_kind == "birch":
        return Invert(*BIRCH)
    percent, sigma = BY_GRADE.get(grade, BY_GRADE[""])
    late = LATE_ADDS * min(max(days_into_season, 0.0) / LATE_DAYS, 2.0) - LATE_ADDS / 2
    return Invert(max(percent + late + YEAR_ADDS * max(years, 0.0), 0.1), sigma)


def measured(reading_mg_dl: float, dilution: float) -> Invert:
    """By a glucose meter on diluted syrup.

    Args:
        reading_mg_dl: 0 to 600.
        dilution: parts of the dilution to one of syrup, by mass, 1 to 100.
    Raises:
        OutOfRange: a value lies outside its range.
    """
    percent = invert_percent_from_glucose_meter(reading_mg_dl, dilution)
    return Invert(percent, max(METER_SHARE * percent, METER_LEAST))


def reading(text: str) -> float:
    """What a meter shows, mg/dL.

    Raises:
        OutOfRange: it shows no number; HI means that it must be diluted more.
    """
    shown = text.strip().lower().removesuffix("mg/dl").strip()
    if shown in ("hi", "high"):
        raise OutOfRange(
            _("HI is more than the meter can tell: dilute further, 1 to 20 or 1 to 50, and say so."), "meter"
        )
    if shown in ("lo", "low"):
        return 0.0
    try:
        return float(shown.replace(",", "."))
    except ValueError:
        raise OutOfRange(_("Type what the meter shows in mg/dL, 0 to 600, or HI."), "meter") from None


@dataclass(frozen=True)
class Fit:
    """How a syrup suits a confection: the chance that it sets at all, and that it is within what the
    confection wants."""

    sets: float
    right: float


def fit(invert: Invert, piece: Confection) -> Fit:
    """How a syrup suits a confection. What is not to set suits with any."""
    if piece.invert_max_percent is None:
        return Fit(1.0, 1.0)
    right = invert.below(piece.invert_max_percent) - invert.below(piece.invert_min_percent or 0.0)
    return Fit(invert.below(NEVER_PERCENT), right)

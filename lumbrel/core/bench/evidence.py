"""What several doubtful instruments say together, and whether they can all be right.

Inverse-variance mean and chi-squared test of consistency, as in any text on combining
measurements (for instance the Particle Data Group's introduction, section 5.2).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.words import _

DISAGREEMENT_CHI2_PER_DOF = 3.0


@dataclass(frozen=True)
class Estimate:
    """One instrument's word on the density: `brix` with its standard deviation."""

    label: str
    brix: float
    sigma_brix: float


@dataclass(frozen=True)
class Agreement:
    """The joint value of several estimates and whether they agree.

    `odd_one_out` is the index of the estimate that best explains a disagreement; None when
    they agree, and None for two, of which neither can be told from the other.
    """

    brix: float
    sigma_brix: float
    chi2_per_dof: float
    agree: bool
    odd_one_out: int | None


LEAST_SIGMA_BRIX = 1e-6
"""No instrument knows better; what is smaller has no square that a number can hold."""


def agreement(estimates: Sequence[Estimate]) -> Agreement:
    """Combine estimates of the same syrup at the same moment.

    Args:
        estimates: one or more; Brix 0 to 97, sigma 0.000001 to 50.
    Returns:
        The inverse-variance mean, its sigma, and chi-squared per degree of freedom (0 for a
        single estimate). Above 3 the estimates disagree.
    Raises:
        OutOfRange: there is none, or a value lies outside its range.
    """
    if not estimates:
        raise OutOfRange(_("Give at least one reading."), "readings")
    for estimate in estimates:
        require_between(estimate.brix, 0.0, 97.0, field="brix", what=_("Brix"), unit=_("percent by mass"))
        if not LEAST_SIGMA_BRIX <= estimate.sigma_brix <= 50:
            raise OutOfRange(_("An uncertainty must be between 0.000001 and 50 Brix."), "uncertainty_brix")
    mean, sigma = _mean(estimates)
    dof = len(estimates) - 1
    if dof == 0:
        return Agreement(mean, sigma, 0.0, True, None)
    chi2 = sum(((e.brix - mean) / e.sigma_brix) ** 2 for e in estimates) / dof
    agree = chi2 <= DISAGREEMENT_CHI2_PER_DOF
    odd = None if agree or dof == 1 else _odd_one_out(estimates)
    return Agreement(mean, sigma, chi2, agree, odd)


def _mean(estimates: Sequence[Estimate]) -> tuple[float, float]:
    weights = [e.sigma_brix**-2 for e in estimates]
    total = sum(weights)
    return sum(w * e.brix for w, e in zip(weights, estimates, strict=True)) / total, sqrt(1 / total)


def _odd_one_out(estimates: Sequence[Estimate]) -> int:
    """The estimate that stands farthest from the others' mean, in units of that difference."""

    def distance(i: int) -> float:
        mean, sigma = _mean([e for j, e in enumerate(estimates) if j != i])
        return abs(estimates[i].brix - mean) / sqrt(sigma**2 + estimates[i].sigma_brix ** 2)

    return max(range(len(estimates)), key=distance)

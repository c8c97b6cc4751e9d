"""What a check against something known says of an instrument's scale.

Water, a weighed sugar solution or a better instrument gives a true value; the error found
there is taken off readings nearby. Errors smaller than the check itself can see are left alone.
"""

from collections.abc import Sequence
from dataclasses import dataclass

SEES_BRIX = 0.2
"""A home-made solution is good to about 0.1 Brix and a careful reading to about 0.15."""


@dataclass(frozen=True)
class ScaleError:
    """At a true density of `brix` the scale shows `error_brix` too much."""

    brix: float
    error_brix: float


def error_at(checks: Sequence[ScaleError], brix: float) -> float:
    """How much too much a scale shows near a density, Brix.

    Linear between two checks, constant beyond the outermost; 0 without a check. An error the
    checks cannot see (under 0.2 Brix) counts as none.

    Args:
        checks: at most one for each density.
        brix: where the reading stands, 0 to 97.
    """
    if not checks:
        return 0.0
    ordered = sorted(checks, key=lambda check: check.brix)
    below = [check for check in ordered if check.brix <= brix]
    above = [check for check in ordered if check.brix > brix]
    if not below or not above:
        found = (below or above)[-1 if below else 0].error_brix
    else:
        left, right = below[-1], above[0]
        share = (brix - left.brix) / (right.brix - left.brix)
        found = left.error_brix + share * (right.error_brix - left.error_brix)
    return found if abs(found) >= SEES_BRIX else 0.0

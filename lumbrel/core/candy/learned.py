"""What earlier cooks of a pot teach of the next one: what stays in the pot, and how fast it cools."""

from collections.abc import Sequence
from math import exp, log
from typing import NamedTuple

from lumbrel.core.candy.confections import POT_LOSS_FRACTION
from lumbrel.core.candy.cook import SMALLER_BY, USUAL_KG, Bath

PRIOR_COOKS = 2.0
"""What is held of any pot counts like so many cooks of this one."""
MOST_LOSS = 0.5
RATE_SIGMA, RATE_SIGMA_LEAST = 0.6, 0.12
"""One sigma of the logarithm of a cooling: of any pot, and of one that is known well."""


class Loss(NamedTuple):
    """Share of the finished mass that stays in the pot, and how many cooks taught it."""

    share: float
    cooks: int


def loss(seen: Sequence[float]) -> Loss:
    """What stays in a pot.

    Args:
        seen: shares of earlier cooks, newest first.
    """
    kept = [min(max(share, 0.0), MOST_LOSS) for share in seen]
    whole = PRIOR_COOKS * POT_LOSS_FRACTION + sum(kept)
    return Loss(whole / (PRIOR_COOKS + len(kept)), len(kept))


def usual_rate(rate_per_min: float, mass_kg: float) -> float:
    """A pot's cooling, as 13 kg in it would cool."""
    return float(rate_per_min * (max(mass_kg, 0.2) / USUAL_KG) ** SMALLER_BY)


def rate_of(bath: Bath, mass_kg: float, seen: Sequence[float] = ()) -> tuple[float, float, int]:
    """How fast so much cools in a bath, a minute; one sigma of its logarithm; how many cooks taught it.

    Args:
        mass_kg: in the pot, above 0.
        seen: what earlier cooks showed in this pot and bath, as 13 kg would cool.
    """
    logs = [log(rate) for rate in seen if rate > 0]
    known = PRIOR_COOKS / 2
    mean = (known * log(bath.rate_per_min) + sum(logs)) / (known + len(logs))
    sigma = max(RATE_SIGMA / (1 + len(logs)) ** 0.5, RATE_SIGMA_LEAST)
    return (
        float(exp(mean) * (USUAL_KG / max(mass_kg, 0.2)) ** SMALLER_BY),
        sigma,
        len(logs),
    )

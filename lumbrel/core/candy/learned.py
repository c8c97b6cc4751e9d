"""What earlier cooks of a pot teach of the next one: what stays in the pot, and how fast it cools."""

from collections.abc import Sequence
from math import exp, log
from typing import NamedTuple

from lumbrel.core.candy.bath import BATHS, SINK_L, SINK_SIGMA, Held
from lumbrel.core.candy.confections import POT_LOSS_FRACTION

PRIOR_COOKS = 2.0
"""What is held of any pot counts like so many cooks of this one."""
MOST_LOSS = 0.5
FILM_SIGMA_LEAST, LITRES_SIGMA_LEAST = 0.12, 0.2
"""One sigma of the logarithm, of a pot that is known well."""


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


def film_of(bath: str, seen: Sequence[float]) -> Held | None:
    """How well a pot gives its heat to a bath, W/m2K, with one sigma of the logarithm; None where no cook taught it.

    Args:
        bath: key of `BATHS`.
        seen: what earlier cooks in this pot and bath showed.
    """
    held, sigma = BATHS[bath].film
    return _taught(seen, held, FILM_SIGMA_LEAST, sigma)


def litres_of(seen: Sequence[float]) -> Held | None:
    """Litres of the bath that a pot is put into, with one sigma of the logarithm; None where no cook taught it.

    Args:
        seen: what earlier cooks were told, or showed.
    """
    return _taught(seen, SINK_L, LITRES_SIGMA_LEAST, SINK_SIGMA)


def _taught(seen: Sequence[float], held: float, least: float, sigma: float) -> Held | None:
    logs = [log(one) for one in seen if one > 0]
    if not logs:
        return None
    known = PRIOR_COOKS / 4
    mean = (known * log(held) + sum(logs)) / (known + len(logs))
    return exp(mean), max(sigma / (1 + len(logs)) ** 0.5, least)

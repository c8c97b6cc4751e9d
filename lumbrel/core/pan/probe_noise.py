"""A probe's own noise, learnt from how it scatters: a boil stirs, and a probe smooths that in its own
slow way, so that what it shows now is off much as it was off half a minute ago.

For whoever follows a boil over minutes one figure of it counts: how much its mean over a while is
off. That is the noise's power at the slow end, the squared noise times twice its memory.
"""

from functools import lru_cache
from math import sqrt

import numpy as np

from lumbrel.core.physics.boil_curve import Floats

MOST_REMEMBERED = 64
STEP_S = 15.0
"""The means that it is learnt from are of so long."""
_LAGS, _COUNTS_AS = (1, 2, 4), (2.0, 3.0, 5.0)
"""In steps; and so many second differences overlap to one that is new."""
_NOISES_K: Floats = np.geomspace(0.012, 0.14, 12)
_LASTS_S: Floats = np.geomspace(3.0, 70.0, 10)
_USUAL_NOISE_K, _USUAL_LASTS_S = (0.055, 0.7), (18.0, 1.0)
"""Before anything is seen, with one sigma of the logarithm."""
_WILD = 12.0
LEAST_SIGMA_K = 0.008


def _differences_of_one_kelvin() -> Floats:
    """Variance of second differences of means, for a noise of one kelvin: by lag, and by memory."""
    share = STEP_S / _LASTS_S
    alone = 2 * (share - 1 + np.exp(-share)) / share**2
    damped = (-np.expm1(-share) / share) ** 2

    def together(steps: int) -> Floats:
        found: Floats = damped * np.exp(-(steps - 1) * share)
        return found

    return np.array([6 * alone - 8 * together(k) + 2 * together(2 * k) for k in _LAGS])


_OF_ONE_KELVIN = _differences_of_one_kelvin()
_BEFORE: Floats = -0.5 * (
    (np.log(_NOISES_K / _USUAL_NOISE_K[0]) / _USUAL_NOISE_K[1])[:, None] ** 2
    + (np.log(_LASTS_S / _USUAL_LASTS_S[0]) / _USUAL_LASTS_S[1]) ** 2
)
_ROOT_POWER: Floats = _NOISES_K[:, None] * np.sqrt(2 * _LASTS_S)


@lru_cache(MOST_REMEMBERED)
def power_k2s(means: tuple[tuple[int, float], ...]) -> float:
    """The noise's power at the slow end, K² s: what is expected of it, by all that was seen.

    Args:
        means: of a boil's newest whole quarters of a minute: the number of each, counted through, and what
            the probe showed, degC; some may be missing.
    """
    likely = _BEFORE
    if len(means) >= 3:
        first, last = means[0][0], means[-1][0]
        shown = np.full(last - first + 1, np.nan)
        for step, value in means:
            shown[step - first] = value
        for k, overlap, variance in zip(_LAGS, _COUNTS_AS, _OF_ONE_KELVIN, strict=True):
            if len(shown) <= 2 * k:
                continue
            apart = shown[: -2 * k] - 2 * shown[k:-k] + shown[2 * k :]
            squares = apart[~np.isnan(apart)] ** 2
            if not len(squares):
                continue
            middle = np.partition(squares, len(squares) // 2)[len(squares) // 2]
            mean = float(np.minimum(squares, _WILD * middle).mean())
            would_be = _NOISES_K[:, None] ** 2 * variance
            count = len(squares) / overlap
            likely = likely - 0.5 * count * (mean / would_be + np.log(would_be))
    weights = np.exp(likely - likely.max())
    return float((weights * _ROOT_POWER).sum() / weights.sum()) ** 2


def mean_sigma_k(power: float, seconds: float) -> float:
    """One sigma of a probe's mean over a while, K, for whoever adds up many of them.

    Args:
        power: K² s, see `power_k2s`.
        seconds: how long the while is.
    """
    return max(sqrt(power / max(seconds, STEP_S)), LEAST_SIGMA_K)

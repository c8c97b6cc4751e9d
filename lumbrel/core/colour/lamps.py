"""Lamps, cameras and syrups as they may be, and what photographs of two vials come out under them.

A warm diode, a tube, or a bulb has another green than daylight, and a camera's white balance undoes a part of it. Which lamp
it was is told by the blank's own colour, and by how the sample's red, green and blue stand to each other. What cannot be
told stays in the doubt.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from lumbrel.core.colour.appearance import REFERENCE_MM, REFERENCE_NM
from lumbrel.core.physics.boil_curve import Floats
from lumbrel.words import _

DRAWS = 1500
NM = np.arange(400.0, 701.0, 10.0)
LIGHTS = np.linspace(1.0, 99.0, 50)
"""Transmittances that are tried, percent at 560 nm through 10 mm."""
FAMILIES = {"daylight": 0.4, "cool": 0.2, "warm": 0.2, "tube": 0.1, "bulb": 0.1}
"""How likely each kind of lamp is, before anything was seen."""
POOR = {_("a warm lamp"): ("warm", "bulb"), _("a tube"): ("tube",)}
"""Those under which a colour is told poorly, with their families."""
BANDS = ((602.0, 36.0), (537.0, 38.0), (460.0, 30.0))
"""Middle and one sigma of what a camera's red, green and blue see."""
FALLS_PER_NM = (0.008, 0.0155)
"""The least and the most by which the absorbance of syrup falls, a nanometre."""
BALANCED = (0.4, 1.1)
"""So much of a lamp's colour does a camera's white balance undo."""
WHITE_K = 6000.0
TINT_SIGMA = 0.08
"""One sigma of what is left of it besides, as a logarithm."""
TONE, TONE_SIGMA, EVEN_SIGMA, GLARE_MOST = 1.07, 0.12, 0.05, 0.02
"""Of a camera's tone curve, as a share of its exponent: it makes darks darker; of the light's falling off between the vials; and of
the light that glass throws over dark syrup."""
SEEN_SIGMA = np.array([0.05, 0.03, 0.12])
DARK = 0.004
"""Noise of red, green and blue, as a logarithm, and of the least light besides."""
EXPLAINED = 4.0
"""A picture that misses every lamp by more (chi squared) is of something else."""


@dataclass(frozen=True, kw_only=True)
class Photographed:
    """What a photograph says of its light.

    Attributes:
        light, sigma: transmittance at 560 nm through 10 mm, percent, and one sigma, points.
        lamps: how likely each kind of lamp was.
    """

    light: float
    sigma: float
    lamps: dict[str, float]


def _planck(kelvin: float) -> Floats:
    nm = NM * 1e-9
    found: Floats = nm**-5 / np.expm1(0.0143877 / (nm * kelvin))
    return np.asarray(found / found.mean())


def _peak(middle: float, width: float) -> Floats:
    found: Floats = np.exp(-0.5 * ((NM - middle) / width) ** 2)
    return found


def _lamp(family: str, rng: np.random.Generator) -> Floats:
    """A lamp of a family."""
    if family == "daylight":
        return _planck(rng.uniform(4800, 8000))
    if family == "bulb":
        return _planck(rng.uniform(2500, 3100))
    if family == "tube":
        lines = (
            0.5 * _peak(436, 10)
            + rng.uniform(0.8, 1.4) * _peak(545, 11)
            + rng.uniform(0.7, 1.5) * _peak(611, 11)
        )
        return np.asarray(lines + rng.uniform(0.1, 0.4) * _peak(575, 55))
    warm = family == "warm"
    blue = rng.uniform(0.15, 0.45) if warm else rng.uniform(0.6, 1.3)
    middle = rng.uniform(585, 615) if warm else rng.uniform(545, 575)
    return np.asarray(blue * _peak(452, 12) + _peak(middle, rng.uniform(48, 65)))


@lru_cache(1)
def _drawn() -> tuple[Floats, Floats, Floats, tuple[str, ...]]:
    """Lamps, cameras' bands through them, the rest that is drawn, and each lamp's family."""
    rng = np.random.default_rng(560)
    names = rng.choice(list(FAMILIES), DRAWS, p=list(FAMILIES.values()))
    lamps = np.array([_lamp(str(name), rng) for name in names])
    bands = np.empty((DRAWS, 3, len(NM)))
    for i, (middle, width) in enumerate(BANDS):
        at = middle + rng.uniform(-8, 8, DRAWS)[:, None]
        wide = width * rng.uniform(0.66, 1.08, DRAWS)[:, None]
        bands[:, i] = np.exp(-0.5 * ((NM - at) / wide) ** 2)
    rest = np.stack(
        [
            rng.uniform(*FALLS_PER_NM, DRAWS),
            TONE * np.exp(TONE_SIGMA * rng.standard_normal(DRAWS)),
            EVEN_SIGMA * rng.standard_normal(DRAWS),
            rng.uniform(0.0, GLARE_MOST, DRAWS),
            rng.uniform(*BALANCED, DRAWS),
        ]
    )
    return lamps, bands * lamps[:, None, :], rest, tuple(str(name) for name in names)


@lru_cache(8)
def _shares(path_mm: float) -> Floats:
    """The logarithm of sample over blank in red, green and blue, for every draw and light."""
    _lamps, seen, (falls, tone, even, glare, _balanced), _names = _drawn()
    curve = np.exp(-falls[:, None] * (NM - REFERENCE_NM))
    shares = np.empty((DRAWS, len(LIGHTS), 3))
    whole = seen.sum(axis=2)
    for j, light in enumerate(LIGHTS):
        absorbed = -np.log10(light / 100) * path_mm / REFERENCE_MM * curve
        shares[:, j] = np.einsum("dcw,dw->dc", seen, 10.0**-absorbed) / whole
    shares += glare[:, None, None]
    found: Floats = tone[:, None, None] * np.log(np.maximum(shares, 1e-4)) + even[:, None, None]
    return found


@lru_cache(1)
def _tints() -> Floats:
    """The logarithm of red and of blue over green of every draw's blank, daylight being white."""
    lamps, seen, rest, _names = _drawn()
    white = (seen / lamps[:, None, :] * _planck(WHITE_K)).sum(axis=2)
    light = np.log(seen.sum(axis=2) / white)
    left = (1 - rest[4])[:, None] * (light - light[:, 1:2])
    return np.asarray(left[:, [0, 2]])


def photographed(blank: Floats, sample: Floats, path_mm: float, spread: float) -> Photographed:
    """What a sample lets through, by a photograph of it beside a blank.

    Args:
        blank, sample: linear red, green and blue of both, above 0.
        path_mm: inside width of both vials, 1 to 100.
        spread: of the light over the boxes, as a share.
    Source: likely lamps, cameras and syrups, weighed by how they explain the blank's tint and the sample's colours.
    """
    seen = np.log(np.maximum(sample / blank, 1e-4))
    tint = np.log(blank[[0, 2]] / blank[1])
    shares = _shares(round(path_mm, 1))
    noise = np.hypot(np.hypot(SEEN_SIGMA, spread), DARK / np.maximum(sample / blank, 1e-4))
    off = ((shares - seen) / noise) ** 2
    tinted = (((_tints() - tint) / TINT_SIGMA) ** 2).sum(axis=1)
    missed = off.sum(axis=2) + tinted[:, None]
    # What no lamp and no syrup explains counts for the less.
    likely = -0.5 * missed / max(float(missed.min()) / EXPLAINED, 1.0)
    weights = np.exp(likely - likely.max())
    weights /= weights.sum()
    by_light, by_draw = weights.sum(axis=0), weights.sum(axis=1)
    light = float(by_light @ LIGHTS)
    sigma = float(np.sqrt(by_light @ (LIGHTS - light) ** 2))
    names = np.array(_drawn()[3])
    return Photographed(
        light=light, sigma=sigma, lamps={name: float(by_draw[names == name].sum()) for name in FAMILIES}
    )

"""The firmness map: how hot a syrup is boiled says how much of it turns to crystal, where stirring begins
says how fine; contours of both, and in words what a point of it will be like."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from lumbrel.core.candy.confections import crystal_fraction, solids_brix, supersaturation
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics import sucrose, water
from lumbrel.core.physics.boil_curve import Floats
from lumbrel.words import _, number

LEAST_ABOVE_K, MOST_ABOVE_K = 17 / 1.8, 49 / 1.8
COLDEST_STIR_C, HOTTEST_STIR_C = 15.0, 125.0
DISSOLVES_C = 100.0
"""Above it no solubility is tabulated: nothing is over saturation by a known measure."""
CRYSTAL_LEVELS = (0.40, 0.45, 0.50, 0.55, 0.60, 0.65, 0.70, 0.75)
GRAIN_LEVELS = (1.25, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0)
STEPS = 36
SETS_CRYSTAL, SETS_GRAIN = 0.60, 2.3
"""So much crystal, so far over saturation, and it sets before a spoon goes round: a made-up beginning."""

TEXTURES: tuple[tuple[float, str], ...] = (
    (0.42, _("Runs: it never grows firm")),
    (0.50, _("Spreads like butter")),
    (0.54, _("Soft as fudge")),
    (0.61, _("Firm to the finger, melts on the tongue")),
    (0.68, _("Firm, keeps its edges")),
    (0.76, _("Dry and crumbling, grains to sieve")),
    (1.00, _("Hard: it breaks")),
)
GRAINS: tuple[tuple[float, str], ...] = (
    (1.0, _("nothing crystallizes so hot")),
    (1.25, _("coarse, sandy")),
    (1.5, _("medium grain")),
    (2.0, _("fine grain")),
    (99.0, _("very fine, smooth")),
)


@dataclass(frozen=True, kw_only=True)
class Point:
    """A point of the map: solids left and one sigma, Brix; the share that is crystal when it is served, 0
    to 1; how far over saturation it is where stirring begins, None where it is not stirred so hot."""

    above_water_k: float
    stir_c: float
    brix: float
    sigma_brix: float
    crystal: float
    grain: float | None
    texture: str
    grain_words: str
    sets_in_pot: bool


def point(
    above_water_k: float,
    stir_c: float,
    station_pressure_pa: float,
    serving_c: float = 20.0,
    invert_fraction: float = 0.01,
) -> Point:
    """What a boil and a stirring temperature make.

    Args:
        above_water_k: of the boil, 9.4 to 51.
        stir_c: where stirring begins, 15 to 125, below the boil.
        station_pressure_pa: Pa, 50000 to 110000.
        serving_c: of the finished piece, -10 to 40; below 0 as at 0.
        invert_fraction: of the solids, 0 to 1.
    Raises:
        OutOfRange: a value lies outside its range.
    """
    require_between(stir_c, 0.0, 125.0, field="stir", what=_("The stirring temperature"), unit="°C")
    require_between(serving_c, -10.0, 40.0, field="serving", what=_("The serving temperature"), unit="°C")
    boil = water.boiling_point_c(station_pressure_pa) + above_water_k
    if stir_c > boil:
        raise OutOfRange(
            _(
                "Stirring at {stir_c} °C would begin hotter than the boil, {boil} °C.",
                stir_c=number(stir_c, 0),
                boil=number(boil, 0),
            ),
            "stir",
        )
    brix = solids_brix(above_water_k, station_pressure_pa, invert_fraction)
    crystal = crystal_fraction(brix, max(serving_c, 0.0))
    grain = supersaturation(brix, stir_c) if stir_c <= DISSOLVES_C else None
    slope = sucrose.boiling_slope_k_per_brix(brix, station_pressure_pa, invert_fraction)
    return Point(
        above_water_k=above_water_k,
        stir_c=stir_c,
        brix=brix,
        sigma_brix=sucrose.boiling_sigma_k(brix) / slope,
        crystal=crystal,
        grain=grain,
        texture=next(words for top, words in TEXTURES if crystal <= top),
        grain_words="" if grain is None else next(words for top, words in GRAINS if grain <= top),
        sets_in_pot=grain is not None and crystal >= SETS_CRYSTAL and grain >= SETS_GRAIN,
    )


def crystal_lines(
    station_pressure_pa: float, serving_c: float = 20.0, invert_fraction: float = 0.01
) -> list[tuple[float, float]]:
    """Where the share of crystal passes each level: the level, and the boil above water, K."""
    boil = water.boiling_point_c(station_pressure_pa)
    saturated = sucrose.solubility_percent(max(serving_c, 0.0)) / 100
    found = []
    for level in CRYSTAL_LEVELS:
        brix = 100 * (level + (1 - level) * saturated)
        above = sucrose.boiling_point_c(brix, station_pressure_pa, invert_fraction) - boil
        if LEAST_ABOVE_K < above < MOST_ABOVE_K:
            found.append((level, above))
    return found


def grain_lines(
    station_pressure_pa: float, invert_fraction: float = 0.01
) -> list[tuple[float, list[tuple[float, float]]]]:
    """Lines of one supersaturation: the level, and points of (boil above water in K, stirring degC) on it."""
    across = [LEAST_ABOVE_K + (MOST_ABOVE_K - LEAST_ABOVE_K) * i / STEPS for i in range(STEPS + 1)]
    lines = ((level, _line(across, level, station_pressure_pa, invert_fraction)) for level in GRAIN_LEVELS)
    return [(level, points) for level, points in lines if len(points) > 1]


def _line(
    across: list[float], level: float, station_pressure_pa: float, invert_fraction: float
) -> list[tuple[float, float]]:
    """Where supersaturation is at a level, for some boils."""
    share = np.array([_share(k, station_pressure_pa, invert_fraction) for k in across])
    ratio = share / (1 - share) / level
    warm, soluble = _soluble()
    stir = np.interp(ratio / (1 + ratio), soluble, warm, left=np.nan, right=np.nan)
    return [(k, float(c)) for k, c in zip(across, stir, strict=True) if COLDEST_STIR_C <= c <= DISSOLVES_C]


@lru_cache(maxsize=4096)
def _share(above_k: float, station_pressure_pa: float, invert_fraction: float) -> float:
    return solids_brix(above_k, station_pressure_pa, invert_fraction) / 100


def sets_in_pot(
    station_pressure_pa: float, serving_c: float = 20.0, invert_fraction: float = 0.01
) -> list[tuple[float, float]]:
    """The upper edge of where it sets before it is stirred: points of (boil above water in K, stirring degC),
    from the softest boil that does; empty where none does."""
    saturated = sucrose.solubility_percent(max(serving_c, 0.0)) / 100
    brix = 100 * (SETS_CRYSTAL + (1 - SETS_CRYSTAL) * saturated)
    boil = water.boiling_point_c(station_pressure_pa)
    first = sucrose.boiling_point_c(brix, station_pressure_pa, invert_fraction) - boil
    begins = max(first, LEAST_ABOVE_K)
    if begins >= MOST_ABOVE_K:
        return []
    across = [begins + (MOST_ABOVE_K - begins) * i / 12 for i in range(13)]
    edge = _line(across, SETS_GRAIN, station_pressure_pa, invert_fraction)
    if edge and edge[-1][0] < MOST_ABOVE_K:
        # Further right it does so however hot it is stirred.
        edge.append((MOST_ABOVE_K, DISSOLVES_C))
    return edge


@lru_cache(maxsize=1)
def _soluble() -> tuple[Floats, Floats]:
    """Temperatures, and the saturated solution's share of sugar at each."""
    warm = np.linspace(0.0, DISSOLVES_C, 1001)
    return warm, np.array([sucrose.solubility_percent(float(c)) / 100 for c in warm])

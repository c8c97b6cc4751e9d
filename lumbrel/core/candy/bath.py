"""Where a pot of candy cools: on the bench, in water still or running, in ice; and how likely pots cool there.

Two bodies: the syrup with its wall, and the bath, which warms by what the pot loses; ice holds it cold until it is gone, and
what is warmer than the room gives to the room. The core, where the thermometer stands, lags behind the wall.
"""

from dataclasses import dataclass
from functools import cached_property
from math import log, pi, sqrt

import numpy as np

from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics.boil_curve import Floats
from lumbrel.words import _, number

WATER_KJ_PER_L_K, MELTS_KJ_PER_KG = 4.19, 334.0
SYRUP_KJ_PER_KG_K, STEEL_KJ_PER_K, STEEL_KJ_PER_KG_K = 2.6, 0.3, 0.12
"""Of the candy, and of the pot around it: so much besides, and so much for each kg that it holds."""
CANDY_KG_PER_M3, DEEP_TO_WIDE = 1380.0, 0.3
ROOM_C, ROOM_SIGMA_K = 20.0, 4.0
SINK_L, SINK_SIGMA, TOLD_SIGMA = 11.0, 0.45, 0.12
"""Litres of a bath that nobody told, with one sigma of the logarithm: 4 to 20; and of one that was told."""
READ_SIGMA_K = 1.0
LAG_MIN, LAG_SIGMA = 3.5, 0.35
SHOWS_MIN, SHOWS_SIGMA = 0.6, 0.6
THICK_FROM_C, THICK_OVER_K = 85.0, 60.0
Held = tuple[float, float]
"""What is held of an unknown, and one sigma."""
ICE_SHARE, ICE_SIGMA = 0.5, 0.2
"""Of what stands round the pot so much is ice."""
USUAL_EXCESS_K = 60.0
"""The film is that of a pot so much warmer than its bath."""
HORIZON_MIN = 360.0
"""What is not there so long from now is never there."""
GRID = np.concatenate([np.arange(0, 20, 0.5), np.arange(20, 120, 2.5), np.arange(120, 721, 15.0)])
CORE, GAP, FILM, AROUND, LITRES, LAG, BEND, ICE, TO_ROOM, ROOM, SHOWS, THICK, WALLED = range(13)
"""A pot's unknowns: of its core, degC; how much colder its wall is, K; logarithm of the film, W/m2K; of the bath, degC;
logarithm of its litres; of the lag, min; how much more than in proportion a hotter pot loses; share of ice; logarithm of what
the bath gives to the room, W/K; the room, degC; logarithm of a second lag behind the core, the thermometer's with it, min; how
much slower the core follows where it has grown cold; the share of its heat that is in the wall's part."""

WAYS: tuple[tuple[float, dict[int, Held]], ...] = (
    (0.6, {WALLED: (1.0, 0.0), THICK: (0.0, 0.0), BEND: (0.03, 0.05), TO_ROOM: (log(0.2), 0.8)}),
    (0.4, {WALLED: (0.5, 0.2), THICK: (0.3, 0.2), BEND: (0.1, 0.1), TO_ROOM: (log(1.0), 0.8)}),
)
"""A pot is as warm all through as its wall, whose core is late; or its core lets its warmth go slowly: how likely each is, and
what is held of it."""


@dataclass(frozen=True, kw_only=True)
class Bath:
    """Where a pot cools.

    Attributes:
        around_c, sigma_k: how warm it is there at first, and one sigma.
        film: W/m2K from the pot's wall to it, with one sigma of its logarithm, at an excess of 60 K.
    """

    name: str
    around_c: float
    sigma_k: float
    film: tuple[float, float]


RUNNING_FILM = (424.0, 0.25)
BATHS: dict[str, Bath] = {
    "bench": Bath(name=_("on the bench"), around_c=ROOM_C, sigma_k=ROOM_SIGMA_K, film=(11.0, 0.25)),
    "water": Bath(name=_("in a water bath"), around_c=13.0, sigma_k=4.0, film=(230.0, 0.45)),
    "ice": Bath(name=_("in ice or snow"), around_c=0.5, sigma_k=0.8, film=(370.0, 0.35)),
}


@dataclass(frozen=True, kw_only=True)
class PotPlace:
    """A pot in its bath, as far as it is told.

    Args:
        bath: its key.
        mass_kg: of the candy, above 0.
        wall_m2: that touches what it stands in; None of a pot as they usually are.
        litres: of the bath, of ice with its water; None where nobody said.
        litres_sigma: one sigma of their logarithm.
        around_c: of the bath at first, when somebody read it.
        running: whether water runs through it.
        film: W/m2K as this pot taught it, with one sigma of the logarithm.
    """

    bath: str
    mass_kg: float
    wall_m2: float | None = None
    litres: float | None = None
    litres_sigma: float = TOLD_SIGMA
    around_c: float | None = None
    running: bool = False
    film: tuple[float, float] | None = None

    @property
    def holds(self) -> Bath:
        """What is held of such a bath."""
        return BATHS[self.bath]

    @property
    def warms(self) -> bool:
        """Whether it is a bath that takes the pot's heat up."""
        return self.bath != "bench" and not self.running

    @property
    def idle(self) -> tuple[int, ...]:
        """The unknowns that do nothing there."""
        if not self.warms:
            return (LITRES, ICE, TO_ROOM, ROOM)
        return () if self.bath == "ice" else (ICE,)

    @property
    def heat_kj_per_k(self) -> float:
        """Of the candy and its pot."""
        return self.mass_kg * (SYRUP_KJ_PER_KG_K + STEEL_KJ_PER_KG_K) + STEEL_KJ_PER_K

    @property
    def cools_m2(self) -> float:
        """What of it cools: the wetted wall, and in air its top as well."""
        wide = (4 * self.mass_kg / CANDY_KG_PER_M3 / (pi * DEEP_TO_WIDE)) ** (1 / 3)
        return self.wall_m2 or pi * wide**2 * (0.25 + DEEP_TO_WIDE)

    @cached_property
    def unknowns(self) -> tuple[Floats, Floats]:
        """What is held of a pot before it is read, and one sigma each; but its core, its gap and what a way holds."""
        held = self.holds
        film, film_sigma = self.film or (RUNNING_FILM if self.running else held.film)
        around = held.around_c if self.around_c is None else self.around_c
        litres = (self.litres or SINK_L, self.litres_sigma if self.litres else SINK_SIGMA)
        mid = (0.0, 0.0, log(film), around, log(litres[0]), log(LAG_MIN), 0.0, ICE_SHARE)
        wide = (1.0, 1.0, film_sigma, held.sigma_k if self.around_c is None else READ_SIGMA_K, litres[1])
        return (
            np.array([*mid, 0.0, ROOM_C, log(SHOWS_MIN), 0.0, 1.0]),
            np.array([*wide, LAG_SIGMA, 1.0, ICE_SIGMA, 1.0, ROOM_SIGMA_K, SHOWS_SIGMA, 1.0, 1.0]),
        )

    def cools(self, each: Floats, until_min: float = float(GRID[-1])) -> tuple[Floats, Floats]:
        """Core and wall of likely pots on `GRID`, a row each, as far as a minute; degC."""
        wall, core, bath = each[:, CORE] - each[:, GAP], each[:, CORE].copy(), each[:, AROUND].copy()
        rate = np.exp(each[:, FILM]) * self.cools_m2 * 60 / 1000 / self.heat_kj_per_k
        bend, lag = np.clip(each[:, BEND], 0.0, 0.6), np.exp(each[:, LAG])
        shows, thick = np.exp(each[:, SHOWS]), np.clip(each[:, THICK], 0.0, 1.5)
        walled, litres = np.clip(each[:, WALLED], 0.15, 0.999), np.exp(each[:, LITRES])
        share = self.heat_kj_per_k / (WATER_KJ_PER_L_K * litres) if self.warms else np.zeros(len(each))
        ice = self.bath == "ice"
        left = MELTS_KJ_PER_KG * litres * np.clip(each[:, ICE], 0.0, 0.95) * ice
        gives = np.exp(each[:, TO_ROOM]) * 0.06 / (WATER_KJ_PER_L_K * litres)
        shown = core
        cores, walls = [shown], [wall]
        for step in np.diff(GRID[: max(int(np.searchsorted(GRID, until_min)), 1) + 1]):
            # The wall comes between its bath and its core, by how fast either draws at it.
            over = np.maximum(np.abs(wall - bath), 0.5) / USUAL_EXCESS_K
            cold = np.clip((THICK_FROM_C - core) / THICK_OVER_K, 0.0, 1.0)
            follows = 1 / (lag * (1 + thick * cold))
            out, inward = rate * over**bend / walled, follows * (1 - walled) / walled
            # Both together, as exactly as these rates have it.
            half, apart = (out + inward + follows) / 2, (out + inward - follows) / 2
            root = np.sqrt(apart**2 + inward * follows)
            slow, fast = np.exp((root - half) * step), np.exp(-(root + half) * step)
            even, odd = (slow + fast) / 2, (slow - fast) / (2 * root)
            before, was, hot, warm = wall, core, wall - bath, core - bath
            wall = bath + hot * (even - apart * odd) + warm * inward * odd
            core = bath + warm * (even + apart * odd) + hot * follows * odd
            drop = walled * (before - wall) + (1 - walled) * (was - core)
            if self.warms:
                bath = bath + np.where(left > 0, 0.0, share * drop + (each[:, ROOM] - bath) * gives * step)
                left = left - self.heat_kj_per_k * drop
            # What follows a straight way comes behind it by its own lag, and forgets where it began.
            behind = shows * (core - was) / step
            shown = core - behind + (shown - was + behind) * np.exp(-step / shows)
            cores.append(shown)
            walls.append(wall)
        return np.stack(cores, axis=1), np.stack(walls, axis=1)


def wetted_m2(litres: float, depth_mm: float) -> float:
    """The wall that a pot's candy touches: its bottom and what stands round it."""
    bottom = litres / depth_mm
    return bottom + 2 * sqrt(pi * bottom) * depth_mm / 1000


def minutes_until(cores: Floats, target_c: float) -> Floats:
    """When likely pots are as cold, a row of temperatures on `GRID` each; infinite where one never is."""
    cold = cores <= target_c
    place = np.argmax(cold, axis=1)
    rows = np.arange(len(cores))
    at = np.maximum(place, 1)
    above, under = cores[rows, at - 1], cores[rows, at]
    part = np.clip((above - target_c) / np.maximum(above - under, 1e-9), 0.0, 1.0)
    minutes = GRID[at - 1] + part * (GRID[at] - GRID[at - 1])
    return np.where(cold.any(axis=1), np.where(place == 0, 0.0, minutes), np.inf)


def minutes_to_cool(stands: PotPlace, hot_c: float, stir_c: float) -> float:
    """How long a pot cools to where stirring begins, by what is held of any.

    Args:
        hot_c: of the boil; stir_c: where stirring begins.
    Raises:
        OutOfRange: it never grows so cold there.
    """
    usual = stands.unknowns[0].copy()
    usual[CORE] = hot_c
    for which, (middle, _sigma) in WAYS[0][1].items():
        usual[which] = middle
    minutes = float(minutes_until(stands.cools(usual[None, :])[0], stir_c)[0])
    if minutes == np.inf:
        raise OutOfRange(
            _("It never cools to {stir_c} °C {bath}.", stir_c=number(stir_c, 0), bath=stands.holds.name),
            "bath",
        )
    return minutes

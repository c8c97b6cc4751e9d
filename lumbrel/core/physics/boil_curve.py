"""The boiling curve as a table, looked up for many readings at once: the same figures as
`sucrose`, fast enough for a live fit."""

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lumbrel.core.physics import sucrose, water

Floats = NDArray[np.float64]

STEP_BRIX = 0.5
TABLE_TO_BRIX = 96.0
STEPS = int(TABLE_TO_BRIX / STEP_BRIX)
TABLES_APART_K = 1000.0
PRESSURE_STEP_PA = 100.0


class BoilCurves:
    """Where solutions boil, each at its own pressure, by linear interpolation every 0.5 Brix.

    Args:
        pressures_pa: station pressures, one to a reading, Pa, 50000 to 110000.
        invert_fractions: as many, 0 to 1.
    Raises:
        OutOfRange: a value lies outside its range.
    Uncertainty: within 0.005 K of `sucrose.boiling_point_c` up to 80 Brix.
    """

    def __init__(self, pressures_pa: Sequence[float], invert_fractions: Sequence[float]) -> None:
        tables: dict[tuple[float, float], int] = {}
        which = []
        for pa, invert in zip(pressures_pa, invert_fractions, strict=True):
            near = round(pa / PRESSURE_STEP_PA) * PRESSURE_STEP_PA
            key = (min(max(near, 50_000.0), 110_000.0), invert)
            which.append(tables.setdefault(key, len(tables)))
        rises = [_rises(*key) for key in tables]
        self._rises: Floats = np.concatenate(rises) if rises else np.zeros(STEPS + 1)
        """Every table after the other."""
        self._first = np.array(which, dtype=np.intp) * (STEPS + 1)
        self._apart = np.array(which) * TABLES_APART_K
        lifted = [rise + i * TABLES_APART_K for i, rise in enumerate(rises)]
        self._lifted: Floats = np.concatenate(lifted) if lifted else self._rises
        """The same, each table so far above the one before that one search serves them all."""
        self.water_c: Floats = np.array([_water_c(pa) for pa in pressures_pa])
        """Where water boils, degC, one to a reading."""

    def at(self, brix: Floats | float) -> tuple[Floats, Floats]:
        """Where each boils, degC, and how that rises, K per Brix; Brix held to 0 to 96."""
        place = np.minimum(np.maximum(brix, 0.0), TABLE_TO_BRIX - 1e-9) / STEP_BRIX
        index = place.astype(np.intp)
        before, after = np.maximum(index - 1, 0), np.minimum(index + 2, STEPS)
        rises, first = self._rises, self._first
        low, high = rises[first + index], rises[first + index + 1]
        slope = (rises[first + after] - rises[first + before]) / ((after - before) * STEP_BRIX)
        return self.water_c + low + (place - index) * (high - low), slope

    def brix_of(self, temperatures_c: Floats) -> Floats:
        """The density that boils at each temperature, Brix; not a number where nothing does."""
        rise = temperatures_c - self.water_c
        inside = (rise >= 0.0) & (rise < self._rises[self._first + STEPS])
        found = np.searchsorted(self._lifted, np.where(inside, rise, 0.0) + self._apart, "right") - 1
        index = np.minimum(found, self._first + STEPS - 1)
        low, high = self._rises[index], self._rises[index + 1]
        brix = STEP_BRIX * (index - self._first + (rise - low) / (high - low))
        return np.where(inside, brix, np.nan)


@lru_cache(maxsize=64)
def boil_curves(pressures_pa: tuple[float, ...], invert_fractions: tuple[float, ...]) -> BoilCurves:
    """The curves of a run, made once for its looks; arguments and errors as `BoilCurves`."""
    return BoilCurves(pressures_pa, invert_fractions)


@lru_cache(maxsize=512)
def _water_c(station_pressure_pa: float) -> float:
    return water.boiling_point_c(sucrose.require_station_pressure(station_pressure_pa))


@lru_cache(maxsize=64)
def _rises(pressure_pa: float, invert_fraction: float) -> Floats:
    """Rise above water at every step of Brix, K; it hardly changes within a hectopascal."""
    boil = water.boiling_point_c(pressure_pa)
    rises = [
        sucrose.boiling_point_c(i * STEP_BRIX, pressure_pa, invert_fraction) - boil for i in range(STEPS + 1)
    ]
    return np.array(rises)

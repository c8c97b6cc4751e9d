"""The methods of the trade on temperature: where each would stop, and what that leaves.

A method names the mark on *this* thermometer; what it leaves in the pan follows from what
that mark really means there and then.
"""

from dataclasses import dataclass

from lumbrel.core.bench.thermometer import Calibration
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.target import finish_point
from lumbrel.core.physics import sucrose
from lumbrel.words import _

FLAT_219_F_C = (219.0 - 32.0) / 1.8
STEPS_F = {"plus-7": 7.0, "plus-7.1": 7.1, "plus-7.5": 7.5}


@dataclass(frozen=True)
class Stop:
    """Where a rule stops: what the thermometer shows then, what is true, and the density left.

    `brix` is None when that temperature is under water's boil or beyond any syrup's.
    """

    shown_c: float
    true_c: float
    brix: float | None


def shown_mark_c(end_point: str, water_shown_c: float, step_k: float) -> float:
    """The finish mark of a method on a thermometer that shows water's boil as given, degC.

    Args:
        end_point: "computed", "flat-219", "plus-7", "plus-7.1" or "plus-7.5".
        water_shown_c: what this method holds the thermometer to show in boiling water.
        step_k: the computed rise of the target above water, K.
    Raises:
        OutOfRange: an unknown method.
    """
    if end_point == "computed":
        return water_shown_c + step_k
    if end_point == "flat-219":
        return FLAT_219_F_C
    if end_point in STEPS_F:
        return water_shown_c + STEPS_F[end_point] / 1.8
    raise OutOfRange(_("The end point is computed, flat or a step above water."), "end_point")


def stop_at(
    shown_c: float, calibration: Calibration, station_pressure_pa: float, invert_fraction: float
) -> Stop:
    """What stopping at a mark on this thermometer leaves.

    Args:
        shown_c: the mark, as the thermometer shows it, degC.
        calibration: how the thermometer really departs from the truth.
        station_pressure_pa: as it really is, Pa, 50000 to 110000.
        invert_fraction: 0 to 1.
    """
    true = calibration.true_c(shown_c)
    try:
        brix: float | None = sucrose.brix_from_boiling_point(true, station_pressure_pa, invert_fraction)
    except OutOfRange:
        brix = None
    return Stop(shown_c, true, brix)


def step_k(station_pressure_pa: float, target_brix: float, invert_fraction: float) -> float:
    """The computed rise above water, K; arguments as `target.finish_point`."""
    return finish_point(station_pressure_pa, target_brix, invert_fraction).above_water_c

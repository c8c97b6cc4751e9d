"""The finish mark: the temperature at which syrup of the target density boils here today.

And what the trade's frozen rules would do instead, said in Brix.
"""

from dataclasses import dataclass

from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import sucrose, water
from lumbrel.words import _, bare

FLOOR_BRIX, CEILING_BRIX, DEFAULT_BRIX = 66.0, 68.9, 66.9
LEAST_SYRUP_BRIX = 60.0
"""A batch with a lower target is boiled down to near-syrup, not finished."""
PRE_FILTER_ABOVE_WATER_K = 4 / 1.8
FOAM_ABOVE_WATER_K = 3 / 1.8
DEFAULT_INVERT_FRACTION = {"maple": 0.01, "walnut": 0.01, "birch": 0.90}
SUGAR_KINDS = tuple(DEFAULT_INVERT_FRACTION)


@dataclass(frozen=True)
class FinishPoint:
    """Boil of water, boil of the finished syrup and the step between them, degC and K."""

    boiling_point_c: float
    temperature_c: float
    above_water_c: float


def finish_point(
    station_pressure_pa: float, target_brix: float, invert_fraction: float = 0.01
) -> FinishPoint:
    """Where syrup of the target density boils at this pressure.

    Args:
        station_pressure_pa: Pa, 50000 to 110000.
        target_brix: 1 to 97; syrup is drawn between 66.0 and 68.9.
        invert_fraction: share of the solids that is hexoses, 0 to 1.
    Raises:
        OutOfRange: a value lies outside its range.
    Uncertainty: 0.1 K to 70 Brix. Source: reference as `sucrose.boiling_point_c`.
    """
    boil = water.boiling_point_c(sucrose.require_station_pressure(station_pressure_pa))
    finish = sucrose.boiling_point_c(target_brix, station_pressure_pa, invert_fraction)
    return FinishPoint(boil, finish, finish - boil)


@dataclass(frozen=True)
class RuleOfThumb:
    """A frozen rule, where it would stop (true degC) and at what density (None: never boils
    there)."""

    name: str
    stop_c: float
    brix: float | None


def rules_of_thumb(station_pressure_pa: float, invert_fraction: float = 0.01) -> list[RuleOfThumb]:
    """What the usual flat and "water plus" rules would have done, in Brix.

    Args:
        station_pressure_pa: Pa, 50000 to 110000.
        invert_fraction: 0 to 1.
    """
    boil = water.boiling_point_c(sucrose.require_station_pressure(station_pressure_pa))
    rules = [(_("219 °F, flat"), (219 - 32) / 1.8)]
    rules += [(_("water + {step} °F", step=bare(step)), boil + step / 1.8) for step in (7.0, 7.1, 7.5)]
    results = []
    for name, stop in rules:
        try:
            brix: float | None = sucrose.brix_from_boiling_point(stop, station_pressure_pa, invert_fraction)
        except OutOfRange:
            brix = None
        results.append(RuleOfThumb(name, stop, brix))
    return results


def boil_by_feet_rule_c(elevation_m: float) -> float:
    """Water's boil by "one degree F per 500 ft", degC; a rule of thumb, for comparison only.

    Args:
        elevation_m: metres.
    """
    return (212.0 - elevation_m / 0.3048 / 500.0 - 32.0) / 1.8

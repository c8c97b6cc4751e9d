"""The firmness map as it is looked at: today's pressure or another, a serving temperature, one point."""

from dataclasses import dataclass

from lumbrel.core.candy import firmness
from lumbrel.core.candy.confections import BURN_HAZARD_C, Confection, confections
from lumbrel.core.candy.firmness import COLDEST_STIR_C, HOTTEST_STIR_C, LEAST_ABOVE_K, MOST_ABOVE_K, Point
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import water
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.day.ladder import DayCheck
from lumbrel.words import _

__all__ = ["COLDEST_STIR_C", "HOTTEST_STIR_C", "LEAST_ABOVE_K", "MOST_ABOVE_K"]
SERVING = Bounds("serving", "temperature", -10, 40, _("It is served between −10 and 40 °C (14 and 104 °F)."))
STIR = Bounds(
    "stir",
    "temperature",
    COLDEST_STIR_C,
    HOTTEST_STIR_C,
    _("Stirring begins between 15 and 125 °C (59 and 257 °F)."),
)
PRESSURE = Bounds("pressure", "pressure", 600, 1080, _("Pressure must be between 600 and 1080 hPa."))
ABOVE = Bounds(
    "above",
    "difference",
    LEAST_ABOVE_K,
    60,
    _(
        "A confection is boiled 9.5 to 60 K (17 to 108 °F) above water. Type the difference, "
        "not the thermometer's temperature."
    ),
)
UNSTIRRED_C = 115.0
"""Where taffy and drops stand on the map: they are not stirred at all."""
HALF_STIR_K = 5.0


@dataclass(frozen=True, kw_only=True)
class Region:
    """A confection on the map: its boils above water, and where it is stirred, degC."""

    confection: Confection
    low_k: float
    high_k: float
    cold_c: float
    hot_c: float
    stirred: bool


@dataclass(frozen=True, kw_only=True)
class MapLook:
    """The map and the point on it."""

    point: Point
    pressure_pa: float
    boil_c: float
    serving_c: float
    true_c: float
    shown_c: float
    """On the chosen thermometer."""
    crystal_lines: list[tuple[float, float]]
    grain_lines: list[tuple[float, list[tuple[float, float]]]]
    sets_in_pot: list[tuple[float, float]]
    regions: list[Region]
    marks: list[tuple[float, float]]
    """Above water, and what the thermometer shows there."""
    hazard: bool
    nearest: Confection
    """The confection that the point lies in, or next to."""


def start_of(piece: Confection) -> tuple[float, float]:
    """Where a confection's point begins: its middle, K above water and degC."""
    region = _region(piece)
    middle = (region.cold_c + region.hot_c) / 2
    return (
        piece.middle_above_water_k,
        piece.cool_to_c if piece.cool_from_c is None and piece.cool_to_c else middle,
    )


def _region(piece: Confection) -> Region:
    low, high = piece.low_above_water_k, piece.high_above_water_k
    if high - low < 0.5:
        low, high = low - 0.5, high + 0.5
    stirred = piece.cool_to_c is not None
    if not stirred:
        cold, hot = UNSTIRRED_C - 3, UNSTIRRED_C + 3
    elif piece.cool_from_c is not None:
        cold, hot = piece.cool_to_c or 0.0, piece.cool_from_c
    else:
        middle = piece.cool_to_c or 0.0
        cold, hot = max(middle - HALF_STIR_K, COLDEST_STIR_C), middle + HALF_STIR_K
    return Region(confection=piece, low_k=low, high_k=high, cold_c=cold, hot_c=hot, stirred=stirred)


def look(form: Form, today: DayCheck, piece: Confection, invert_fraction: float) -> MapLook | None:
    """The map for a form; None where something on it is wrong, noted there."""
    assert today.pressure is not None
    above_k, stir_c = start_of(piece)
    serving = form.between(SERVING, required=False)
    hpa = form.between(PRESSURE, required=False)
    above = form.between(ABOVE, required=False)
    stir = form.between(STIR, required=False)
    if form.errors:
        return None
    pressure = today.pressure.pa if hpa is None else 100 * hpa
    served = 20.0 if serving is None else serving
    at = above_k if above is None else above
    stirs = stir_c if stir is None else stir
    boil = water.boiling_point_c(pressure)
    if piece.cool_to_c is None and stir is None:
        # What is not stirred stands where it is poured: never hotter than it was boiled.
        stirs = min(stirs, boil + at)
    try:
        point = firmness.point(at, min(stirs, HOTTEST_STIR_C), pressure, served, invert_fraction)
    except OutOfRange as error:
        form.errors[error.field or "stir"] = error.sentence
        return None
    shown = today.chosen.calibration.indicated_c if today.chosen else lambda true_c: true_c
    regions = [_region(p) for p in confections() if p.middle_above_water_k < MOST_ABOVE_K]
    return MapLook(
        point=point,
        pressure_pa=pressure,
        boil_c=boil,
        serving_c=served,
        true_c=boil + at,
        shown_c=shown(boil + at),
        crystal_lines=firmness.crystal_lines(pressure, served, invert_fraction),
        grain_lines=firmness.grain_lines(pressure, invert_fraction),
        sets_in_pot=firmness.sets_in_pot(pressure, served, invert_fraction),
        regions=regions,
        marks=[(k, shown(boil + k)) for k in _marks(today)],
        hazard=boil + at >= BURN_HAZARD_C,
        nearest=_nearest(regions, at, stirs),
    )


def _marks(today: DayCheck) -> list[float]:
    """Round boils above water in the kitchen's own degrees, K."""
    if today.kitchen.units.get("difference") == "F":
        return [k / 1.8 for k in range(18, 49, 3)]
    return [float(k) for k in range(10, 28, 2)]


def _nearest(regions: list[Region], above_k: float, stir_c: float) -> Confection:
    def apart(region: Region) -> float:
        across = max(region.low_k - above_k, above_k - region.high_k, 0.0) / 2.0
        up = max(region.cold_c - stir_c, stir_c - region.hot_c, 0.0) / 12.0
        return across**2 + up**2

    return min(regions, key=apart).confection

"""Where water boils here, where syrup is done, and what a thermometer says of density."""

from pydantic import BaseModel

from lumbrel.core.bench import thermometer
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import methods
from lumbrel.core.pan.target import finish_point
from lumbrel.core.physics import air, water
from lumbrel.core.physics.sucrose import require_station_pressure
from lumbrel.services.base.calculation import (
    IF97,
    MARGULES,
    Answer,
    InvertFraction,
    StationPressure,
    WorkingStep,
    calculation,
    step,
)
from lumbrel.words import _


class BoilingPointAnswer(Answer):
    """Where water boils, and by what."""

    boiling_point_c: float
    station_pressure_hpa: float
    uncertainty_c: float
    basis: str


def _station(
    station_pressure_hpa: float | None,
    sea_level_pressure_hpa: float | None,
    elevation_m: float | None,
    outdoor_temperature_c: float,
) -> tuple[float, float, str, list[WorkingStep]]:
    """The pressure at the pan with one sigma, Pa, by what it is known, and the steps so far."""
    if None not in (station_pressure_hpa, sea_level_pressure_hpa):
        raise OutOfRange(
            _("Give station_pressure_hpa or sea_level_pressure_hpa, not both."), "sea_level_pressure_hpa"
        )
    if station_pressure_hpa is not None:
        pressure, sigma = station_pressure_hpa * 100, air.BAROMETER_SIGMA_PA
        basis = _("station pressure")
        working = [step(_("station pressure"), pressure / 100, "hPa", "given")]
    elif elevation_m is None:
        raise OutOfRange(
            _("Give station_pressure_hpa, or elevation_m, or sea_level_pressure_hpa with elevation_m."),
            "elevation_m",
        )
    elif sea_level_pressure_hpa is not None:
        pressure = air.station_pressure_from_sea_level_pa(
            sea_level_pressure_hpa * 100, elevation_m, outdoor_temperature_c
        )
        sigma, basis = air.FORECAST_SIGMA_PA, _("sea-level pressure")
        working = [
            step(_("sea-level pressure"), sea_level_pressure_hpa, "hPa", "given"),
            step("elevation", elevation_m, "m", "given"),
            step(_("outdoor temperature"), outdoor_temperature_c, "°C", "given"),
            step(_("station pressure"), pressure / 100, "hPa", _("reduction to sea level, undone")),
        ]
    else:
        pressure = air.pressure_at_elevation_pa(elevation_m)
        sigma, basis = air.ELEVATION_ONLY_SIGMA_PA, "elevation"
        working = [
            step("elevation", elevation_m, "m", "given"),
            step(_("mean station pressure"), pressure / 100, "hPa", _("ICAO standard atmosphere")),
        ]
    return pressure, sigma, basis, working


@calculation("boiling-point")
def boiling_point(
    *,
    station_pressure_hpa: float | None = None,
    sea_level_pressure_hpa: float | None = None,
    elevation_m: float | None = None,
    outdoor_temperature_c: float = 10.0,
) -> BoilingPointAnswer:
    """Where water boils, from a barometer, a forecast or the elevation alone.

    Give one basis: station pressure, or sea-level pressure with elevation, or elevation.
    """
    pressure, sigma, basis, working = _station(
        station_pressure_hpa, sea_level_pressure_hpa, elevation_m, outdoor_temperature_c
    )
    boil = water.boiling_point_c(require_station_pressure(pressure))
    doubt = sigma * thermometer.BOIL_SHIFT_K_PER_PA
    working += [
        step(_("boiling point of water"), boil, "°C", IF97),
        step(_("one sigma of the pressure"), sigma / 100, "hPa", basis),
        step(_("which is"), doubt, "K", _("0.028 K per hPa")),
    ]
    return BoilingPointAnswer(
        boiling_point_c=boil,
        station_pressure_hpa=pressure / 100,
        uncertainty_c=doubt,
        basis=basis,
        working=working,
    )


class FinishPointAnswer(Answer):
    """Where syrup of the target density boils."""

    boiling_point_c: float
    temperature_c: float
    above_water_c: float
    indicated_c: float


@calculation("finish-point")
def finish_temperature(
    *,
    station_pressure_hpa: StationPressure,
    target_brix: float = 66.9,
    invert_fraction: InvertFraction = 0.01,
    test_boil_reading_c: float | None = None,
) -> FinishPointAnswer:
    """The finish mark, true and as the thermometer will show it.

    Pressure and density target; a test boil gives the mark in what the thermometer shows.
    """
    pressure = station_pressure_hpa * 100
    point = finish_point(pressure, target_brix, invert_fraction)
    working = [
        step(_("boiling point of water"), point.boiling_point_c, "°C", IF97),
        step(_("rise for the target"), point.above_water_c, "K", MARGULES),
        step(_("finish, true"), point.temperature_c, "°C", "sum"),
    ]
    indicated = point.temperature_c
    if test_boil_reading_c is not None:
        calibration = thermometer.calibrate(test_boil_reading_c, pressure)
        indicated = calibration.indicated_c(point.temperature_c)
        working.append(step(_("thermometer reads high by"), calibration.offset_k, "K", _("test boil")))
    working.append(step(_("the thermometer will show"), indicated, "°C"))
    return FinishPointAnswer(
        boiling_point_c=point.boiling_point_c,
        temperature_c=point.temperature_c,
        above_water_c=point.above_water_c,
        indicated_c=indicated,
        working=working,
    )


class BrixAnswer(Answer):
    """A density with its one sigma."""

    brix: float
    uncertainty_brix: float


@calculation("thermometer/brix")
def thermometer_brix(
    *,
    temperature_c: float,
    station_pressure_hpa: StationPressure,
    invert_fraction: InvertFraction = 0.01,
    test_boil_reading_c: float | None = None,
    uncertainty_c: float | None = None,
) -> BrixAnswer:
    """The density that a boiling temperature speaks of.

    A boiling temperature as shown, with the test boil that corrects it.
    """
    pressure = station_pressure_hpa * 100
    true = temperature_c
    working = [step(_("thermometer shows"), true, "°C", "given")]
    sigma = uncertainty_c
    if test_boil_reading_c is not None:
        calibration = thermometer.calibrate(test_boil_reading_c, pressure)
        true = calibration.true_c(true)
        sigma = calibration.sigma_k if sigma is None else sigma
        working.append(step(_("reads high by"), calibration.offset_k, "K", _("test boil")))
    sigma = thermometer.UNTESTED_SIGMA_K if sigma is None else sigma
    said = thermometer.estimate(true, sigma, pressure, invert_fraction)
    working += [
        step(_("true temperature"), true, "°C"),
        step(_("one sigma"), sigma, "K"),
        step("density", said.brix, _("Brix"), MARGULES),
        step(_("one sigma"), said.sigma_brix, _("Brix"), _("through the slope of the boiling curve")),
    ]
    return BrixAnswer(brix=said.brix, uncertainty_brix=said.sigma_brix, working=working)


class EndPointStop(BaseModel):
    """Where a rule stops: what the thermometer shows, what is true, what it leaves.

    `brix` is null when no syrup boils there.
    """

    school: str
    indicated_c: float
    temperature_c: float
    brix: float | None


class EndPointsAnswer(Answer):
    """Every method of the end point."""

    schools: list[EndPointStop]


@calculation("finish-point/schools")
def end_points(
    *,
    station_pressure_hpa: StationPressure,
    test_boil_reading_c: float | None = None,
    target_brix: float = 66.9,
    invert_fraction: InvertFraction = 0.01,
) -> EndPointsAnswer:
    """What every method of the end point would leave in the pan, in Brix.

    A thermometer in a test boil, and the density wanted.
    """
    pressure = station_pressure_hpa * 100
    boil = water.boiling_point_c(require_station_pressure(pressure))
    held = thermometer.Calibration(at_c=boil)
    working = [step(_("boiling point of water"), boil, "°C", IF97)]
    if test_boil_reading_c is not None:
        held = thermometer.calibrate(test_boil_reading_c, pressure)
        working.append(step(_("thermometer reads high by"), held.offset_k, "K", _("test boil")))
    rise = methods.step_k(pressure, target_brix, invert_fraction)
    working.append(step(_("rise for the target"), rise, "K", MARGULES))
    stops = []
    for method in ("computed", "flat-219", *methods.STEPS_F):
        mark = methods.shown_mark_c(method, held.indicated_c(boil), rise)
        stop = methods.stop_at(mark, held, pressure, invert_fraction)
        stops.append(EndPointStop(school=method, indicated_c=mark, temperature_c=stop.true_c, brix=stop.brix))
        working.append(step(_("{method} leaves", method=method), stop.brix, _("Brix")))
    return EndPointsAnswer(schools=stops, working=working)

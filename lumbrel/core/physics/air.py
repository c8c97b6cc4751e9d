"""Air pressure where the pan stands: from a barometer, a forecast or the elevation.

Sources:
    [1] ICAO standard atmosphere, troposphere.
    [2] The usual reduction of pressure to sea level with the outdoor temperature
        (WMO No. 8, part I, chapter 3, simplified).
"""

from lumbrel.core.errors import require_between
from lumbrel.words import _

STANDARD_PA = 101325.0
BAROMETER_SIGMA_PA = 100.0
ELEVATION_ONLY_SIGMA_PA = 800.0
FORECAST_SIGMA_PA = 250.0
"""One sigma of the station pressure by each basis. Elevation alone ignores the weather,
which moves pressure by some 20 hPa from day to day; a forecast is read for a place nearby
and carries its own reduction."""


def pressure_at_elevation_pa(elevation_m: float) -> float:
    """Mean station pressure at an elevation, weather ignored, Pa.

    Args:
        elevation_m: metres above sea level, -430 to 5000.
    Raises:
        OutOfRange: the elevation lies outside that range.
    Uncertainty: 800 Pa (one sigma of the weather). Source: [1].
    """
    require_between(elevation_m, -430.0, 5000.0, field="elevation_m", what=_("The elevation"), unit="m")
    return STANDARD_PA * float((1 - 2.25577e-5 * elevation_m) ** 5.25588)


def station_pressure_from_sea_level_pa(
    sea_level_pressure_pa: float, elevation_m: float, outdoor_temperature_c: float = 10.0
) -> float:
    """Pressure at the pan from the sea-level pressure that forecasts and phones report, Pa.

    Args:
        sea_level_pressure_pa: Pa, 87000 to 109000.
        elevation_m: metres, -430 to 5000.
        outdoor_temperature_c: degC, -50 to 50.
    Raises:
        OutOfRange: a value lies outside its range.
    Uncertainty: 250 Pa. Source: [2].
    """
    require_between(
        sea_level_pressure_pa / 100,
        870,
        1090,
        field="sea_level_pressure_hpa",
        what=_("Sea-level pressure"),
        unit="hPa",
    )
    require_between(elevation_m, -430.0, 5000.0, field="elevation_m", what=_("The elevation"), unit="m")
    require_between(
        outdoor_temperature_c,
        -50.0,
        50.0,
        field="outdoor_temperature_c",
        what=_("The outdoor temperature"),
        unit="°C",
    )
    lapse = 0.0065 * elevation_m
    return sea_level_pressure_pa * float((1 - lapse / (outdoor_temperature_c + lapse + 273.15)) ** 5.257)


def looks_like_sea_level(station_pressure_pa: float, elevation_m: float) -> bool:
    """Whether a pressure typed as station pressure was probably reduced to sea level.

    True when it is nearer to one standard atmosphere than to what the elevation allows and
    more than 25 hPa (a strong day's weather) above that. At low elevations the two cannot be
    told apart and do not matter.

    Args:
        station_pressure_pa: Pa.
        elevation_m: metres, -430 to 5000.
    """
    expected = pressure_at_elevation_pa(elevation_m)
    nearer_to_sea = abs(station_pressure_pa - STANDARD_PA) < abs(station_pressure_pa - expected)
    return nearer_to_sea and station_pressure_pa - expected > 2500.0

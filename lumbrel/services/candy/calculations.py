"""What a boil leaves for a confection."""

from lumbrel.core.candy import confections
from lumbrel.core.physics import water
from lumbrel.services.base.calculation import (
    IF97,
    MARGULES,
    Answer,
    InvertFraction,
    StationPressure,
    calculation,
    step,
)
from lumbrel.words import _


class ConfectionAnswer(Answer):
    """Solids, the crystal share of the finished piece, and how far over saturation."""

    temperature_c: float
    solids_brix: float
    crystal_fraction: float
    supersaturation: float


@calculation("confection")
def confection(
    *,
    above_water_c: float,
    station_pressure_hpa: StationPressure,
    stir_temperature_c: float,
    serving_temperature_c: float = 20.0,
    invert_fraction: InvertFraction = 0.0,
) -> ConfectionAnswer:
    """Firmness and grain that a boil and a stirring temperature give.

    A boil above water and how it is handled after.
    """
    pressure = station_pressure_hpa * 100
    solids = confections.solids_brix(above_water_c, pressure, invert_fraction)
    boil = water.boiling_point_c(pressure)
    crystal = confections.crystal_fraction(solids, serving_temperature_c)
    over = confections.supersaturation(solids, stir_temperature_c)
    working = [
        step(_("boiling point of water"), boil, "°C", IF97),
        step(_("boil to, true"), boil + above_water_c, "°C"),
        step("solids", solids, _("Brix"), MARGULES),
        step(_("crystal share when served"), crystal, "", _("Vavrinecz's solubility")),
        step(_("supersaturation when stirred"), over, "", _("Vavrinecz's solubility")),
    ]
    return ConfectionAnswer(
        temperature_c=boil + above_water_c,
        solids_brix=solids,
        crystal_fraction=crystal,
        supersaturation=over,
        working=working,
    )

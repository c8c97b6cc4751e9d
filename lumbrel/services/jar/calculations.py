"""Hot volumes and cooling kettles."""

from typing import Annotated

from pydantic import Field

from lumbrel.core.jar import cooling, hot_pack
from lumbrel.services.base.calculation import ICUMSA_DENSITY, Answer, Request, calculation, step
from lumbrel.words import _


class JarAnswer(Answer):
    """How much to fill hot, and what it weighs."""

    fill_volume_l: float
    mass_kg: float


@calculation("jar/volume")
def jar_volume(*, brix: float, fill_temperature_c: float, volume_l: float) -> JarAnswer:
    """Volume to fill hot so that the content stands at 20 °C.

    A content at 20 °C, filled hot.
    """
    volume = hot_pack.fill_volume_l(brix, fill_temperature_c, volume_l)
    mass = hot_pack.mass_kg(brix, volume_l)
    working = [
        step(_("content at 20 °C"), volume_l, "L", "given"),
        step(_("hot over cold"), volume / volume_l, "", ICUMSA_DENSITY),
        step("fill", volume, "L"),
        step("mass", mass, "kg", ICUMSA_DENSITY),
        step(_("hot pack"), hot_pack.hot_pack(fill_temperature_c).value, "", _("82 to 88 °C")),
    ]
    return JarAnswer(fill_volume_l=volume, mass_kg=mass, working=working)


class CoolingReading(Request):
    """A temperature at a minute."""

    minute: float
    temperature_c: float


class CoolingAnswer(Answer):
    """Minutes from the last reading to the temperature, with the 90 % range."""

    minutes_to_target: float
    low: float
    high: float


@calculation("cooling")
def cooling_time(
    *, ambient_c: float, target_c: float, readings: Annotated[list[CoolingReading], Field(max_length=5000)]
) -> CoolingAnswer:
    """When a cooling kettle or pot reaches a temperature.

    A cooling kettle or pot.
    """
    fitted = cooling.fit_cooling(ambient_c, [(r.minute, r.temperature_c) for r in readings])
    minutes, low, high = fitted.minutes_to(target_c)
    working = [
        step("rate", fitted.rate_per_min, "1/min", _("Newton's law, least squares")),
        step("now", fitted.temperature_c_at(fitted.last_minute), "°C", "fitted"),
        step(_("minutes from the last reading"), minutes, "min"),
    ]
    return CoolingAnswer(minutes_to_target=minutes, low=low, high=high, working=working)

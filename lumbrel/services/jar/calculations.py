"""Hot volumes and cooling kettles."""

from typing import Annotated

from pydantic import Field

from lumbrel.core.jar import cooling, hot_pack
from lumbrel.services.base.calculation import ICUMSA_DENSITY, Answer, Calculation, Request, step


class JarRequest(Request):
    """A content at 20 °C, filled hot."""

    brix: float
    fill_temperature_c: float
    volume_l: float


class JarAnswer(Answer):
    """How much to fill hot, and what it weighs."""

    fill_volume_l: float
    mass_kg: float


def jar_volume(request: JarRequest) -> JarAnswer:
    """Volume to fill hot so that the content stands at 20 °C."""
    volume = hot_pack.fill_volume_l(request.brix, request.fill_temperature_c, request.volume_l)
    mass = hot_pack.mass_kg(request.brix, request.volume_l)
    working = [
        step("content at 20 °C", request.volume_l, "L", "given"),
        step("hot over cold", volume / request.volume_l, "", ICUMSA_DENSITY),
        step("fill", volume, "L"),
        step("mass", mass, "kg", ICUMSA_DENSITY),
        step("hot pack", hot_pack.hot_pack(request.fill_temperature_c).value, "", "82 to 88 °C"),
    ]
    return JarAnswer(fill_volume_l=volume, mass_kg=mass, working=working)


class CoolingReading(Request):
    """A temperature at a minute."""

    minute: float
    temperature_c: float


class CoolingRequest(Request):
    """A cooling kettle or pot."""

    ambient_c: float
    target_c: float
    readings: Annotated[list[CoolingReading], Field(max_length=5000)]


class CoolingAnswer(Answer):
    """Minutes from the last reading to the temperature, with the 90 % range."""

    minutes_to_target: float
    low: float
    high: float


def cooling_time(request: CoolingRequest) -> CoolingAnswer:
    """When a cooling kettle or pot reaches a temperature."""
    fitted = cooling.fit_cooling(
        request.ambient_c, [(r.minute, r.temperature_c) for r in request.readings]
    )
    minutes, low, high = fitted.minutes_to(request.target_c)
    working = [
        step("rate", fitted.rate_per_min, "1/min", "Newton's law, least squares"),
        step("now", fitted.temperature_c_at(fitted.last_minute), "°C", "fitted"),
        step("minutes from the last reading", minutes, "min"),
    ]
    return CoolingAnswer(minutes_to_target=minutes, low=low, high=high, working=working)


CALCULATIONS = (
    Calculation("jar/volume", JarRequest, JarAnswer, jar_volume),
    Calculation("cooling", CoolingRequest, CoolingAnswer, cooling_time),
)

"""Colour classes, blends, hot volumes and cooling kettles."""

from math import log
from typing import Annotated

from pydantic import Field

from lumbrel.core.colour import grades
from lumbrel.core.jar import cooling, hot_pack
from lumbrel.services.calculations.model import (
    ICUMSA_DENSITY,
    Answer,
    Calculation,
    Request,
    step,
)


class GradeRequest(Request):
    """A transmittance at 560 nm against glycerol."""

    transmittance_percent: float
    path_length_mm: float = 10.0
    uncertainty_points: float = grades.METER_SIGMA_POINTS


class GradeAnswer(Answer):
    """The colour class, with the chance of each."""

    transmittance_10mm_percent: float
    grade: str
    chances: dict[str, float]


def colour_grade(request: GradeRequest) -> GradeAnswer:
    """Colour class of a transmittance through any path length."""
    t10 = grades.transmittance_10mm_percent(request.transmittance_percent, request.path_length_mm)
    chances = grades.chances(t10, request.uncertainty_points)
    working = [
        step(
            "measured", request.transmittance_percent, "%", f"through {request.path_length_mm:g} mm"
        ),
        step("through 10 mm", t10, "%", "Beer and Lambert"),
        *(step(f"chance of {name}", chance, "") for name, chance in chances.items()),
    ]
    return GradeAnswer(
        transmittance_10mm_percent=t10, grade=grades.colour_class(t10), chances=chances,
        working=working,
    )  # fmt: skip


class BlendPart(Request):
    """One part, its transmittance through 10 mm."""

    volume_l: float
    transmittance_percent: float


class BlendRequest(Request):
    """Parts of the same density."""

    parts: Annotated[list[BlendPart], Field(min_length=1, max_length=100)]


class BlendAnswer(Answer):
    """What the blend comes out at."""

    transmittance_10mm_percent: float
    grade: str
    volume_l: float


def colour_blend(request: BlendRequest) -> BlendAnswer:
    """Colour of a blend: absorbance adds by volume."""
    t10 = grades.blend_transmittance_percent(
        [(part.volume_l, part.transmittance_percent) for part in request.parts]
    )
    volume = sum(part.volume_l for part in request.parts)
    working = [
        step("volume", volume, "L", "sum"),
        step("absorbance of the blend", -log(t10 / 100, 10), "", "mean by volume"),
        step("transmittance through 10 mm", t10, "%"),
    ]
    return BlendAnswer(
        transmittance_10mm_percent=t10, grade=grades.colour_class(t10), volume_l=volume,
        working=working,
    )  # fmt: skip


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
    Calculation("colour/grade", GradeRequest, GradeAnswer, colour_grade),
    Calculation("colour/blend", BlendRequest, BlendAnswer, colour_blend),
    Calculation("jar/volume", JarRequest, JarAnswer, jar_volume),
    Calculation("cooling", CoolingRequest, CoolingAnswer, cooling_time),
)

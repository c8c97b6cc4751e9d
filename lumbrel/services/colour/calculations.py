"""Colour classes and blends."""

from math import log
from typing import Annotated

from pydantic import Field

from lumbrel.core.colour import grades
from lumbrel.core.colour.blend import PartOfBlend, blend
from lumbrel.services.base.calculation import Answer, Request, calculation, step
from lumbrel.words import _, bare


class GradeAnswer(Answer):
    """The colour class, with the chance of each."""

    transmittance_10mm_percent: float
    grade: str
    chances: dict[str, float]


@calculation("colour/grade")
def colour_grade(
    *,
    transmittance_percent: float,
    path_length_mm: float = 10.0,
    uncertainty_points: float = grades.METER_SIGMA_POINTS,
) -> GradeAnswer:
    """Colour class of a transmittance through any path length.

    A transmittance at 560 nm against glycerol.
    """
    t10 = grades.transmittance_10mm_percent(transmittance_percent, path_length_mm)
    chances = grades.chances(t10, uncertainty_points)
    working = [
        step(
            "measured",
            transmittance_percent,
            "%",
            _("through {path_length_mm} mm", path_length_mm=bare(path_length_mm)),
        ),
        step(_("through 10 mm"), t10, "%", _("Beer and Lambert")),
        *(step(_("chance of {name}", name=name), chance, "") for name, chance in chances.items()),
    ]
    return GradeAnswer(
        transmittance_10mm_percent=t10, grade=grades.colour_class(t10), chances=chances, working=working
    )


SYRUP_BRIX = 66.9
"""Of a part that does not say: only its volume and its light count then."""


class BlendPart(Request):
    """One part, its transmittance through 10 mm; where its Brix is given for all, so is the blend's."""

    volume_l: float
    transmittance_percent: float
    brix: float | None = None
    uncertainty_points: float = grades.METER_SIGMA_POINTS


class BlendAnswer(Answer):
    """What the blend comes out at."""

    transmittance_10mm_percent: float
    grade: str
    volume_l: float
    chances: dict[str, float]
    brix: float | None
    mass_kg: float | None


@calculation("colour/blend")
def colour_blend(*, parts: Annotated[list[BlendPart], Field(min_length=1, max_length=100)]) -> BlendAnswer:
    """Colour of a blend: absorbance adds by volume.

    Parts of about the same density.
    """
    t10 = grades.blend_transmittance_percent([(part.volume_l, part.transmittance_percent) for part in parts])
    volume = sum(part.volume_l for part in parts)
    working = [
        step("volume", volume, "L", "sum"),
        step(_("absorbance of the blend"), -log(t10 / 100, 10), "", _("mean by volume")),
        step(_("transmittance through 10 mm"), t10, "%"),
    ]
    told = [part.brix for part in parts]
    come = blend(
        [
            PartOfBlend(
                volume_l=part.volume_l,
                brix=part.brix if part.brix is not None else SYRUP_BRIX,
                transmittance_percent=part.transmittance_percent,
                sigma_points=part.uncertainty_points,
            )
            for part in parts
        ]
    )
    return BlendAnswer(
        transmittance_10mm_percent=t10,
        grade=grades.colour_class(t10),
        volume_l=volume,
        chances=come.chances,
        brix=None if None in told else come.brix,
        mass_kg=None if None in told else come.mass_kg,
        working=working,
    )

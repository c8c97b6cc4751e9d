"""A row of references in light, and the season's colours: what a sample is held against."""

from dataclasses import dataclass

from lumbrel.core.colour.appearance import srgb
from lumbrel.core.colour.by_eye import REFERENCES
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import ColourFacts
from lumbrel.services.bench.checks import check_is_old
from lumbrel.services.colour.classes import CLASSES
from lumbrel.store import kept
from lumbrel.store.instruments import ReferenceDetail, VialDetail

STANDARD_MM, MOST_LOTS = 10.0, 120


@dataclass(frozen=True)
class Vial:
    """A vial of the row: how much light it lets through 10 mm, percent, its colour, and its class."""

    transmittance_percent: float
    colour: str
    grade: str
    border: bool


@dataclass(frozen=True, kw_only=True)
class VialRow:
    """The row, the sample in it, and the season."""

    vials: list[Vial]
    path_mm: float
    """Of the kitchen's own vial."""
    old: str
    """Why the references may hold no more; empty while they do."""
    sample: Vial | None
    limits: tuple[float, float] | None
    season: list[tuple[str, float]]
    """Of this season's batches that were measured: code and transmittance, oldest first."""


def row_of(context: BatchContext) -> VialRow:
    """The row as the kitchen's own vial shows it, and what is known of a batch's colour."""
    vials = context.instruments_of(VialDetail)
    path = vials[0].detail.path_mm if vials else STANDARD_MM
    sets = context.instruments_of(ReferenceDetail)
    done = context.last(ColourFacts)
    light = done.facts.transmittance_10mm_percent if done else None
    season = context.taken_in.at.year
    return VialRow(
        vials=[_vial(t, path) for t in REFERENCES],
        path_mm=path,
        old=check_is_old(context.db, sets[0], context.now) if sets else "",
        sample=None if light is None else _vial(light, path),
        limits=done.facts.transmittance_limits if done else None,
        season=kept.colours_of_season(context.db, season, MOST_LOTS),
    )


def vial_of(transmittance: float) -> Vial:
    """A colour in a vial of the standard size."""
    return _vial(transmittance, STANDARD_MM)


def _vial(transmittance: float, path_mm: float) -> Vial:
    grade = next(c.name for c in CLASSES if transmittance >= c.low_percent)
    border = any(c.low_percent == transmittance for c in CLASSES)
    return Vial(transmittance, srgb(max(transmittance, 0.5), path_mm), grade, border)

"""Syrups poured together: how much it is, how dense, what colour, and how much of one brings another to a
class.

Source: solids and mass are conserved; absorbance adds by volume (Lambert and Beer).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import log, log10, sqrt

from lumbrel.core.colour.grades import CLASSES, chances
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics.sucrose import density_kg_m3
from lumbrel.words import _

LEAST_SIGMA, MOST_SIGMA = 0.3, 30.0
SURE = 0.9
STEPS, LEAST_HELP = 80, 0.01


@dataclass(frozen=True, kw_only=True)
class PartOfBlend:
    """A part of a blend: litres at 20 degC, Brix, transmittance at 560 nm through 10 mm in percent, and
    one sigma of that in points. Water is 0 Brix and 100 %."""

    volume_l: float
    brix: float
    transmittance_percent: float
    sigma_points: float

    @property
    def mass_kg(self) -> float:
        """What it weighs."""
        return self.volume_l * density_kg_m3(self.brix, 20.0) / 1000


@dataclass(frozen=True, kw_only=True)
class Blended:
    """What comes of it, in the same units, with the chance of each class."""

    volume_l: float
    mass_kg: float
    brix: float
    transmittance_percent: float
    sigma_points: float
    chances: dict[str, float]


def blend(parts: Sequence[PartOfBlend]) -> Blended:
    """Pour parts together.

    Args:
        parts: volumes from 0 to 100 000 L, Brix 0 to 85, transmittance above 0 to 100; those of
            0 L count as not there.
    Raises:
        OutOfRange: nothing is poured, or a value lies outside its range.
    """
    for part in parts:
        require_between(part.volume_l, 0.0, 100_000.0, field="volume_l", what=_("A part"), unit="L")
        require_between(
            part.transmittance_percent,
            1e-6,
            100.0,
            field="transmittance_percent",
            what=_("Transmittance"),
            unit="%",
        )
    poured = [part for part in parts if part.volume_l > 0]
    if not poured:
        raise OutOfRange(_("Give at least one part a volume above zero."), "parts")
    together = sum(part.volume_l for part in poured)
    mass = sum(part.mass_kg for part in poured)
    brix = sum(part.mass_kg * part.brix for part in poured) / mass
    shares = [(part, part.volume_l / together) for part in poured]
    absorbance = sum(-log10(p.transmittance_percent / 100) * share for p, share in shares)
    # An error of a part's light is one of its absorbance, and those of the parts are their own.
    doubt = sqrt(sum((p.sigma_points / p.transmittance_percent / log(10) * s) ** 2 for p, s in shares))
    light = 100 * 10**-absorbance
    sigma = min(max(light * log(10) * doubt, LEAST_SIGMA), MOST_SIGMA)
    return Blended(
        volume_l=1000 * mass / density_kg_m3(brix, 20.0),
        mass_kg=mass,
        brix=brix,
        transmittance_percent=light,
        sigma_points=sigma,
        chances=chances(light, sigma),
    )


@dataclass(frozen=True)
class Within:
    """Litres of one part that make a blend of a class: the least and the most, and the chance of the class
    at the least."""

    least_l: float
    most_l: float
    chance: float


def within_class(parts: Sequence[PartOfBlend], more: PartOfBlend, wanted: str) -> Within | None:
    """How much of one more part makes a blend of a class, as surely as nine times in ten; where nothing
    does, what comes nearest. None where it helps nothing.

    Args:
        parts: what is there without it.
        more: that part, with all there is of it as its volume, above 0.
        wanted: the class's name.
    Raises:
        OutOfRange: no such class.
    """
    if wanted not in {name for name, _any, _other in CLASSES}:
        raise OutOfRange(_("Choose one of the colour classes."), "wanted")

    def chance(litres: float) -> float:
        poured = [*parts, replace(more, volume_l=litres)]
        return blend(poured).chances[wanted] if any(p.volume_l > 0 for p in poured) else 0.0

    tried = [(more.volume_l * i / STEPS, chance(more.volume_l * i / STEPS)) for i in range(STEPS + 1)]
    enough = [litres for litres, found in tried if found >= SURE]
    if not enough:
        best, found = max(tried, key=lambda one: one[1])
        return Within(best, best, found) if found > tried[0][1] + LEAST_HELP else None

    def border(outside: float, inside: float) -> float:
        while abs(outside - inside) > 0.002:
            middle = (outside + inside) / 2
            outside, inside = (outside, middle) if chance(middle) >= SURE else (middle, inside)
        return inside

    step = more.volume_l / STEPS
    least = border(enough[0] - step, enough[0]) if enough[0] > 0 else 0.0
    most = border(enough[-1] + step, enough[-1]) if enough[-1] < more.volume_l else more.volume_l
    return Within(least, most, chance(least))

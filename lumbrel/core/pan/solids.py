"""Solids are conserved: what to drive off, what to put back, what sap makes."""

from collections.abc import Sequence
from dataclasses import dataclass

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics import sucrose, water
from lumbrel.words import _

MOST_BRIX = 97.0
"""No syrup is denser in a pan."""


@dataclass(frozen=True)
class MassStep:
    """Something put in (mass above 0) or drawn (below 0) at a minute, kg at a Brix."""

    minute: float
    mass_kg: float
    brix: float


def solids_after(taken_in_kg: float, steps: Sequence[MassStep]) -> list[float]:
    """The solids in the vessel at first and after each step, kg.

    Args:
        taken_in_kg: solids at first, above 0.
        steps: in order of time.
    Raises:
        OutOfRange: more was drawn than was ever in it.
    """
    solids = [taken_in_kg]
    for step in steps:
        solids.append(solids[-1] + step.mass_kg * step.brix / 100)
        if solids[-1] <= 0:
            raise OutOfRange(_("More was drawn than was ever in the vessel."), "events")
    return solids


def mass_at(mass_kg: float, brix: float, target_brix: float) -> float:
    """Mass of the same solids at the target density, kg.

    Args:
        mass_kg: kg, above 0.
        brix: 0.1 to 97, as it is now.
        target_brix: 0.1 to 97.
    Raises:
        OutOfRange: a value lies outside its range.
    """
    if not 0 < mass_kg <= 100_000:
        raise OutOfRange(_("The mass must be above 0 and at most 100 000 kg."), "mass_kg")
    require_between(brix, 0.1, MOST_BRIX, field="brix", what=_("Brix"), unit=_("percent by mass"))
    require_between(
        target_brix, 0.1, MOST_BRIX, field="target_brix", what=_("The target"), unit=_("percent by mass")
    )
    return mass_kg * brix / target_brix


def water_to_remove_kg(mass_kg: float, brix: float, target_brix: float) -> float:
    """Water to drive off to reach the target, kg; negative is water to put back.

    Args and errors: as `mass_at`. Example: 12.0 kg at 57.4 to 66.9: 1.704 kg.
    """
    return mass_kg - mass_at(mass_kg, brix, target_brix)


def thinner_syrup_to_add_kg(mass_kg: float, brix: float, target_brix: float, thinner_brix: float) -> float:
    """Thinner syrup to put back into syrup that went over, kg.

    Args:
        mass_kg, brix, target_brix: as `mass_at`, with brix at or over the target.
        thinner_brix: density of what is put back, 0 and up, below the target.
    Raises:
        OutOfRange: the syrup is not over the target, or the other one not under it.
    """
    mass_at(mass_kg, brix, target_brix)
    if brix < target_brix:
        raise OutOfRange(_("The syrup is under the target: boil on instead."), "brix")
    if not 0 <= thinner_brix < target_brix:
        raise OutOfRange(_("What is put back must be thinner than the target."), "thinner_brix")
    return mass_kg * (brix - target_brix) / (target_brix - thinner_brix)


def sap_ratio(sap_brix: float, target_brix: float) -> float:
    """Volumes of sap or concentrate to one of syrup, both at 20 degC.

    Args:
        sap_brix: 0.1 to 85.
        target_brix: 0.1 to 85.
    Raises:
        OutOfRange: a value lies outside its range.
    """
    require_between(
        sap_brix, 0.1, 85.0, field="sap_brix", what=_("The sap's Brix"), unit=_("percent by mass")
    )
    require_between(
        target_brix, 0.1, 85.0, field="target_brix", what=_("The target"), unit=_("percent by mass")
    )
    solids = target_brix * sucrose.density_kg_m3(target_brix, 20.0)
    return solids / (sap_brix * sucrose.density_kg_m3(sap_brix, 20.0))


def carry_over_brix(brix: float, carry_over_fraction: float) -> float:
    """How far the hot vessel carries the syrup on after the heat is cut, Brix.

    Args:
        brix: at the cut, 0.1 to 97.
        carry_over_fraction: share of the mass still boiled off, 0 to 0.1 (0.005 default).
    """
    require_between(
        carry_over_fraction, 0.0, 0.1, field="carry_over_fraction", what=_("The carry-over"), unit=""
    )
    return brix / (1 - carry_over_fraction) - brix


def heat_up_minutes(
    mass_kg: float, brix: float, from_c: float, boil_c: float, boil_off_kg_per_min: float
) -> float:
    """Minutes to bring a charge to the boil with the heat that later drives off water.

    Args:
        mass_kg: kg, above 0.
        brix: 0 to 97.
        from_c, boil_c: degC, 0 to 160.
        boil_off_kg_per_min: the vessel's rate at the boil, above 0.
    """
    if boil_c <= from_c:
        return 0.0
    if not boil_off_kg_per_min > 0:
        raise OutOfRange(_("The vessel's rate must be above 0 kg per minute."), "rate_kg_per_min")
    return unboiled_kg(mass_kg, brix, from_c, boil_c) / boil_off_kg_per_min


def unboiled_kg(mass_kg: float, brix: float, from_c: float, boil_c: float) -> float:
    """Water that the heat would have driven off which brings a charge to the boil, kg.

    Args: as `heat_up_minutes`.
    """
    heat = sucrose.specific_heat_kj_per_kg_k(brix, (from_c + boil_c) / 2) * mass_kg
    latent = water.latent_heat_kj_per_kg(max(80.0, boil_c))
    return max(heat * (boil_c - from_c) / latent, 0.0)

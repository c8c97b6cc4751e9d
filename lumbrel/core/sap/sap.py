"""Sap as it comes from the tree: its usual sugar, its mass, its ice, and what syrup it makes."""

from dataclasses import dataclass
from math import hypot
from typing import NamedTuple

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.pan import solids
from lumbrel.core.pan.raw_sap import SAP_BRIX
from lumbrel.core.physics import sucrose
from lumbrel.words import _, number

LEAST_BRIX, USUAL_MOST_BRIX, MOST_BRIX = 0.1, 6.0, 10.0
"""Sap over 6 Brix is worth a question; over 10 it was concentrated."""
ICE_SHARE, ICE_SHARE_SIGMA = 0.15, 0.03
"""The Brix of ice as a share of the sap's that it froze out of."""
RULE_OF_86 = 86.0
FIXED_RULES = (40.0, 43.0, 50.0)


class Sugar(NamedTuple):
    """The sugar of sap, Brix, and one sigma of it."""

    brix: float
    sigma: float


def usual(tree: str) -> Sugar:
    """What a kind of tree's sap usually holds.

    Args:
        tree: one of `SAP_BRIX`.
    Raises:
        OutOfRange: no such tree.
    """
    if tree not in SAP_BRIX:
        raise OutOfRange(_("The tree is one of {SAP_BRIX}.", SAP_BRIX=", ".join(SAP_BRIX)), "tree")
    return Sugar(*SAP_BRIX[tree])


def require_sap(brix: float) -> float:
    """The Brix, when sap can have it.

    Raises:
        OutOfRange: under 0.1 or over 10.
    """
    if not LEAST_BRIX <= brix <= MOST_BRIX:
        raise OutOfRange(
            _(
                "Sap must hold between 0.1 and 10 Brix, mostly 1 to 3. What was concentrated is "
                "taken in as concentrate."
            ),
            "brix",
        )
    return brix


def mass_kg(litres: float, brix: float, temperature_c: float = 5.0) -> float:
    """The mass of sap, kg.

    Args:
        litres: 0 to 1 000 000, as measured.
        brix: 0 to 85.
        temperature_c: 0 to 100; under 0 as at 0.
    """
    require_between(litres, 0.0, 1e6, field="litres", what=_("The sap"), unit="L")
    return litres * sucrose.density_kg_m3(brix, max(temperature_c, 0.0)) / 1000


def litres(mass: float, brix: float, temperature_c: float = 5.0) -> float:
    """The volume of so much sap, L. Args: as `mass_kg`, with the mass in kg."""
    return mass / sucrose.density_kg_m3(brix, max(temperature_c, 0.0)) * 1000


@dataclass(frozen=True, kw_only=True)
class WithoutIce:
    """What was left when the ice was thrown off."""

    mass_kg: float
    brix: float
    brix_sigma: float
    ice_brix: float
    sugar_gone_kg: float
    sugar_gone_share: float
    """Of the sugar that was in it."""
    water_saved_kg: float
    """That need not be boiled off."""


def without_ice(whole_kg: float, brix: float, ice_kg: float, brix_sigma: float = 0.0) -> WithoutIce:
    """Throw the ice off sap: solids before are those left and those in the ice.

    Args:
        whole_kg: sap and ice together.
        brix: of all of it, thawed: 0.1 to 10.
        ice_kg: thrown off; less than the whole, or what is left would be sugar alone.
        brix_sigma: one sigma of the Brix.
    Raises:
        OutOfRange: there is as much ice as sap, or more than would leave a liquid.
    Source: mass balance; ice freezes out with 10 to 20 % of the sap's Brix.
    """
    require_sap(brix)
    if ice_kg < 0 or ice_kg >= whole_kg:
        raise OutOfRange(
            _("The ice is part of what was there: it weighs less than sap and ice together."), "ice"
        )
    left = whole_kg - ice_kg
    gone = ice_kg * brix * ICE_SHARE / 100
    left_brix = (whole_kg * brix / 100 - gone) / left * 100
    if left_brix > 30.0:
        raise OutOfRange(
            _(
                "So much ice would leave a syrup of {left_brix} Brix; no winter does that. Check how "
                "much ice it was.",
                left_brix=number(left_brix, 0),
            ),
            "ice",
        )
    of_ice = ice_kg / left * brix * ICE_SHARE_SIGMA
    return WithoutIce(
        mass_kg=left,
        brix=left_brix,
        brix_sigma=hypot(of_ice, brix_sigma * left_brix / brix),
        ice_brix=brix * ICE_SHARE,
        sugar_gone_kg=gone,
        sugar_gone_share=gone / (whole_kg * brix / 100),
        water_saved_kg=ice_kg - gone,
    )


@dataclass(frozen=True)
class Becomes:
    """What sap makes, by the mass balance and by the rules of thumb; L of syrup."""

    syrup_l: float
    ratio: float
    by_rule_of_86_l: float
    by_fixed_l: tuple[tuple[float, float], ...]
    """Each rule's sap to one of syrup, and what it says."""


def becomes(sap_l: float, brix: float, target_brix: float) -> Becomes:
    """The syrup that sap makes.

    Args:
        sap_l: L, above 0.
        brix: 0.1 to 85.
        target_brix: of the syrup.
    Source: solids conserved; "rule of 86" and fixed rules of the trade beside it.
    """
    ratio = solids.sap_ratio(brix, target_brix)
    return Becomes(
        syrup_l=sap_l / ratio,
        ratio=ratio,
        by_rule_of_86_l=sap_l * brix / RULE_OF_86,
        by_fixed_l=tuple((rule, sap_l / rule) for rule in FIXED_RULES),
    )

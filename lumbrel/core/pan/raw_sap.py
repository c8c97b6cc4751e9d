"""How dense near-syrup is when nobody can measure it: from the sap that it came from, or from
nothing at all."""

from math import sqrt
from typing import NamedTuple

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics import sucrose
from lumbrel.words import _

SAP_BRIX = {
    "sugar maple": (2.0, 0.5),
    "red maple": (1.6, 0.4),
    "silver maple": (1.7, 0.4),
    "bigleaf maple": (1.3, 0.4),
    "walnut": (1.8, 0.6),
    "birch": (0.8, 0.2),
}
"""Usual sugar of the sap, percent by mass, and one sigma of it from tree to tree and day to day."""
ANY_SAP = (1.8, 0.6)
AMOUNT_SIGMA = 0.07
"""Of how much sap it was: buckets, guessed and spilt."""
NOTHING_KNOWN = (32.0, 0.45)
"""Brix of what people put on to finish, and one sigma of its logarithm."""
LEAST_BRIX, MOST_BRIX = 1.0, 66.0


class Guess(NamedTuple):
    """A density that nobody read: Brix, and one sigma of it."""

    brix: float
    sigma_brix: float


def guess(mass_kg: float, sap_kg: float | None = None, tree: str = "") -> Guess:
    """The density of what is in the vessel.

    Args:
        mass_kg: in the vessel, above 0.
        sap_kg: all the sap that it came from; None when nobody knows.
        tree: one of `SAP_BRIX`; empty when nobody knows.
    Raises:
        OutOfRange: there was less sap than what is in the vessel now, or the tree has no sap here.
    Source: solids conserved; usual sugar of the trees' sap.
    """
    if not 0 < mass_kg <= 100_000:
        raise OutOfRange(_("The mass must be above 0 and at most 100 000 kg."), "amount")
    if tree and tree not in SAP_BRIX:
        raise OutOfRange(_("The tree is one of {SAP_BRIX}.", SAP_BRIX=", ".join(SAP_BRIX)), "tree")
    if sap_kg is None:
        mean, share = NOTHING_KNOWN
        return Guess(mean, share * mean)
    if sap_kg < 0.9 * mass_kg:
        raise OutOfRange(
            _("There was more sap at first than is in the vessel now: type all of it."), "raw_sap"
        )
    sap, sigma = SAP_BRIX.get(tree, ANY_SAP)
    brix = min(max(sap * sap_kg / mass_kg, LEAST_BRIX), MOST_BRIX)
    return Guess(brix, brix * sqrt((sigma / sap) ** 2 + AMOUNT_SIGMA**2))


def sap_kg(litres: float) -> float:
    """The mass of raw sap, kg.

    Args:
        litres: 0.1 to 100 000.
    """
    require_between(litres, 0.1, 100_000, field="raw_sap", what=_("The raw sap"), unit="L")
    return litres * sucrose.density_kg_m3(2.0, 10.0) / 1000

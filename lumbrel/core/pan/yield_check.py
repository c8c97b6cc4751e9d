"""How much syrup there is against how much there should be, and what the difference means."""

from dataclasses import dataclass
from math import hypot

from lumbrel.core.errors import require_between
from lumbrel.words import _

USUAL_LOSS, USUAL_LOSS_SIGMA = 0.02, 0.015
"""Of the syrup: what clings to pan, spoon and cloth, and goes up as spray; one sigma of it."""
MEASURED_SIGMA = 0.025
"""One sigma of how much there is: jars and jugs, froth, what the scale shows."""
AGREES_SIGMAS, STANDS_OUT_SIGMAS = 2.0, 1.0
"""Beyond the first it is no chance; beyond the second it is said what it may mean."""
THINNEST_BRIX, THICKEST_BRIX = 30.0, 80.0
"""What is thinner boils like water, what is thicker is candy: nobody takes either for syrup."""
SPILT_SHARE = 0.05
"""A loss is named from so much on."""


@dataclass(frozen=True)
class Meaning:
    """One thing that the difference may mean: what, the figure that would explain it all, and how far that
    lies from what was believed, in sigmas (0 for a loss, which has none)."""

    key: str
    value: float
    sigmas: float


@dataclass(frozen=True, kw_only=True)
class YieldCheck:
    """How much there should be, how much there is, and what it means."""

    expected_kg: float
    measured_kg: float
    share: float
    sigma_share: float
    agrees: bool
    meanings: tuple[Meaning, ...]
    """The likeliest first; none where it is as near as it should be."""


def check_yield(
    solids_kg: float,
    solids_sigma_share: float,
    brix: float,
    sigma_brix: float,
    measured_kg: float,
    *,
    sap_brix: float | None = None,
    loss_share: float = USUAL_LOSS,
) -> YieldCheck:
    """Hold what there is against the sugar that was put on and the density it was drawn at.

    Args:
        solids_kg: sugar taken in, above 0.
        solids_sigma_share: one sigma of it, as a fraction of it; 0 to 1.
        brix: density as it is believed now, 20 to 97.
        sigma_brix: one sigma of it, 0.02 to 50.
        measured_kg: how much syrup there is, above 0.
        sap_brix: of the raw sap, where the sugar was guessed from it.
        loss_share: what is usually lost on the way, 0 to 0.5.
    Raises:
        OutOfRange: a value lies outside its range.
    Source: solids conserved.
    """
    require_between(solids_kg, 0.01, 50_000, field="solids_kg", what=_("The solids"), unit="kg")
    require_between(brix, 20.0, 97.0, field="brix", what=_("Brix"), unit=_("percent by mass"))
    require_between(measured_kg, 0.01, 50_000, field="amount", what=_("What there is"), unit="kg")
    expected = 100 * solids_kg / brix * (1 - loss_share)
    share = measured_kg / expected
    sigma = hypot(solids_sigma_share, sigma_brix / brix, MEASURED_SIGMA, USUAL_LOSS_SIGMA)
    agrees = abs(share - 1) <= AGREES_SIGMAS * sigma
    return YieldCheck(
        expected_kg=expected,
        measured_kg=measured_kg,
        share=share,
        sigma_share=sigma,
        agrees=agrees,
        meanings=()
        if abs(share - 1) <= STANDS_OUT_SIGMAS * sigma
        else _meanings(
            expected,
            share,
            brix=brix,
            sigma_brix=sigma_brix,
            solids_sigma_share=solids_sigma_share,
            sap_brix=sap_brix,
        ),
    )


def _meanings(
    expected_kg: float,
    share: float,
    *,
    brix: float,
    sigma_brix: float,
    solids_sigma_share: float,
    sap_brix: float | None,
) -> tuple[Meaning, ...]:
    would_be = brix / share
    found = []
    if THINNEST_BRIX <= would_be <= THICKEST_BRIX:
        key = "thin" if share > 1 else "thick"
        found.append(Meaning(key, would_be, abs(would_be - brix) / sigma_brix))
    off = abs(share - 1) / max(solids_sigma_share, 1e-3)
    if sap_brix is not None:
        found.append(Meaning("sap", sap_brix * share, off))
    else:
        found.append(Meaning("taken_in", share, off))
    if share < 1 - SPILT_SHARE:
        # What boiled over has no sigma of its own: it comes after what is explained well.
        found.append(Meaning("lost", expected_kg * (1 - share), AGREES_SIGMAS))
    return tuple(sorted(found, key=lambda meaning: meaning.sigmas))

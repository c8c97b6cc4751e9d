"""One verdict: keep boiling, look again, draw now, over, or these disagree."""

from dataclasses import dataclass
from enum import StrEnum

from lumbrel.core.errors import require_between
from lumbrel.core.pan import solids, target


class Call(StrEnum):
    """What to do next at the pan."""

    KEEP_BOILING = "keep_boiling"
    CHECK_AGAIN = "check_again"
    DRAW_NOW = "draw_now"
    OVER = "over"
    DISAGREE = "disagree"


@dataclass(frozen=True)
class Verdict:
    """A call and the figures it was made on.

    `water_kg` is the water still to drive off; negative is water to put back.
    `draw_at_brix` is the target less the draw margin.
    """

    call: Call
    water_kg: float
    draw_at_brix: float
    reason: str


VAGUE_SIGMA_BRIX = 1.0
NEAR_BRIX = 3.0
OVER_BRIX = 0.6
DRAW_SHORT_BRIX = 0.2


def verdict(
    mass_kg: float,
    brix: float,
    sigma_brix: float,
    *,
    target_brix: float,
    agree: bool,
    check_due: bool,
    draw_margin_brix: float = 0.0,
) -> Verdict:
    """What to do, from the joint density now.

    Disagreement comes first: a draw is never advised on figures that contradict each other.
    Over is called when the density is past the target by more than 0.6 Brix and more than its
    own sigma, or past the ceiling of 68.9. Near the target a joint value vaguer than 1 Brix
    is not enough to draw on: look again with a better instrument.

    Args:
        mass_kg: in the vessel now, above 0.
        brix, sigma_brix: the joint density now.
        target_brix: 50 to 80.
        agree: whether the instruments agree.
        check_due: whether the last look is older than the time set for the next one.
        draw_margin_brix: how much ahead of the target the person draws, 0 to 5.
    """
    require_between(target_brix, 50.0, 80.0, field="target_brix", what="The target", unit="Brix")
    require_between(
        draw_margin_brix, 0.0, 5.0, field="draw_margin_brix", what="The draw margin", unit="Brix"
    )
    draw_at = target_brix - draw_margin_brix
    water = solids.water_to_remove_kg(mass_kg, brix, target_brix)
    if not agree:
        return Verdict(Call.DISAGREE, water, draw_at, "the instruments contradict each other")
    past = brix - target_brix
    if past > max(OVER_BRIX, sigma_brix) or (brix > target.CEILING_BRIX and past > sigma_brix):
        return Verdict(Call.OVER, water, draw_at, "past the target by more than the doubt")
    if sigma_brix > VAGUE_SIGMA_BRIX and brix > draw_at - NEAR_BRIX:
        return Verdict(
            Call.CHECK_AGAIN, water, draw_at, "too near the target for so vague a figure"
        )
    if brix >= draw_at - DRAW_SHORT_BRIX:
        return Verdict(Call.DRAW_NOW, water, draw_at, "at the mark")
    if check_due:
        return Verdict(Call.CHECK_AGAIN, water, draw_at, "the last look is too long ago")
    return Verdict(Call.KEEP_BOILING, water, draw_at, "not there yet")

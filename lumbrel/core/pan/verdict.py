"""One verdict: keep boiling, look again, draw now, over, or these disagree."""

from dataclasses import dataclass
from enum import StrEnum

from lumbrel.core.errors import require_between
from lumbrel.core.pan import solids, target
from lumbrel.words import _


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


OVER_BRIX, OVER_SIGMAS, BLIND_SIGMAS = 0.6, 1.3, 2.5
VAGUE_SIGMA_BRIX = 2.6
"""On so vague a figure nothing is called."""
DRAW_SHORT_BRIX = 0.05
ACTING_MINUTES, ACTING_SIGMA = 0.33, 0.2
"""From the word to the draw."""
LOOKING_MINUTES, WAITING_SIGMAS, THIN_SIGMAS = 1.0, 1.25, 2.6
"""From the word to what a look made of it; what a sharper figure is worth against that."""


SPOILS_BRIX, SPOILS_SIGMAS, MOST_THICKER = 65.0, 1.85, 1.1
"""Thin syrup spoils, thick syrup can be thinned: who has nothing sharper than a vague thermometer
draws so far on the safe side."""


def _rather_thick(draw_at_brix: float, sigma_brix: float) -> float:
    safe = SPOILS_BRIX + SPOILS_SIGMAS * sigma_brix
    return min(max(draw_at_brix, safe), draw_at_brix + MOST_THICKER)


@dataclass(frozen=True, kw_only=True)
class Looks:
    """What looking again could bring.

    Args:
        can: whether anything is at hand that would sharpen the figure.
        fresh: whether it was used a moment ago.
        due: whether the last look is older than the time set for the next one.
        could_be: whether it could be done any moment: the low end of the range is under a minute away.
        asked: whether something is asked about that would make it another boil: nothing is done then unless
            a fresh look says so.
        sharp_brix: one sigma that is sharp enough to draw on without a fresh look.
        brings_brix: one sigma of what a look tells by itself.
    """

    can: bool = True
    sharp_brix: float = 0.5
    brings_brix: float = 0.5
    fresh: bool = False
    due: bool = False
    could_be: bool = False
    asked: bool = False

    def worth_waiting(self, sigma_brix: float, rise_brix_per_min: float) -> bool:
        """Whether one more look brings more than is lost while it is made: it boils on meanwhile."""
        after = (sigma_brix**-2 + self.brings_brix**-2) ** -0.5
        gain = WAITING_SIGMAS * float(sigma_brix - after)
        return gain > rise_brix_per_min * LOOKING_MINUTES


def verdict(
    mass_kg: float,
    brix: float,
    sigma_brix: float,
    *,
    target_brix: float,
    agree: bool,
    looks: Looks,
    rise_brix_per_min: float = 0.0,
    draw_margin_brix: float = 0.0,
) -> Verdict:
    """What to do, from the density believed now.

    Disagreement comes first: a draw is never advised on figures that contradict each other. "Draw
    now" looks ahead by the time it takes to act. It and "over" want the same proof: a figure as
    sharp as a look with what is at hand can make it. Who has nothing to look with is told at the
    best moment all the same, with an honest promise.

    Args:
        mass_kg: in the vessel now, above 0.
        brix, sigma_brix: the density believed now.
        target_brix: 20 to 80; under 60 it is near-syrup.
        agree: whether the instruments agree.
        looks: what looking again could bring.
        rise_brix_per_min: how fast it grows denser.
        draw_margin_brix: how much ahead of the target the person draws, 0 to 5.
    """
    require_between(target_brix, 20.0, 80.0, field="target_brix", what=_("The target"), unit=_("Brix"))
    require_between(
        draw_margin_brix, 0.0, 5.0, field="draw_margin_brix", what=_("The draw margin"), unit=_("Brix")
    )
    draw_at = target_brix - draw_margin_brix
    water = solids.water_to_remove_kg(mass_kg, brix, target_brix)
    if not agree:
        return Verdict(Call.DISAGREE, water, draw_at, _("the instruments contradict each other"))
    if sigma_brix > VAGUE_SIGMA_BRIX and brix + sigma_brix > draw_at:
        return Verdict(Call.CHECK_AGAIN, water, draw_at, _("not certain enough yet"))
    proven, past = _is_proven(brix, sigma_brix, looks, rise_brix_per_min), brix - target_brix
    if _is_over(brix, sigma_brix, past, looks):
        if proven or past > 2 * sigma_brix:
            return Verdict(Call.OVER, water, draw_at, _("past the target by more than the doubt"))
        return Verdict(Call.CHECK_AGAIN, water, draw_at, _("past the target, if that is so"))
    reached = brix + rise_brix_per_min * ACTING_MINUTES
    wanted = draw_at if looks.can else _rather_thick(draw_at, sigma_brix)
    if reached >= wanted - DRAW_SHORT_BRIX:
        if proven or reached > draw_at + sigma_brix:
            return Verdict(Call.DRAW_NOW, water, draw_at, _("at the mark"))
        vague = _("too near the target to be certain")
        return Verdict(Call.CHECK_AGAIN, water, draw_at, vague)
    return _before(looks, water, draw_at)


def _before(looks: Looks, water_kg: float, draw_at: float) -> Verdict:
    """Before the mark: look again, or keep boiling."""
    if looks.could_be:
        return Verdict(Call.CHECK_AGAIN, water_kg, draw_at, _("it could be done any moment"))
    if looks.due:
        return Verdict(Call.CHECK_AGAIN, water_kg, draw_at, _("the last look is too long ago"))
    return Verdict(Call.KEEP_BOILING, water_kg, draw_at, _("not there yet"))


def _is_proven(brix: float, sigma_brix: float, looks: Looks, rise: float) -> bool:
    """Whether a figure is good enough to draw on: it is sharp, or a look just now made it as sharp as
    a look can, or looking would take longer than it is worth and it is not too thin to keep."""
    if sigma_brix <= looks.sharp_brix or looks.fresh or not looks.can:
        return True
    keeps = brix - THIN_SIGMAS * sigma_brix > SPOILS_BRIX
    return keeps and not looks.worth_waiting(sigma_brix, rise)


def _is_over(brix: float, sigma_brix: float, past_brix: float, looks: Looks) -> bool:
    """Whether it is past the target by more than the doubt, or past the ceiling."""
    sigmas = OVER_SIGMAS if looks.can else BLIND_SIGMAS
    ceiling = looks.can and brix > target.CEILING_BRIX and past_brix > sigma_brix
    return ceiling or past_brix > max(OVER_BRIX, sigmas * sigma_brix)

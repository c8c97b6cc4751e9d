"""The boil by eye, nose and ear: where it stands, what that is like, and how long one may look away."""

from dataclasses import dataclass
from enum import StrEnum
from math import inf

from lumbrel.core.errors import require_between
from lumbrel.core.pan.target import FOAM_ABOVE_WATER_K, LEAST_SYRUP_BRIX
from lumbrel.words import _


class Stage(StrEnum):
    """Where a boil stands, from the fire's lighting to the draw."""

    WARMING = "warming"
    THIN = "thin"
    SWEET = "sweet"
    FOAM = "foam"
    CLOSE = "close"
    NEAR_SYRUP = "near_syrup"
    MARK = "mark"
    RESTING = "resting"


@dataclass(frozen=True, kw_only=True)
class Senses:
    """What a stage is like, and what may go wrong in its next minutes."""

    looks: str
    smells: str
    sounds: str
    wrong: str


SENSES: dict[Stage, Senses] = {
    Stage.WARMING: Senses(
        looks=_("Steam rises, beads cling to the bottom, a grey scum gathers: skim it."),
        smells=_("of little yet, a little green."),
        sounds=_("it ticks and hisses, then grows loud just before it rolls."),
        wrong=_(
            "A full pot rises like milk as it first boils, and under a lid it always does: leave the lid off."
        ),
    ),
    Stage.THIN: Senses(
        looks=_("Thin as water. Big bubbles that burst at once; white foam that can be skimmed."),
        smells=_("faintly sweet, of wet wood."),
        sounds=_("a loud, rolling boil."),
        wrong=_("The level falls faster than one thinks. A pan that runs low scorches: keep it deep."),
    ),
    Stage.SWEET: Senses(
        looks=_("Straw to honey in colour. Foam stands longer, bubbles are still large."),
        smells=_("sweet, of vanilla; the steam is sticky."),
        sounds=_("still a roll, a little softer."),
        wrong=_("It goes faster from here on: what took an hour takes a quarter of one. Defoamer to hand."),
    ),
    Stage.FOAM: Senses(
        looks=_("Bubbles turn small and crowd together; foam climbs the wall by itself."),
        smells=_("of syrup."),
        sounds=_("the roll dies down to a hiss."),
        wrong=_(
            "Foam climbs over the rim in seconds. A speck of fat knocks it down; then the heat, "
            "then lift it off."
        ),
    ),
    Stage.CLOSE: Senses(
        looks=_("Small glossy bubbles all over. Drops hang from the spoon, then join."),
        smells=_("rich, of caramel; burnt at the rim means too hot a wall."),
        sounds=_("thick, slow plopping."),
        wrong=_("A minute too long makes crystals in the jar, and a low pan burns. Stand by the heat."),
    ),
    Stage.NEAR_SYRUP: Senses(
        looks=_("Honey-coloured and still thin: single drops run off the spoon."),
        smells=_("sweet, of vanilla."),
        sounds=_("a softer roll."),
        wrong=_("A wide pan has little left in it now and runs low in minutes. A low pan scorches."),
    ),
    Stage.MARK: Senses(
        looks=_("It leaves the spoon in a sheet that breaks off at once."),
        smells=_("of finished syrup."),
        sounds=_("it sputters."),
        wrong=_("The hot pan goes on boiling by itself: lift it off, or pour it out."),
    ),
    Stage.RESTING: Senses(
        looks=_("The bubbles sink; a skin may form."),
        smells=_("as it did."),
        sounds="quiet.",
        wrong=_(
            "It thickens as it cools and looks done before it is: judge it by an instrument, or "
            "by a cold plate."
        ),
    ),
}

THIN_TO_BRIX = 20.0
CLOSE_WITHIN_BRIX = 4.0
MOST_AWAY_MINUTES = 15.0
SHARE_AWAY, SHARE_WARMING = 0.4, 0.3
"""Of the time in which nothing should happen: what one may look away for, boiling and before; when a pot
comes to the boil is known less well."""


def stage_of(
    brix: float,
    above_water_k: float,
    *,
    target_brix: float,
    boils: bool = True,
    heat_is_off: bool = False,
    at_mark: bool = False,
) -> Stage:
    """Where a boil stands.

    Args:
        brix: what is believed of it now, 0 to 97.
        above_water_k: how far above water it boils, K.
        target_brix: 20 to 75; under 60 it is near-syrup.
        boils: whether it boils yet.
        heat_is_off: whether the heat is off for now.
        at_mark: whether it is to be drawn.
    Raises:
        OutOfRange: a value lies outside its range.
    """
    require_between(brix, 0.0, 97.0, field="brix", what=_("Brix"), unit=_("percent by mass"))
    require_between(target_brix, 20.0, 75.0, field="target_brix", what=_("The target"), unit=_("Brix"))
    to_near_syrup = target_brix < LEAST_SYRUP_BRIX
    if at_mark:
        return Stage.NEAR_SYRUP if to_near_syrup else Stage.MARK
    if heat_is_off:
        return Stage.RESTING
    if not boils:
        return Stage.WARMING
    if brix >= target_brix - CLOSE_WITHIN_BRIX:
        return Stage.NEAR_SYRUP if to_near_syrup else Stage.CLOSE
    if above_water_k >= FOAM_ABOVE_WATER_K:
        return Stage.FOAM
    return Stage.SWEET if brix >= THIN_TO_BRIX else Stage.THIN


def away_minutes(
    stage: Stage, *, to_boil: float = inf, to_foam: float = inf, to_low: float = inf
) -> float | None:
    """How long one may look away, whole minutes: a share of what is left until anything happens.

    Args:
        to_boil: minutes until it boils, while it is warming.
        to_foam: the fewest minutes, one in twenty, until the foam zone.
        to_low: minutes until the pan runs low.
    Returns:
        0 for not at all; None where nothing is on the heat.
    """
    if stage is Stage.RESTING:
        return None
    if stage not in (Stage.WARMING, Stage.THIN, Stage.SWEET):
        return 0.0
    minutes = SHARE_AWAY * max(min(to_foam, to_low), 0.0)
    if stage is Stage.WARMING:
        minutes = min(minutes, SHARE_WARMING * max(to_boil, 0.0))
    minutes = min(minutes, MOST_AWAY_MINUTES)
    return float(int(minutes))

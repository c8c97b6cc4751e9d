"""A confection that went wrong: its cook's own figures, what they say of the cause, and what can be saved."""

from dataclasses import dataclass
from datetime import timedelta

from lumbrel.core.candy.clinic import COMPLAINTS, FLAWS, CookFigures, likely_causes, remelt_water_kg
from lumbrel.core.candy.stirring import WORKED
from lumbrel.core.shelf.clinic import FlawCause
from lumbrel.services.base.facts import FoamFacts
from lumbrel.services.candy.pot import CookBoard
from lumbrel.words import _

FLAW_CHOICES = (("", _("nothing")), *FLAWS.items())
NO_REMELT = ("scorched", "sticky_snow", "bloom")


@dataclass(frozen=True, kw_only=True)
class CandyClinic:
    """What is to be said of a confection that went wrong."""

    flaw: str
    words: str
    advice: str
    causes: list[FlawCause]
    remelt_kg: float | None
    """Water to melt what there is with; None where it is not melted again."""
    mark_shown_c: float
    """To where it is boiled then, as its thermometer shows it."""


def clinic(board: CookBoard, flaw: str) -> CandyClinic | None:
    """What made it so, likely; None for no flaw, or before it came off the fire."""
    if flaw not in COMPLAINTS or board.off is None:
        return None
    words, advice, _ = COMPLAINTS[flaw]
    mass = board.made.facts.made_kg if board.made else board.mass_now_kg
    remelt = None if flaw in NO_REMELT else remelt_water_kg(mass, board.off.facts.brix)
    return CandyClinic(
        flaw=flaw,
        words=words,
        advice=advice,
        causes=likely_causes(flaw, figures_of(board)),
        remelt_kg=remelt,
        mark_shown_c=board.shown_c(board.mark_c),
    )


def figures_of(board: CookBoard) -> CookFigures:
    """What is known of a cook."""
    assert board.off is not None
    cook, stir, turned, made = board.cook, board.stir, board.turned, board.made
    worked = WORKED.get(cook.piece)
    minute = timedelta(minutes=1)
    return CookFigures(
        piece=board.piece,
        above_k=board.off.facts.above_water_k,
        mark_k=cook.above_water_k,
        brix=board.off.facts.brix,
        stir_c=stir.facts.temperature_c if stir else None,
        wanted_stir_c=cook.stir_c,
        stirred_min=(turned.at - stir.at) / minute if stir and turned else None,
        usual_min=board.turn.minutes if board.turn else None,
        waited_min=(made.at - turned.at) / minute if made and turned else None,
        holds_min=worked.holds_min if worked else None,
        invert_percent=cook.invert_percent,
        invert_sigma=cook.invert_sigma,
        foamed=board.context.first(FoamFacts) is not None,
    )

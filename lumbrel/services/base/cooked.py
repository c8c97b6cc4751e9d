"""What a slip shows of a cook."""

from datetime import timedelta

from lumbrel.services.base import standing
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    BathFacts,
    CookFacts,
    MadeFacts,
    ScoredFacts,
    StirFacts,
    TurnedFacts,
)
from lumbrel.store.cooks import CookSeen


def cook_seen(lines: standing.Slip) -> CookSeen | None:
    """What a cook teaches of its pot and of its confection; None before it came off the fire."""
    off = standing.off_the_fire(lines)
    if off is None or not standing.is_cook(lines):
        return None
    cook = standing.of_kind(lines, CookFacts)[0].facts
    baths = standing.of_kind(lines, BathFacts)
    stir = next(iter(standing.of_kind(lines, StirFacts)), None)
    turned = next(iter(standing.of_kind(lines, TurnedFacts)), None)
    made = standing.of_kind(lines, MadeFacts)
    scores = standing.of_kind(lines, ScoredFacts)
    score = scores[-1].facts if scores else None
    return CookSeen(
        vessel_id=cook.vessel_id,
        piece=cook.piece,
        cooked_at=off.at,
        above_water_k=off.facts.above_water_k,
        stir_c=stir.facts.temperature_c if stir else None,
        bath=baths[-1].facts.bath if baths else off.facts.bath,
        film=stir.facts.film if stir else None,
        litres=stir.facts.litres if stir else None,
        stirred_min=_minutes(stir, turned),
        loss=_loss([e.facts for e in made]),
        texture=score.texture if score else None,
        grain=score.grain if score else None,
        taste=score.taste if score else None,
    )


def _minutes(stir: Entry[StirFacts] | None, turned: Entry[TurnedFacts] | None) -> float | None:
    """Of stirring, until it turned."""
    if stir is None or turned is None or turned.at <= stir.at:
        return None
    return (turned.at - stir.at) / timedelta(minutes=1)


def _loss(made: list[MadeFacts]) -> float | None:
    """The share that stayed in the pot, when somebody weighed what came out of it."""
    whole = sum(facts.made_kg + facts.left_kg for facts in made)
    if not whole or not any(facts.weighed for facts in made):
        return None
    return sum(facts.left_kg for facts in made) / whole

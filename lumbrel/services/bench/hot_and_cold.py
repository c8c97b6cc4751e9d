"""Draws that a hydrometer read hot and cold: what its own curve is learnt from."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from lumbrel.core.bench.hydrometer import COLD_CUP_C
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawnFacts, Facts, HydrometerFacts, PutInFacts
from lumbrel.store.kept_use import Pair

HOT_FROM_C = 50.0
SAME_DRAW = timedelta(seconds=30)


@dataclass(frozen=True)
class HotAndCold:
    """One draw: read hot at it or after it, and cold later."""

    hot: Entry[HydrometerFacts]
    cold: Entry[HydrometerFacts]


def pairs_of(lines: Sequence[Entry[Facts]]) -> list[Pair]:
    """The pairs of one slip, at most one a hydrometer.

    The hot reading is the last one no earlier than half a minute before the draw and before the
    cold one; nothing was put in after the hot reading and before the cold one. Assumed cups and
    readings below the scale teach nothing, nor does a kettle that was filled by several draws.
    """
    drawn = [e for e in lines if isinstance(e.facts, DrawnFacts)]
    if len(drawn) != 1:
        return []
    stems = {e.facts.instrument_id for e in lines if isinstance(e.facts, HydrometerFacts)}
    found = ((stem, _pair(lines, drawn[0], stem)) for stem in sorted(stems))
    return [Pair(stem, pair.hot.id, pair.cold.id, pair.cold.at) for stem, pair in found if pair]


def _pair(lines: Sequence[Entry[Facts]], drawn: Entry[Facts], instrument_id: str) -> HotAndCold | None:
    """The hot line and the first cold one after it, of one slip."""
    hot: Entry[HydrometerFacts] | None = None
    for entry in lines:
        facts = entry.facts
        if isinstance(facts, PutInFacts):
            hot = None
        elif isinstance(facts, HydrometerFacts) and _teaches(facts, instrument_id):
            if facts.cup_c >= HOT_FROM_C and entry.at >= drawn.at - SAME_DRAW:
                hot = entry  # type: ignore[assignment]
            elif hot is not None and COLD_CUP_C[0] <= facts.cup_c <= COLD_CUP_C[1]:
                return HotAndCold(hot, entry)  # type: ignore[arg-type]
    return None


def _teaches(facts: HydrometerFacts, instrument_id: str) -> bool:
    sure = not facts.below_scale and not facts.cup_assumed
    return sure and facts.instrument_id == instrument_id

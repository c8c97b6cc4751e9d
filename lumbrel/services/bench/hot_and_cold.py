"""Draws that a hydrometer read hot and cold: what its own curve is learnt from."""

from dataclasses import dataclass
from datetime import timedelta
from itertools import groupby
from sqlite3 import Connection

from lumbrel.core.bench.hydrometer import COLD_CUP_C
from lumbrel.services.base.entry import Entry, of_row
from lumbrel.services.base.facts import AddedFacts, DrawFacts, Facts, HydrometerFacts
from lumbrel.store.record import batches, current_of_kinds

HOT_FROM_C = 50.0
SAME_DRAW = timedelta(seconds=30)


@dataclass(frozen=True)
class HotAndCold:
    """One draw: read hot at it or after it, and cold later."""

    batch_code: str
    hot: Entry[HydrometerFacts]
    cold: Entry[HydrometerFacts]


def hot_and_cold(db: Connection, instrument_id: str) -> list[HotAndCold]:
    """Draws that a hydrometer read both hot and cold, oldest first.

    The hot reading is the last one no earlier than half a minute before the draw and before the
    cold one; nothing was put in after the hot reading and before the cold one. Assumed cups and
    readings below the scale teach nothing.
    """
    codes = {b.id: b.code for b in batches(db)}
    rows = current_of_kinds(db, ("draw", "added", "hydrometer"))
    found = []
    for batch_id, group in groupby(rows, key=lambda row: row.batch_id):
        pair = _pair([of_row(row) for row in group], instrument_id)
        if pair:
            found.append(HotAndCold(codes[batch_id], *pair))
    return sorted(found, key=lambda one: one.hot.at)


def _pair(
    slip: list[Entry[Facts]], instrument_id: str
) -> tuple[Entry[HydrometerFacts], Entry[HydrometerFacts]] | None:
    """The hot line and the first cold one after it, of one slip."""
    drawn = next((e for e in slip if isinstance(e.facts, DrawFacts)), None)
    if drawn is None:
        return None
    hot: Entry[HydrometerFacts] | None = None
    for entry in slip:
        facts = entry.facts
        if isinstance(facts, AddedFacts):
            hot = None
        elif isinstance(facts, HydrometerFacts) and _teaches(facts, instrument_id):
            if facts.cup_c >= HOT_FROM_C and entry.at >= drawn.at - SAME_DRAW:
                hot = entry  # type: ignore[assignment]
            elif hot is not None and COLD_CUP_C[0] <= facts.cup_c <= COLD_CUP_C[1]:
                return hot, entry  # type: ignore[return-value]
    return None


def _teaches(facts: HydrometerFacts, instrument_id: str) -> bool:
    sure = not facts.below_scale and not facts.cup_assumed
    return sure and facts.instrument_id == instrument_id

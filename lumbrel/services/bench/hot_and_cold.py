"""Draws that a hydrometer read hot and cold."""

from datetime import timedelta
from itertools import groupby
from sqlite3 import Connection

from lumbrel.store.record import Entry, batches, standing_of_kinds


def hot_and_cold(
    db: Connection,
    instrument_id: str,
    hot_from_c: float,
    cold_c: tuple[float, float],
    same_draw: timedelta,
) -> list[tuple[str, Entry, Entry]]:
    """Draws that a hydrometer read both hot and cold: batch code, hot line, first cold line.

    The hot reading is the last one no earlier than `same_draw` before the draw and before the
    cold one; nothing was put in after the hot reading and before the cold one. Assumed cups and
    readings below the scale teach nothing. Oldest first.
    """
    pairs = []
    rows = standing_of_kinds(db, ("draw", "added", "hydrometer"))
    for batch_id, group in groupby(rows, key=lambda e: e.batch_id):
        slip = list(group)
        drawn = next((e for e in slip if e.kind == "draw"), None)
        if drawn is None:
            continue
        hot: Entry | None = None
        for entry in slip:
            if entry.kind == "added":
                hot = None
            elif entry.kind == "hydrometer" and _teaches(entry, instrument_id):
                cup = entry.facts["cup_c"]
                if cup >= hot_from_c and entry.at >= drawn.at - same_draw:
                    hot = entry
                elif hot is not None and cold_c[0] <= cup <= cold_c[1]:
                    pairs.append((batch_id, hot, entry))
                    break
    codes = {b.id: b.code for b in batches(db)}
    pairs.sort(key=lambda pair: pair[1].at)
    return [(codes[batch_id], hot, cold) for batch_id, hot, cold in pairs]


def _teaches(entry: Entry, instrument_id: str) -> bool:
    facts = entry.facts
    plain = not facts.get("below_scale") and not facts.get("cup_assumed")
    return facts["instrument_id"] == instrument_id and plain

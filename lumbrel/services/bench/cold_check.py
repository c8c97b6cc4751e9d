"""The first cold reading after a draw: what the syrup is, and what everything before it is held
against."""

from collections.abc import Sequence
from sqlite3 import Connection

from lumbrel.core.bench.hydrometer import COLD_CUP_C
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    Facts,
    HydrometerFacts,
    PutInFacts,
    ReadingFacts,
    RefractometerFacts,
)
from lumbrel.services.bench.correct import Corrector
from lumbrel.store.instruments import instruments
from lumbrel.store.kitchen import Kitchen
from lumbrel.store.record import Batch

Lines = Sequence[Entry[Facts]]


def cold_check(
    db: Connection, kitchen: Kitchen, batch: Batch, lines: Lines, draw: Entry[Facts]
) -> Corrected | None:
    """The first cold reading of what was drawn, corrected; None before there is one, or when
    something was put in between."""
    cold = _first_cold(lines, draw)
    if cold is None:
        return None
    corrector = Corrector(
        db,
        kitchen,
        sugar_kind=batch.sugar_kind,
        methods=batch.methods,
        instruments=instruments(db, retired=True),
    )
    found = corrector.correct(cold)
    return None if found.brix is None else found


def _first_cold(lines: Lines, draw: Entry[Facts]) -> Entry[ReadingFacts] | None:
    for entry in lines:
        if entry.at <= draw.at:
            continue
        if isinstance(entry.facts, PutInFacts):
            return None
        if isinstance(entry.facts, RefractometerFacts) or (
            isinstance(entry.facts, HydrometerFacts)
            and not entry.facts.below_scale
            and COLD_CUP_C[0] <= entry.facts.cup_c <= COLD_CUP_C[1]
        ):
            return entry  # type: ignore[return-value]
    return None

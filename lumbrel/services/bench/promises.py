"""What was promised of a draw, held against what the first cold check found."""

from collections.abc import Sequence
from sqlite3 import Connection

from lumbrel.core.bench.hydrometer import COLD_CUP_C
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    AddedFacts,
    DrawFacts,
    Facts,
    HydrometerFacts,
    ReadingFacts,
    RefractometerFacts,
)
from lumbrel.services.bench.correct import Corrector
from lumbrel.store.instruments import instruments
from lumbrel.store.kept import PromiseRow
from lumbrel.store.kitchen import Kitchen
from lumbrel.store.record import Batch

Lines = Sequence[Entry[Facts]]


def promise_of(db: Connection, kitchen: Kitchen, batch: Batch, lines: Lines) -> PromiseRow | None:
    """A batch's promise and how it was kept; None before both are known.

    The first cold reading after the draw counts, unless something was put back in between. It is
    itself read to so much only, and that much is allowed for.
    """
    draw = next((e for e in lines if isinstance(e.facts, DrawFacts)), None)
    if draw is None or not isinstance(draw.facts, DrawFacts) or draw.facts.promise_brix is None:
        return None
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
    if found.brix is None:
        return None
    off = found.brix - draw.facts.target_brix
    promised = draw.facts.promise_brix
    return PromiseRow(
        season=draw.at.year,
        promised_brix=promised,
        off_brix=off,
        held=abs(off) <= promised + found.sigma_brix,
    )


def _first_cold(lines: Lines, draw: Entry[Facts]) -> Entry[ReadingFacts] | None:
    for entry in lines:
        if entry.at <= draw.at:
            continue
        if isinstance(entry.facts, AddedFacts):
            return None
        if isinstance(entry.facts, RefractometerFacts) or (
            isinstance(entry.facts, HydrometerFacts)
            and not entry.facts.below_scale
            and COLD_CUP_C[0] <= entry.facts.cup_c <= COLD_CUP_C[1]
        ):
            return entry  # type: ignore[return-value]
    return None

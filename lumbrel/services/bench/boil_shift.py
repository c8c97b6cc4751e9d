"""What a draw teaches of its woodlot's boil: how hot it boiled, against what it read cold."""

from lumbrel.core.pan.boil_shift import seen_at
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.services.base import standing
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawFacts, PutInFacts
from lumbrel.store.kept import ShiftRow
from lumbrel.store.record import Batch

TEACHES_BRIX = (40.0, 85.0)
UNTESTED_K = 0.6
"""A thermometer known no better than this teaches nothing."""


def shift_of(
    batch: Batch, lines: standing.Slip, draw: Entry[DrawFacts], cold: Corrected | None
) -> ShiftRow | None:
    """What a batch teaches; None when no thermometer told, nobody read it cold, or its sugar is of
    several woodlots."""
    boil, taken = draw.facts.boil, standing.taken_in(lines).facts
    if boil is None or cold is None or cold.brix is None or boil.rise_sigma_k > UNTESTED_K:
        return None
    others = [e for e in standing.of_kind(lines, PutInFacts) if e.facts.brix > 0]
    woodlots = {part.woodlot_id for part in taken.parts} or {batch.woodlot_id}
    if len(woodlots) > 1 or any(e.facts.from_batch_id or e.facts.woodlot_id for e in others):
        return None
    if not TEACHES_BRIX[0] <= cold.brix <= TEACHES_BRIX[1]:
        return None
    seen = seen_at(
        boil.rise_k,
        boil.rise_sigma_k,
        cold.brix,
        cold.sigma_brix,
        pressure_pa=boil.pressure_pa,
        invert_fraction=DEFAULT_INVERT_FRACTION[taken.sugar_kind],
        carry_over_fraction=boil.carry_over_fraction,
    )
    return ShiftRow(
        woodlot_id=woodlots.pop(),
        sugar_kind=taken.sugar_kind,
        learnt_at=cold.at,
        shift_k=seen.shift_k,
        sigma_k=seen.sigma_k,
        shared_k=seen.shared_k,
    )

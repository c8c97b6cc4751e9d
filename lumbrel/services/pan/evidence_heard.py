"""What tales of a boil are told of: they differ in who counts, and in what may have become another."""

from collections.abc import Sequence
from functools import partial
from typing import NamedTuple

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import READINGS, Corrected
from lumbrel.services.base.entry import with_facts
from lumbrel.services.base.facts import DepthFacts, ScaleFacts, SignFacts, WeighedFacts
from lumbrel.services.bench.correct import Corrector
from lumbrel.services.pan import continuous, dipstick, live_scale, signs, weighed
from lumbrel.services.pan.evidence_probe import ProbeSays, Told, brix_of, live_of, probe_of
from lumbrel.services.pan.run import Boil, boil_of
from lumbrel.services.pan.unsaid import SAID_WITHIN, Away, Jump, ScaleTold, away, jumps_answered
from lumbrel.store.samples import Sample


class Heard(NamedTuple):
    """What tales of a boil are told of."""

    boil: Boil
    readings: list[Corrected]
    probe: ProbeSays
    samples: list[Sample]
    gone: list[Away]
    weighed: list[Corrected]
    """What a scale under the vessel said by itself."""


def heard(context: BatchContext, jumps: Sequence[Jump]) -> Heard:
    """All that was said of a boil, worked out once for each supposition.

    Args:
        jumps: where what is in it may have become another, besides what was answered.
    """
    return context.once(("heard", *jumps), partial(_heard_of, context, jumps))


def _heard_of(context: BatchContext, jumps: Sequence[Jump]) -> Heard:
    told = live_of(context)
    gone = away(context, told.falls, context.taken_in.at)
    weight = live_scale.told(context)
    said = jumps_answered(context, gone)
    seen = [one for one in weight.jumps if not any(abs(one.at - o.at) <= SAID_WITHIN for o in said)]
    boil = _boil(context, told, gone, (*said, *seen, *jumps), weight)
    probe = probe_of(context, boil, told, gone)
    samples = [Sample(point.at, point.shown_c) for point in probe.points]
    told_by_weight = [one for one in weight.readings if boil.start <= one.at <= boil.until]
    return Heard(
        boil=boil,
        readings=_readings(context, boil),
        probe=probe,
        samples=samples,
        gone=gone,
        weighed=told_by_weight,
    )


def _boil(
    context: BatchContext, told: Told, gone: Sequence[Away], jumps: Sequence[Jump], weight: ScaleTold
) -> Boil:
    """The boil so far; of a continuous pan that of its draw-off."""
    boil = boil_of(context, told.first_at, told.speaks, gone, jumps, weight=weight)
    if not context.channels:
        return boil
    return continuous.climb_of(context, boil, told.points, partial(brix_of, context, told))


def _readings(context: BatchContext, boil: Boil) -> list[Corrected]:
    """Every current reading of a boil, corrected, oldest first."""
    corrector = Corrector.of(context)
    found = []
    for entry in context.current:
        if entry.at > boil.until or not continuous.speaks(context, boil, entry):
            continue
        if read := with_facts(entry, READINGS):
            found.append(corrector.correct(read))
        elif depth := with_facts(entry, (DepthFacts,)):
            found.append(context.once(entry.id, partial(dipstick.corrected, context, depth)))
        elif sign := with_facts(entry, (SignFacts,)):
            found.append(context.once(entry.id, partial(signs.corrected, context, sign)))
        elif cup := with_facts(entry, (WeighedFacts,)):
            found.append(context.once(entry.id, partial(weighed.corrected_cupful, context, cup)))
        elif pot := with_facts(entry, (ScaleFacts,)):
            found.append(context.once(entry.id, partial(weighed.corrected_scale, context, pot)))
    return sorted(found, key=lambda r: r.at)

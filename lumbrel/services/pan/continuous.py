"""A continuous pan at work: what stands in it, and its draw-off from one draw to the next."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import pairwise
from math import exp, hypot, sqrt

from lumbrel.core.pan import continuous
from lumbrel.core.pan.continuous import Climb, Drawn, Running
from lumbrel.core.pan.raw_sap import ANY_SAP
from lumbrel.core.pan.vessel import HOTTEST_VOLUME_C, hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    DepthFacts,
    Facts,
    FedFacts,
    OpenedFacts,
    PartDrawFacts,
    PouredFacts,
    PutInFacts,
    ScaleFacts,
    TakeInFacts,
    ThermometerFacts,
)
from lumbrel.services.pan.heats import While, heat_off
from lumbrel.services.pan.probe_points import RunPoint
from lumbrel.services.pan.rate import Rate, learned_rate
from lumbrel.services.pan.run import Boil

WHOLE_POT = (DepthFacts, ScaleFacts)
"""What speaks of all that is in a pan says nothing of its draw-off."""
FALLS_K, RISES_K = 0.6, 0.25
"""A draw-off that cools by so much was drawn, or flooded with sap; by so much warmer it climbs again."""
OF_THE_DRAW = timedelta(minutes=4)
"""A cup that is read so soon after a draw is of what was drawn."""
SAID_WITHIN = timedelta(minutes=5)
FEED_SHARE, DRAWN_SHARE, LIKE_STEADY = 0.12, 0.05, 0.3
LEAST_SHARE = 0.08
"""One sigma of the sugar that was fed and drawn, and of what stands in a pan by its channels."""
UNNOTED_L, UNNOTED_SHARE, UNNOTED_MINUTES = 5.0, 0.3, 60.0
"""So much more sap must have run in than was noted, before it is said; and for so long."""
UNSAID_SIGMA_BRIX = 3.0
LAST_WHILE = timedelta(minutes=25)
LATELY_SIGMA_BRIX, LATELY_SIGMA = 8.0, 0.7
"""One sigma of where the last while of a long climb began, and of the logarithm of its slope."""


@dataclass(frozen=True, kw_only=True)
class Stands:
    """All that is in a continuous pan."""

    litres: float
    """As it would be cold."""
    mass_kg: float
    brix: float
    brix_sigma: float
    driven_off_kg: float
    """Since the fire was lit, by what was noted and what stands in it."""
    unnoted_l: float
    """Sap that must have run in besides what was noted, by the fire's rate; 0 when it is little."""


def running_of(context: BatchContext) -> Running:
    """The pan as core knows it, by the sap it was fed last and what its vessel drives off.

    Args:
        context: of a continuous pan.
    """
    rate = learned_rate(context.db, context.vessel, context.taken_in.at)
    taken = context.taken_in.facts
    channels = context.channels
    target = context.batch.target_brix
    fed = context.of_kind(FedFacts)[-3:]
    kg = sum(e.facts.mass_kg for e in fed)
    if kg > 0:
        sap = sum(e.facts.mass_kg * e.facts.brix for e in fed) / kg
    else:
        sap = ANY_SAP[0] if _went_on(taken) else taken.brix
    sap = min(max(sap, 0.1), target / 2)
    brix = continuous.standing_brix(sap, target, channels)
    litres = _held_l(context, brix)
    return Running(
        held_kg=litres * sucrose.density_kg_m3(min(brix, 80.0), 20) / 1000,
        rate_kg_min=rate.kg_per_min,
        sap_brix=sap,
        syrup_brix=target,
        channels=channels,
        rate_sigma=max(rate.sigma_kg_per_min / rate.kg_per_min / 2, 0.05),
    )


def _held_l(context: BatchContext, brix: float) -> float:
    """What stands in it, L as it would be cold: a float keeps the level that was filled, or dipped."""
    dipped = context.last(DepthFacts)
    if dipped:
        hot = context.geometry_at(dipped.at).volume_l(dipped.facts.depth_mm)
        return hot / hot_volume_ratio(brix, min(100.0, HOTTEST_VOLUME_C))
    taken = context.taken_in.facts
    return 1000 * taken.mass_kg / sucrose.density_kg_m3(min(taken.brix, 80.0), 20)


def stands(context: BatchContext) -> Stands:
    """All that is in a continuous pan: by the sugar that came and went, and by how such a pan stands
    when it runs evenly."""
    pan = running_of(context)
    taken = context.taken_in.facts
    came = [_quantity(e.facts) for e in context.of_kind(PutInFacts)]
    went = [_quantity(e.facts) for e in context.of_kind(PartDrawFacts)]
    poured = context.poured_out_of_the_pan
    went += [_quantity(e.facts) for e in poured if not e.facts.all_of_it]
    by_steady = continuous.standing_brix(pan.sap_brix, pan.syrup_brix, pan.channels)
    litres = _held_l(context, by_steady)
    came_kg, went_kg = sum(kg for kg, _ in came), sum(kg for kg, _ in went)
    sugar_in = taken.mass_kg * taken.brix / 100 + sum(sugar for _, sugar in came)
    sugar_out = sum(sugar for _, sugar in went)
    if not went:
        # Until the first draw it stays thinner than that.
        by_steady = min(by_steady, max(100 * sugar_in / pan.held_kg, pan.sap_brix))
    missing = _unnoted_kg(context, pan, came_kg, went_kg)
    brix, sigma = by_steady, LIKE_STEADY * by_steady
    kept = sugar_in - sugar_out
    if not missing and kept > 0:
        counted = min(100 * kept / pan.held_kg, pan.syrup_brix)
        doubt = 100 * hypot(FEED_SHARE * sugar_in, DRAWN_SHARE * sugar_out) / pan.held_kg
        doubt = max(doubt, LEAST_SHARE * counted)
        weight = sigma**2 / (sigma**2 + doubt**2)
        brix = weight * counted + (1 - weight) * by_steady
        sigma = (sigma**-2 + doubt**-2) ** -0.5
    mass = litres * sucrose.density_kg_m3(min(brix, 80.0), 20) / 1000
    return Stands(
        litres=litres,
        mass_kg=mass,
        brix=brix,
        brix_sigma=sigma,
        driven_off_kg=max(taken.mass_kg + came_kg - went_kg - mass, 0.0),
        unnoted_l=missing,
    )


def _quantity(facts: PutInFacts | PartDrawFacts | PouredFacts) -> tuple[float, float]:
    """Mass and sugar, kg."""
    return facts.mass_kg, facts.mass_kg * facts.brix / 100


def _went_on(taken: OpenedFacts) -> bool:
    """Whether it began with what stood in it before, not with sap."""
    return isinstance(taken, TakeInFacts) and bool(taken.from_batch_id)


def _unnoted_kg(context: BatchContext, pan: Running, came_kg: float, went_kg: float) -> float:
    """By the level that is kept, as much must have run in as was driven off and drawn."""
    boiled = boiled_minutes(context)
    taken = context.taken_in
    must = pan.rate_kg_min * boiled + went_kg + pan.held_kg - taken.facts.mass_kg
    missing = must - came_kg
    # The rate itself is not known better than that before draws have taught it.
    rate = learned_rate(context.db, context.vessel, taken.at)
    doubt = 1.645 * rate.sigma_kg_per_min * boiled
    least = max(UNNOTED_L, UNNOTED_SHARE * must, UNNOTED_MINUTES * pan.rate_kg_min, doubt)
    return missing if missing > least else 0.0


def boiled_minutes(context: BatchContext) -> float:
    """How long there was a fire under it, from the take-in on."""
    until = context.left_at or context.now
    start = context.taken_in.at
    whole = (until - start) / timedelta(minutes=1)
    cold = sum(
        max((min(b, until) - a) / timedelta(minutes=1), 0.0) for a, b in heat_off(context, start, until)
    )
    return max(whole - cold, 0.0)


BrixOf = Callable[[datetime, float], float | None]
"""What a probe says of density that showed so much at a moment."""


def _thinnest(pan: continuous.Running) -> float:
    """Of what begins to climb once some was drawn unsaid, Brix."""
    return max(pan.syrup_brix - 2 * UNSAID_SIGMA_BRIX, 1.0)


def climb_of(context: BatchContext, boil: Boil, points: Sequence[RunPoint], brix_of: BrixOf) -> Boil:
    """The boil of the draw-off alone, from its last draw on; of what was fed and of what stands in the
    rest of the pan it says nothing. A long climb bends as no pot's does: of it the last while counts.

    Args:
        context: of a continuous pan.
        boil: of the batch, for when it began.
        points: of the probe's run.
        brix_of: of the probe.
    """
    pan, draws = running_of(context), _draws(context, boil.until)
    since, unsaid = draws[-1].at if draws else boil.start, None
    climb = (
        continuous.next_climb(pan, _drawn(draws, boil.off))
        if draws
        else continuous.first_climb(pan, context.taken_in.facts.brix)
    )
    hottest, fell = _fell(points, since, boil.until)
    if fell:
        if not any(abs(fell - one.at) <= SAID_WITHIN for one in draws[-1:]):
            unsaid = fell
            climb = replace(climb, brix=_thinnest(pan), brix_sigma=UNSAID_SIGMA_BRIX)
        since = fell
    mass, counts_from = pan.last_channel_kg, max(since, boil.until - LAST_WHILE)
    whole, rate = climb, continuous.rate_of(climb, mass, pan.syrup_brix)
    if counts_from > since:
        seen = _at(points, counts_from, brix_of)
        climb, rate = _lately(context, pan, climb, (since, counts_from), seen)
    return replace(
        boil,
        start=counts_from,
        start_sigma=boil.start_sigma if counts_from == boil.start else 0.3,
        rate=Rate(rate, rate * sqrt(exp(climb.sigma**2) - 1), 0),
        steps=[],
        step_sigmas_kg=[],
        unsettled=sorted([(since, since), *_after(boil.off, counts_from)]),
        off=_after(boil.off, counts_from),
        turned=[at for at in boil.turned if at > counts_from],
        turned_sigmas=[],
        mass_kg=mass,
        brix=climb.brix,
        brix_sigma=climb.brix_sigma,
        counts_from=counts_from,
        climbs_from=since,
        climb=whole,
        unsaid_at=unsaid,
        drawn_from=hottest if unsaid else None,
    )


def _lately(
    context: BatchContext, pan: Running, climb: Climb, whole: While, seen: float | None
) -> tuple[Climb, float]:
    """The last while of a climb: how dense it began, hardly known but for what is read in it, and the
    rate that its slope is expected to have."""
    since, begins = whole
    gone = (begins - since) / timedelta(minutes=1)
    if seen is None:
        # By the climb alone, which bends: it stands low for long and rises late.
        seen = climb.brix + (pan.syrup_brix - climb.brix) * min(gone / climb.minutes, 1.0) ** 2
    brix = min(max(seen, 1.0), pan.syrup_brix + LATELY_SIGMA_BRIX)
    each_kg_min = pan.rate_kg_min / pan.channels
    slope = each_kg_min * pan.runs_in_brix / pan.last_channel_kg
    rate = slope / brix * pan.last_channel_kg
    return replace(climb, brix=brix, brix_sigma=LATELY_SIGMA_BRIX, sigma=LATELY_SIGMA), rate


def _at(points: Sequence[RunPoint], at: datetime, brix_of: BrixOf) -> float | None:
    """What a probe's run says of density around a moment."""
    near = min(points, key=lambda p: abs(p.at - at), default=None)
    if near is None or abs(near.at - at) > LAST_WHILE / 2:
        return None
    return brix_of(near.at, near.shown_c)


def _draws(context: BatchContext, until: datetime) -> list[Entry[PartDrawFacts]]:
    return [e for e in context.of_kind(PartDrawFacts) if e.at <= until]


def _drawn(draws: Sequence[Entry[PartDrawFacts]], off: Sequence[While]) -> list[Drawn]:
    """Draws as core knows them, with the minutes of fire between one and the next."""
    found = []
    for one, following in pairwise(draws):
        cold = any(a < following.at and b > one.at for a, b in off)
        minutes = (following.at - one.at) / timedelta(minutes=1)
        counts = not cold and minutes > 0
        found.append(Drawn(one.facts.mass_kg, one.facts.brix, minutes if counts else None))
    last = draws[-1].facts
    return [*found, Drawn(last.mass_kg, last.brix)]


def speaks(context: BatchContext, boil: Boil, entry: Entry[Facts]) -> bool:
    """Whether a line is of this boil: in a continuous pan what was read at its draw-off since the last
    draw; a cup read right after it is of what was drawn."""
    if boil.counts_from is None:
        return True
    if isinstance(entry.facts, WHOLE_POT):
        return False
    since = boil.counts_from
    if context.of_kind(PartDrawFacts) and not isinstance(entry.facts, ThermometerFacts):
        since = since + OF_THE_DRAW
    return entry.at > since


def _after(off: Sequence[While], since: datetime) -> list[While]:
    return [(max(a, since), b) for a, b in off if b > since]


def _fell(
    points: Sequence[RunPoint], since: datetime, until: datetime
) -> tuple[datetime | None, datetime | None]:
    """When the draw-off was hottest before it cooled last, and when it had cooled."""
    hottest, hot_at = -1e9, None
    before, fell, falling = None, None, False
    for point in points:
        if point.begins < since or point.ends > until:
            continue
        if falling and point.shown_c > hottest + RISES_K:
            falling, hottest, hot_at = False, point.shown_c, point.at
        elif not falling and point.shown_c > hottest:
            hottest, hot_at = point.shown_c, point.at
        elif point.shown_c < hottest - (0.0 if falling else FALLS_K):
            before = before if falling else hot_at
            hottest, fell, falling = point.shown_c, point.ends, True
    return before, fell

"""The filter while it runs: how fast, when a layer is due, whether it is through before it is too cold."""

from dataclasses import dataclass, replace
from datetime import timedelta
from math import isfinite

from lumbrel.core.filter.flow import MEDIA, FilterRunning, Medium, loss_kg, running, syrup_viscosity
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import DrawnFacts, FilterFacts, PassedFacts, PulledFacts
from lumbrel.services.base.filtered import passes
from lumbrel.services.pan.drawn import AfterDraw, after_draw
from lumbrel.services.pan.off_fire import OffFire, off_fire
from lumbrel.store import kept

COLDEST_GOOD_FILTER_C, USUAL_FILTER_C = 80.0, 92.0
LAST_RUNS = 12
DEFAULT_METHOD = "layers"
SMALL_KG, SMALL_METHOD = 2.5, "paper"
"""So little that heavy layers would keep a good part of it."""


@dataclass(frozen=True, kw_only=True)
class Stack:
    """A batch's filter as it stands now."""

    after: AfterDraw
    fire: OffFire
    method: str
    medium: Medium
    begun: bool
    done: bool
    run: FilterRunning
    viscosity: float
    at_c: float
    """How warm the syrup is, or is reckoned to be."""
    passed_l: float
    """Through the filter by now: as last noted, and run on since."""
    left_l: float
    minutes: float | None
    """Until all of it is through; None when the layers do not last."""
    cold: tuple[float, float, float] | None
    """Minutes until it is too cold, with the 90 % range; None while nobody read the kettle."""
    layers: list[float]
    """Of each layer, from the top: how far it is blind, 0 to 1; those pulled are gone."""
    pulled: int
    loss_kg: float
    runs: int
    """How many earlier runs of this medium taught it."""

    @property
    def flow_l_min(self) -> float:
        """How fast it runs now."""
        return self.run.flow_l_min(self.viscosity)

    @property
    def in_time(self) -> bool:
        """Whether it is through before it is too cold, as far as that is known."""
        return self.cold is None or (self.minutes is not None and self.minutes <= self.cold[0])

    @property
    def minutes_to_pull(self) -> float:
        """Until the layer on top is due."""
        return self.run.minutes_for(min(self.run.until_pulled_l, self.left_l), self.viscosity)


def stack_of(context: BatchContext, method: str = "") -> Stack | None:
    """The filter of a drawn batch; None before the draw.

    Args:
        method: the medium that is looked at, before it has begun.
    """
    if not context.of_kind(DrawnFacts):
        return None
    after = after_draw(context)
    fire = off_fire(context, after)
    done = context.first(FilterFacts)
    key = _chosen(context, method)
    medium, seen = MEDIA[key], passes(context.current)
    earlier = _earlier(context, key)
    at_c = fire.now_c if fire.now_c is not None else USUAL_FILTER_C
    viscosity = syrup_viscosity(after.syrup_brix, at_c)
    run = running(
        medium,
        seen,
        viscosity,
        earlier_rates=[one.rate_l_min for one in earlier if one.rate_l_min],
        earlier_passes=[one.passes_l for one in earlier if one.passes_l],
    )
    passed = seen[-1].litres if seen else 0.0
    if seen and not done:
        run, passed = _by_now(context, run, viscosity, passed, after.volume_l)
    left = max(after.volume_l - passed, 0.0)
    minutes = run.minutes_for(left, viscosity)
    pulled = seen[-1].pulled if seen else 0
    return Stack(
        after=after,
        fire=fire,
        method=key,
        medium=medium,
        begun=bool(seen),
        done=done is not None,
        run=run,
        viscosity=viscosity,
        at_c=at_c,
        passed_l=passed,
        left_l=left,
        minutes=minutes if isfinite(minutes) else None,
        cold=fire.minutes_to(COLDEST_GOOD_FILTER_C),
        layers=[run.blind, *[0.0] * run.layers_left],
        pulled=pulled,
        loss_kg=loss_kg(medium, [one.loss_kg for one in earlier if one.loss_kg is not None]),
        runs=sum(one.loss_kg is not None or one.rate_l_min is not None for one in earlier),
    )


def _chosen(context: BatchContext, method: str) -> str:
    """The medium: as it was filtered, as it runs, as it is looked at, or the usual one."""
    done = [e.facts.method for e in context.of_kind(FilterFacts)]
    runs = [e.facts.method for e in context.of_kind(PassedFacts)]
    known = [key for key in (*done, *runs[-1:], method) if key in MEDIA]
    return known[0] if known else _usual(context)


def _earlier(context: BatchContext, key: str) -> list[kept.FilterSeen]:
    """What runs of this medium before this one showed."""
    notes = context.of_kind(PassedFacts, FilterFacts)
    before = notes[0].at if notes else context.now
    return kept.filters_seen(context.db, key, before, LAST_RUNS)


def _by_now(
    context: BatchContext, run: FilterRunning, viscosity: float, passed_l: float, whole_l: float
) -> tuple[FilterRunning, float]:
    """The filter and what has passed it by now: it ran on since it was noted last."""
    last = max(e.at for e in context.of_kind(PassedFacts, PulledFacts))
    minutes = (context.now - last) / timedelta(minutes=1)
    more = _ran_on(run, viscosity, minutes, whole_l - passed_l)
    return replace(run, since_l=run.since_l + more), passed_l + more


def _ran_on(run: FilterRunning, viscosity: float, minutes: float, most_l: float) -> float:
    """What ran through since it was noted last, until the layer on top is due: nobody said that it was
    pulled."""
    most = min(max(most_l, 0.0), run.until_pulled_l)
    if minutes <= 0 or most <= 0:
        return 0.0
    low, high = 0.0, most
    if run.minutes_for(most, viscosity) <= minutes:
        return most
    for _ in range(30):
        middle = (low + high) / 2
        if run.minutes_for(middle, viscosity) < minutes:
            low = middle
        else:
            high = middle
    return low


def _usual(context: BatchContext) -> str:
    """The medium that this kitchen filtered through last."""
    newest = [
        (found[0].filtered_at, key)
        for key in MEDIA
        if (found := kept.filters_seen(context.db, key, context.now, 1))
    ]
    if newest:
        return max(newest)[1]
    small = after_draw(context).mass_kg < SMALL_KG
    return SMALL_METHOD if small else DEFAULT_METHOD


def now_c(context: BatchContext) -> float | None:
    """How warm the kettle is by its own cooling; None while nobody read it."""
    return off_fire(context, after_draw(context)).now_c

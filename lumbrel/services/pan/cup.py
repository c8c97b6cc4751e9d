"""The hydrometer cup: where the stem must float, and where it does."""

from collections.abc import Callable
from dataclasses import dataclass

from lumbrel.core.bench import cup as cups
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import baume, sucrose
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import HydrometerFacts
from lumbrel.services.bench.cup_probe import cup_probe
from lumbrel.services.bench.curves import hydrometer_of
from lumbrel.services.bench.hot_and_cold import HOT_FROM_C
from lumbrel.services.day.pressure import pressure_at
from lumbrel.store.instruments import HydrometerDetail, Instrument

TYPICAL_CUP_BELOW_BOIL_K = 8.0
COOLS_FROM_MINUTES = 0.2


@dataclass(frozen=True, kw_only=True)
class Cup:
    """Where the hydrometer must float in this cup, and where it does."""

    instrument: Instrument[HydrometerDetail]
    cup_c: float
    assumed: bool
    mark_brix: float | None
    floats_at: float | None
    is_reading: bool
    """Whether `floats_at` was read; otherwise it is what the joint value predicts."""
    below_scale: bool
    low_brix: float
    high_brix: float
    baume: bool = False
    """Whether the stem carries the trade's Baumé scale as well."""
    read_c: float | None = None
    """What the cup was when it was read, if it has cooled since."""
    probe: str = ""
    """The live probe in the cup, by name; the mark follows it."""

    @property
    def baume_marks(self) -> list[tuple[int, float]]:
        """Whole degrees Baumé and the Brix they stand at, when the stem carries them."""
        if not self.baume:
            return []
        return [(degree, baume.to_brix(degree)) for degree in range(1, int(baume.MAX_BAUME) + 1)]

    @property
    def to_go(self) -> float | None:
        """Marks still to rise, Brix on the stem."""
        if self.mark_brix is None or self.floats_at is None:
            return None
        return self.mark_brix - self.floats_at


@dataclass(frozen=True, kw_only=True)
class TypedCup:
    """What is being typed of a cup, before it is on the slip."""

    instrument_id: str = ""
    reading_brix: float | None = None
    cup_c: float | None = None
    minutes: float = 0.0
    """Since its temperature was read."""


@dataclass(frozen=True, kw_only=True)
class _Warmth:
    """How warm the cup is now, and who says so."""

    cup_c: float
    assumed: bool = False
    read_c: float | None = None
    probe: str = ""


def cup(context: BatchContext, joint_brix: float | None, typed: TypedCup | None = None) -> Cup | None:
    """The cup picture: from the last hydrometer reading, or for what is being typed.

    A live probe in the cup is followed. Without one, a temperature typed so many `minutes` ago
    has cooled since, and the mark to float at has risen with it.
    """
    typed = typed or TypedCup()
    last = context.last(HydrometerFacts)
    known = {i.id: i for i in context.instruments_of(HydrometerDetail)}
    if not known:
        return None
    wanted = typed.instrument_id or (last.facts.instrument_id if last else "")
    stem = known.get(wanted) or next(iter(known.values()))
    warmth = _warmth(context, typed, last.facts if last else None)
    mark = _marker(context, stem, warmth.cup_c)
    floats_at, is_reading, below = typed.reading_brix, typed.reading_brix is not None, False
    if floats_at is None and last and warmth.cup_c == last.facts.cup_c:
        floats_at, is_reading, below = last.facts.reading_brix, True, last.facts.below_scale
    if floats_at is None and joint_brix is not None:
        floats_at = mark(min(joint_brix, sucrose.MAX_DENSITY_BRIX))
    return Cup(
        instrument=stem,
        cup_c=warmth.cup_c,
        assumed=warmth.assumed,
        mark_brix=mark(context.batch.target_brix - context.batch.draw_margin_brix),
        floats_at=floats_at,
        is_reading=is_reading,
        below_scale=below,
        low_brix=stem.detail.scale_low_brix,
        high_brix=stem.detail.scale_high_brix,
        baume=stem.detail.baume,
        read_c=warmth.read_c,
        probe=warmth.probe,
    )


def _warmth(context: BatchContext, typed: TypedCup, last: HydrometerFacts | None) -> _Warmth:
    """As typed and cooled since, as its probe says, as last read, or as cups usually are."""
    live = cup_probe(context) if typed.cup_c is None else None
    if live:
        return _Warmth(cup_c=_held(live.temperature_c), probe=live.instrument.name)
    if typed.cup_c is not None and typed.minutes >= COOLS_FROM_MINUTES:
        cooled = cups.cooled(typed.cup_c, typed.minutes).temperature_c
        return _Warmth(cup_c=_held(cooled), read_c=typed.cup_c)
    if typed.cup_c is not None:
        return _Warmth(cup_c=_held(typed.cup_c))
    if last:
        return _Warmth(cup_c=_held(last.cup_c), assumed=last.cup_assumed)
    pressure = pressure_at(context.db, context.kitchen, context.now)
    boils = pressure.boil_c if pressure else 100.0
    return _Warmth(cup_c=_held(boils - TYPICAL_CUP_BELOW_BOIL_K), assumed=True)


def _held(cup_c: float) -> float:
    return min(max(cup_c, 0.0), 100.0)


def _marker(
    context: BatchContext, stem: Instrument[HydrometerDetail], cup_c: float
) -> Callable[[float], float | None]:
    """Where the stem floats for a density in this cup, by the batch's method of the hot mark."""
    own = hydrometer_of(context.db, stem, context.now, context.invert_fraction)
    printed = stem.detail.hot_mark
    by_mark = context.batch.methods.get("hot_mark") == "printed" and cup_c >= HOT_FROM_C

    def mark(brix: float) -> float | None:
        if by_mark and printed:
            return printed.reading_brix + brix - printed.true_brix
        try:
            return own.mark(brix, cup_c)
        except OutOfRange:
            return None

    return mark

"""The hydrometer cup: where the stem must float, and where it does."""

from dataclasses import dataclass

from lumbrel.core.bench import cup as cups
from lumbrel.core.errors import OutOfRange
from lumbrel.services.air import pressure_at
from lumbrel.services.bench.curves import HOT_FROM_C, hydrometer_of
from lumbrel.services.context import BatchContext
from lumbrel.services.cup_probe import cup_probe
from lumbrel.store.instruments import Instrument, instruments

TYPICAL_CUP_BELOW_BOIL_K = 8.0


@dataclass(frozen=True)
class Cup:
    """Where the hydrometer must float in this cup, and where it does."""

    instrument: Instrument
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
    def to_go(self) -> float | None:
        """Marks still to rise, Brix on the stem."""
        if self.mark_brix is None or self.floats_at is None:
            return None
        return self.mark_brix - self.floats_at


def cup(
    context: BatchContext,
    joint_brix: float | None,
    instrument_id: str = "",
    reading: float | None = None,
    cup_c: float | None = None,
    minutes: float = 0.0,
) -> Cup | None:
    """The cup picture: from the last hydrometer reading, or for what is being typed.

    A live probe in the cup is followed. Without one, a temperature typed so many `minutes` ago
    has cooled since, and the mark to float at has risen with it.
    """
    known = {i.id: i for i in instruments(context.db, "hydrometer")}
    if not known:
        return None
    last = next(iter(reversed(context.of_kind("hydrometer"))), None)
    wanted = instrument_id or (last.facts["instrument_id"] if last else "")
    instrument = known.get(wanted) or next(iter(known.values()))
    assumed = below = False
    is_reading = reading is not None
    live = cup_probe(context) if cup_c is None else None
    read_c = None
    if live:
        cup_c = live.temperature_c
    elif cup_c is not None and minutes >= 0.2:
        read_c, cup_c = cup_c, cups.cooled(cup_c, minutes).temperature_c
    elif cup_c is None and last:
        cup_c, assumed = last.facts["cup_c"], bool(last.facts.get("cup_assumed"))
    elif cup_c is None:
        pressure = pressure_at(context.db, context.kitchen, context.now)
        cup_c, assumed = (pressure.boil_c if pressure else 100.0) - TYPICAL_CUP_BELOW_BOIL_K, True
    assert cup_c is not None
    cup_c = min(max(cup_c, 0.0), 100.0)
    own = hydrometer_of(context.db, instrument)
    wants = context.batch.target_brix - context.batch.draw_margin_brix
    if reading is None and last and cup_c == last.facts["cup_c"]:
        reading, below = last.facts["reading_brix"], bool(last.facts.get("below_scale"))
        is_reading = True

    printed = instrument.detail.get("hot_mark")
    by_mark = context.batch.schools.get("hot_mark") == "printed" and cup_c >= HOT_FROM_C

    def mark(brix: float) -> float | None:
        if by_mark and printed:
            return float(printed["reading_brix"] + brix - printed["true_brix"])
        try:
            return own.mark(brix, cup_c)
        except OutOfRange:
            return None

    if reading is None and joint_brix is not None:
        reading = mark(min(joint_brix, 85))
    detail = instrument.detail
    return Cup(
        instrument, cup_c, assumed, mark(wants), reading, is_reading, below,
        float(detail.get("scale_low_brix", 45)), float(detail.get("scale_high_brix", 75)),
        bool(detail.get("baume")), read_c, live.instrument.name if live else "",
    )  # fmt: skip

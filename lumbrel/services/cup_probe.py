"""A live probe that stands in the hydrometer cup."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from lumbrel.services import day
from lumbrel.services.air import pressure_at
from lumbrel.services.context import BatchContext
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import Instrument, instruments

SPEAKS = timedelta(seconds=30)
IN_USE_FROM_C = 10.0


@dataclass(frozen=True)
class LiveCup:
    """What the probe in the cup says now, corrected by its own test boil."""

    instrument: Instrument
    temperature_c: float


def cup_probe(context: BatchContext, at: datetime | None = None) -> LiveCup | None:
    """The cup's temperature by its own probe at a moment; None when none speaks."""
    moment = at or context.now
    for probe in instruments(context.db, "thermometer"):
        if not probe.detail.get("in_the_cup"):
            continue
        sample = samples_store.latest_sample(context.db, probe.id, moment)
        if sample is None or moment - sample.at > SPEAKS:
            continue
        pressure = pressure_at(context.db, context.kitchen, moment)
        true = sample.value
        if pressure:
            today = day.thermometer_today(context.db, probe, pressure, moment)
            true = today.calibration.true_c(sample.value)
        if IN_USE_FROM_C <= true <= 105.0:
            return LiveCup(probe, min(true, 100.0))
    return None

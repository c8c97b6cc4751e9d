"""A live probe that stands in the hydrometer cup."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.day import thermometers
from lumbrel.services.day.pressure import pressure_at
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import Instrument, ThermometerDetail

SPEAKS = timedelta(seconds=30)
IN_USE_FROM_C = 10.0


@dataclass(frozen=True)
class LiveCup:
    """What the probe in the cup says now, corrected by its own test boil."""

    instrument: Instrument[ThermometerDetail]
    temperature_c: float


def cup_probe(context: BatchContext, at: datetime | None = None) -> LiveCup | None:
    """The cup's temperature by its own probe at a moment; None when none speaks."""
    moment = at or context.now
    for probe in context.instruments_of(ThermometerDetail):
        if not probe.detail.in_the_cup:
            continue
        sample = samples_store.latest_sample(context.db, probe.id, moment)
        if sample is None or moment - sample.at > SPEAKS:
            continue
        pressure = pressure_at(context.db, context.kitchen, moment)
        true = sample.value
        if pressure:
            today = thermometers.thermometer_today(context.db, probe, pressure, moment)
            true = today.calibration.true_c(sample.value)
        if IN_USE_FROM_C <= true <= 105.0:
            return LiveCup(probe, min(true, 100.0))
    return None

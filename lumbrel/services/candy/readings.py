"""What is read of a candy pot: its thermometer, typed or as a probe, and drops in cold water."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from lumbrel.core.candy.signs import BY_KEY as SIGNS
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import ColdWaterFacts, CookFacts, PotFacts
from lumbrel.services.day.ladder import today
from lumbrel.services.day.pressure import Pressure
from lumbrel.services.day.thermometers import ThermometerToday, thermometer_today
from lumbrel.store import samples
from lumbrel.store.instruments import Instrument, ThermometerDetail

SPEAKS = timedelta(seconds=45)
READ_SIGMA_K = {"digital": 0.12, "dial": 0.35, "glass": 0.35}


@dataclass(frozen=True)
class PotShown:
    """What the pot showed: when, truly, and above boiling water; one sigma."""

    at: datetime
    true_c: float
    above_k: float
    sigma_k: float


def glass_of(context: BatchContext, pressure: Pressure | None) -> ThermometerToday | None:
    """The thermometer in the pot: a probe that stands in it, else the one last read, else the day's."""
    if pressure is None:
        return None
    last = context.last(PotFacts)
    typed = last.facts.instrument_id if last else ""
    chosen = context.probe or next((i for i in context.instruments if i.id == typed), None)
    if isinstance(chosen, Instrument) and isinstance(chosen.detail, ThermometerDetail):
        held: Instrument[ThermometerDetail] = chosen  # type: ignore[assignment]
        return thermometer_today(context.db, held, pressure, context.now)
    return today(context.db, context.now).chosen


def typed_sigma_k(glass: ThermometerToday | None) -> float:
    """One sigma of a single reading of a thermometer."""
    return READ_SIGMA_K.get(glass.instrument.detail.sort, 0.35) if glass else 0.35


def by_hand(context: BatchContext, since: datetime, sigma_k: float) -> list[PotShown]:
    """What was typed of the pot since a moment: its thermometer, and drops in cold water."""
    found = [
        PotShown(e.at, e.facts.true_c, e.facts.true_c - e.facts.water_c, sigma_k)
        for e in context.of_kind(PotFacts)
        if since <= e.at <= context.now
    ]
    for e in context.of_kind(ColdWaterFacts):
        if since <= e.at <= context.now:
            sign = SIGNS[e.facts.sign]
            above = sign.middle_k
            found.append(PotShown(e.at, e.facts.water_c + above, above, sign.sigma_k))
    return sorted(found, key=lambda one: one.at)


def by_probe(
    context: BatchContext,
    glass: ThermometerToday | None,
    pressure: Pressure | None,
    since: datetime,
    every_s: float,
    *,
    whole: bool = False,
) -> list[PotShown]:
    """What the probe in the pot told since a moment, a mean every so many seconds; whole ones only, where what follows
    is worth remembering until the next."""
    probe = context.probe
    if probe is None or glass is None or pressure is None or glass.instrument.id != probe.id:
        return []
    found: dict[int, list[samples.Sample]] = {}
    for one in samples.samples(context.db, probe.id, since, context.now):
        found.setdefault(int(one.at.timestamp() // every_s), []).append(one)
    shown = []
    if whole and len(found) > 1:
        found.pop(int(context.now.timestamp() // every_s), None)
    for group in found.values():
        mean = sum(one.value for one in group) / len(group)
        true = glass.calibration.true_c(mean)
        middle = group[0].at + (group[-1].at - group[0].at) / 2
        shown.append(PotShown(middle, true, true - pressure.boil_c, READ_SIGMA_K["digital"]))
    return shown


def invert_fraction(cook: CookFacts) -> float:
    """Of its solids."""
    return min(max(cook.invert_percent / cook.brix, 0.0), 1.0)

"""A kettle off the fire, after the draw: what it showed, and how it cools."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from lumbrel.core.errors import OutOfRange
from lumbrel.core.jar.kettle import USUAL_RATE_PER_MIN, Emptied, KettleHeat, fit_heat
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import JarFacts, KettleFacts, ReheatFacts
from lumbrel.services.day import thermometers
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.pan.drawn import AfterDraw
from lumbrel.store import samples
from lumbrel.store.instruments import Instrument, ThermometerDetail

USUAL_KG, SLOWER_BY = 13.0, 0.35
"""A bigger kettle cools the slower, by that power of its mass."""
STILL_THE_SAME = timedelta(minutes=90)
"""A heat of before that is over, whatever was not written down."""
SPEAKS = timedelta(seconds=90)
MOST_A_MINUTE_K = 4.0
"""No kettle cools so fast: the probe was taken out."""
AHEAD_MIN, PATH_POINTS = 30.0, 60


@dataclass(frozen=True)
class KettleShown:
    """What the kettle showed."""

    at: datetime
    temperature_c: float


@dataclass(frozen=True, kw_only=True)
class OffFire:
    """One heat of a kettle, as it stands now."""

    now: datetime
    shown: list[KettleShown]
    """In this heat, oldest first; none while it is on the fire or nobody read it."""
    on_fire: bool
    reheats: int
    heat: KettleHeat | None
    live: bool = False
    """Whether a probe in it speaks now."""

    @property
    def minute(self) -> float:
        """Now, on the readings' own clock."""
        return (self.now - self.shown[0].at) / timedelta(minutes=1) if self.shown else 0.0

    @property
    def now_c(self) -> float | None:
        """How warm it is; None before it was read."""
        return self.heat.temperature_c_at(self.minute) if self.heat else None

    @property
    def sigma_k(self) -> float:
        return self.heat.sigma_k_at(self.minute) if self.heat else 0.0

    def minutes_to(self, target_c: float) -> tuple[float, float, float] | None:
        """Until it has cooled to a temperature, with the 90 % range; None before it was read."""
        return self.heat.minutes_to(target_c, self.minute) if self.heat else None

    def path(self) -> list[tuple[datetime, float]]:
        """Its cooling, from the first reading on, some way ahead."""
        if self.heat is None:
            return []
        start = self.shown[0].at
        last = self.minute + AHEAD_MIN
        minutes = [last * i / PATH_POINTS for i in range(PATH_POINTS + 1)]
        return [(start + timedelta(minutes=m), self.heat.temperature_c_at(m)) for m in minutes]


def off_fire(context: BatchContext, after: AfterDraw, filling: bool = False) -> OffFire:
    """The kettle of a drawn batch, since it came off the fire last.

    Args:
        filling: whether jars are filled from it by now.
    """
    reheats = context.of_kind(ReheatFacts)
    since = reheats[-1].at if reheats else after.draw.at
    since = max(since, context.now - STILL_THE_SAME)
    lines = [e for e in context.of_kind(KettleFacts) if since <= e.at <= context.now]
    typed = [KettleShown(e.at, e.facts.temperature_c) for e in lines]
    live = _by_probe(context, lines)
    shown = sorted([*typed, *live], key=lambda one: one.at)
    return OffFire(
        now=context.now,
        shown=shown,
        live=bool(live) and context.now - live[-1].at <= SPEAKS,
        on_fire=bool(reheats) and not shown,
        reheats=len(reheats),
        heat=_heat(context, shown, after, filling),
    )


def _by_probe(context: BatchContext, lines: list[Entry[KettleFacts]]) -> list[KettleShown]:
    """What the probe that was put into the kettle last has told since, a reading a minute, for as long
    as it cools as a kettle does."""
    put_in = next((e for e in reversed(lines) if e.facts.probe), None)
    if put_in is None or put_in is not lines[-1]:
        # Who types what another thermometer shows has taken the probe out.
        return []
    probes = context.instruments_of(ThermometerDetail)
    probe = next((i for i in probes if i.id == put_in.facts.probe), None)
    if probe is None:
        return []
    found: list[KettleShown] = []
    before = put_in.facts.temperature_c
    for sample in samples.minute_samples(context.db, probe.id, put_in.at, context.now):
        if sample.at <= put_in.at:
            continue
        true = true_c(context, probe, sample, put_in.at)
        if before - true > MOST_A_MINUTE_K:
            break
        found.append(KettleShown(sample.at, true))
        before = true
    return found


def true_c(
    context: BatchContext,
    probe: Instrument[ThermometerDetail],
    sample: samples.Sample,
    as_of: datetime,
) -> float:
    """What a probe's sample truly says, by its test boils as they stood at a moment."""
    pressure = pressure_at(context.db, context.kitchen, as_of)
    if pressure is None:
        return sample.value
    today = thermometers.thermometer_today(context.db, probe, pressure, as_of)
    return today.calibration.true_c(sample.value)


def speaking(context: BatchContext) -> list[tuple[Instrument[ThermometerDetail], samples.Sample]]:
    """The probes that speak now and could stand in a kettle, each with what it said last."""
    found = []
    for probe in context.instruments_of(ThermometerDetail):
        sample = samples.latest_sample(context.db, probe.id, context.now)
        if sample and context.now - sample.at <= SPEAKS and probe.vessel_id is None:
            found.append((probe, sample))
    return found


def _heat(
    context: BatchContext, shown: list[KettleShown], after: AfterDraw, filling: bool
) -> KettleHeat | None:
    if not shown:
        return None
    first = shown[0].at
    jars = context.of_kind(JarFacts)
    whole = max(after.mass_kg - sum(e.facts.mass_kg for e in jars if e.at <= first), 0.5)
    taken = tuple((_minutes(e.at - first), e.facts.mass_kg) for e in jars if first < e.at <= context.now)
    emptied = Emptied(whole_kg=whole, taken=taken, filling=filling or bool(taken))
    usual = USUAL_RATE_PER_MIN * (USUAL_KG / whole) ** SLOWER_BY
    readings = [(_minutes(s.at - first), s.temperature_c) for s in shown]
    try:
        return fit_heat(readings, rate_per_min=usual, emptied=emptied, now=_minutes(context.now - first))
    except OutOfRange:
        return None


def _minutes(span: timedelta) -> float:
    return span / timedelta(minutes=1)

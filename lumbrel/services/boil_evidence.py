"""All that a batch's slip and probe say of its boil: corrected readings, fit, and words now."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import sqrt

from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.errors import OutOfRange
from lumbrel.core.finishing import boil
from lumbrel.core.finishing.burner import rate_changes
from lumbrel.core.finishing.path import BoilFit, DensityReading, HeatReading, Step, carried_to
from lumbrel.core.finishing.rescue import heat_up_minutes, unboiled_kg
from lumbrel.core.physics import sucrose
from lumbrel.core.physics.boil_curve import boil_curves
from lumbrel.core.physics.sucrose import boiling_sigma_k
from lumbrel.services import day, dipstick, take_in
from lumbrel.services.air import pressure_at, pressure_by
from lumbrel.services.context import BatchContext
from lumbrel.services.readings import OWN_THERMOMETER_SIGMA_K, READING_KINDS, Corrected
from lumbrel.services.traces import RunPoint, run_points
from lumbrel.store import day as day_store
from lumbrel.store import devices
from lumbrel.store.day import Sample
from lumbrel.store.devices import Trouble
from lumbrel.store.kitchen import Instrument

STILL_SPEAKS = timedelta(minutes=30)
PROBE_SPEAKS = timedelta(minutes=2)
HOTTEST_BRIX = 90.0
COLD_BY_K = 1.0
WANDER_SIGMA_K = 0.015
"""What is left of a probe's own error in the mean of many samples: lag, stirring, drift."""
PROBE_SETTLES = timedelta(minutes=3)
"""A probe lags, and the boil takes a moment to become one: while it warms through it speaks of
thinner syrup than was ever put in."""
JUST_AFTER_MINUTES = 1e-6
STEADY_K = 1.5
"""A boil never moves so far within one point of a run: what does was cold in between."""


@dataclass(frozen=True)
class Word:
    """One instrument's newest reading, carried along the fitted path to now."""

    reading: Corrected
    estimate: Estimate
    live: bool = False


@dataclass(frozen=True)
class BurnerChange:
    """The rate of boiling off changed, as the temperature shows it."""

    at: datetime
    before_kg_per_min: float
    after_kg_per_min: float

    @property
    def percent(self) -> float:
        """By how much, percent of what it was."""
        before = self.before_kg_per_min
        return 100 * (self.after_kg_per_min - before) / before if before > 0 else 0.0


@dataclass(frozen=True)
class BoilEvidence:
    """The evidence of one boil at a moment."""

    boil_start: datetime
    readings: list[Corrected]
    """Every standing reading before the draw, corrected, oldest first."""
    probe: Instrument | None
    probe_now: Sample | None
    probe_reading: Corrected | None
    probe_samples: list[Sample]
    fitted: BoilFit
    words: list[Word]
    """Of the instruments that count, by the batch's school of what to trust."""
    set_aside: list[Word]
    """Of those that do not."""
    changes: list[BurnerChange]
    """Where the rate changed, oldest first."""
    troubles: list[Trouble]
    """What the probe sent in this run that was not believed."""

    def minute(self, at: datetime) -> float:
        """A moment on the fit's clock."""
        return (at - self.boil_start) / timedelta(minutes=1)

    def moment(self, minute: float) -> datetime:
        """A minute of the fit as a moment; far ones are held within a week."""
        return self.boil_start + timedelta(minutes=min(max(minute, -10_000), 10_000))


def gather(context: BatchContext, leave_out: Corrected | None = None) -> BoilEvidence:
    """Correct every reading, fit the boil, and let each instrument speak of now.

    A reading that contradicts all others can be left out of the fit; it is still shown.
    """
    entry = context.first("take_in")
    assert entry is not None
    facts = entry.facts
    until = _end(context)
    rate, rate_sigma, _ = take_in.learned_rate(context.db, context.vessel)
    noted = context.first("boiling")
    pressure = pressure_at(context.db, context.kitchen, entry.at)
    pa = pressure.pa if pressure else 101_325.0
    boils_at = sucrose.boiling_point_c(facts["brix"], pa, context.invert_fraction)
    warming = heat_up_minutes(
        facts["mass_kg"], facts["brix"], facts["temperature_c"], boils_at, rate
    )
    start = noted.at if noted else entry.at + timedelta(minutes=warming)

    steps, unsettled = _put_in(context, start, until, boils_at, (rate, rate_sigma))

    corrector = context.corrector()
    readings = [
        dipstick.corrected(context, e) if e.kind == "depth" else corrector.correct(e)
        for e in context.of_kind(*READING_KINDS, "depth")
        if e.at <= until
    ]
    probe = context.probe
    samples: list[Sample] = []
    heat: list[HeatReading] = []
    probe_now = probe_reading = None
    if probe:
        boil_by = context.batch.schools.get("boil_by", day.DEFAULT_BOIL_BY)
        points = run_points(context.db, context.kitchen, probe.id, entry.at, until, boil_by)
        samples = [Sample(p.at, p.shown_c) for p in points]
        newest = day_store.latest_sample(context.db, probe.id, until)
        if newest and until - newest.at <= PROBE_SPEAKS and newest.at >= entry.at:
            probe_now = newest
            probe_reading = corrector.thermometer("", newest.at, probe, newest.value, {})
        settled = [
            p
            for p in points
            if p.begins >= start
            and p.spread_k <= STEADY_K
            and not any(p.begins < to + PROBE_SETTLES and p.ends > at for at, to in unsettled)
        ]
        cold_from = _went_cold([p for p in settled if p.at >= unsettled[-1][0]])
        cold = cold_from is not None and probe_now is not None and probe_now.at >= cold_from
        if cold or until < unsettled[-1][1] + PROBE_SETTLES:
            probe_reading = None
        boiling = [p for p in settled if cold_from is None or p.at < cold_from]
        if not (leave_out and leave_out.instrument.id == probe.id):
            heat = _heat(context, probe, boiling, start, until)

    def minute(at: datetime) -> float:
        return max((at - start) / timedelta(minutes=1), 0.0)

    trusted = _trusted(context, [*readings, *([probe_reading] if probe_reading else [])])
    if "thermometer" not in trusted:
        heat = []
    evidence = [
        DensityReading(
            minute(r.at), r.brix, max(r.own_sigma_brix, 0.02),
            r.instrument.id if r.shared_sigma_brix else "", r.shared_sigma_brix,
        )
        for r in readings
        if r.brix is not None and _tells(r) and not _same(r, leave_out) and r.kind in trusted
    ]  # fmt: skip

    def fit(changes: list[float]) -> BoilFit:
        return boil.fit(
            facts["mass_kg"], facts["brix"], evidence, steps, (rate, rate_sigma),
            take_in.TAKE_IN_SIGMA_BRIX, heat, changes,
        )  # fmt: skip

    fitted = fit([])
    changes = rate_changes(fitted, heat)
    if changes:
        fitted = fit(changes)
    words = _words(fitted, readings, probe_reading, minute, until)
    counted = [w for w in words if w.reading.kind in trusted] or words
    return BoilEvidence(
        start, readings, probe, probe_now, probe_reading, samples, fitted, counted,
        [w for w in words if w not in counted], _said_of_changes(fitted, start),
        devices.troubles(context.db, probe.id, entry.at) if probe else [],
    )  # fmt: skip


def _put_in(
    context: BatchContext,
    start: datetime,
    until: datetime,
    boils_at: float,
    rate: tuple[float, float],
) -> tuple[list[Step], list[tuple[datetime, datetime]]]:
    """What was put in as steps of the balance, and the whiles in which it did not boil.

    What is put in stops the boil until it boils too: as if that much water had come with it. A
    reading on the slip before it was of what was there before, at the same moment too.
    """
    taken = context.first("take_in")
    assert taken is not None
    steps: list[Step] = []
    unsettled = [(start, start)]
    read: set[datetime] = set()
    for entry in context.standing:
        if entry.kind in (*READING_KINDS, "depth"):
            read.add(entry.at)
        if entry.kind != "added" or entry.at > until:
            continue
        kg, brix, held = entry.facts["mass_kg"], entry.facts["brix"], 0.0
        if entry.at > start:
            warm = entry.facts.get("temperature_c", taken.facts["temperature_c"])
            held = unboiled_kg(kg, brix, warm, boils_at)
            slow = max(rate[0] - rate[1], rate[0] / 3)
            unsettled.append((entry.at, entry.at + timedelta(minutes=held / slow)))
        minutes = max((entry.at - start) / timedelta(minutes=1), 0.0)
        after = JUST_AFTER_MINUTES if entry.at in read else 0.0
        steps.append(Step(minutes + after, kg + held, kg * brix / (kg + held)))
    return steps, unsettled


def _went_cold(points: list[RunPoint]) -> datetime | None:
    """When a boil stopped boiling: what boils only grows hotter, so one that has cooled by more
    than a kelvin since its hottest says nothing of density any more."""
    if len(points) < 3:
        return None
    hottest = max(points, key=lambda p: p.shown_c)
    if points[-1].shown_c < hottest.shown_c - COLD_BY_K:
        return hottest.at + timedelta(seconds=1)
    return None


def _heat(
    context: BatchContext,
    probe: Instrument,
    points: list[RunPoint],
    start: datetime,
    until: datetime,
) -> list[HeatReading]:
    """The probe's run as evidence: corrected by its calibration of now, its offset shared."""
    known = [p for p in points if p.pressure_pa is not None]
    boil_by = context.batch.schools.get("boil_by", day.DEFAULT_BOIL_BY)
    pressure = pressure_by(context.db, context.kitchen, until, boil_by)
    if not known or pressure is None:
        return []
    today = day.thermometer_today(context.db, probe, pressure, until, boil_by)
    shared = sqrt(today.sigma_k**2 + boiling_sigma_k(60.0) ** 2)
    curves = boil_curves(
        tuple(p.pressure_pa for p in known if p.pressure_pa is not None),
        (context.invert_fraction,) * len(known),
    )
    least = (curves.water_c - 3 * today.sigma_k).tolist()
    most = curves.at(HOTTEST_BRIX)[0].tolist()
    heat = []
    for point, low, high in zip(known, least, most, strict=True):
        assert point.pressure_pa is not None
        true = today.calibration.true_c(point.shown_c)
        if low < true < high:
            minute = (point.at - start) / timedelta(minutes=1)
            own = sqrt(OWN_THERMOMETER_SIGMA_K**2 / point.samples + WANDER_SIGMA_K**2)
            heat.append(
                HeatReading(
                    minute, true, own, probe.id, shared, point.pressure_pa, context.invert_fraction
                )
            )
    return heat


def _said_of_changes(fitted: BoilFit, start: datetime) -> list[BurnerChange]:
    """Each change with the mean rates on both sides of it."""
    said = []
    bounds = (0.0, *fitted.changed_at, max(fitted.followed_to, *fitted.changed_at, 0.0) + 1.0)
    for before, at, after in zip(bounds, bounds[1:], bounds[2:], strict=False):
        rates = [
            (fitted.burnt_kg(b) - fitted.burnt_kg(a)) / (b - a)
            for a, b in ((before, at), (at, after))
        ]
        said.append(BurnerChange(start + timedelta(minutes=at), rates[0], rates[1]))
    return said


def _trusted(context: BatchContext, readings: list[Corrected]) -> tuple[str, ...]:
    """The kinds of instrument that count; all of them while the trusted one has not spoken."""
    only = context.batch.schools.get("trust", "all")
    if any(r.kind == only and r.brix is not None for r in readings):
        return (only,)
    return (*READING_KINDS, "depth")


def _tells(reading: Corrected) -> bool:
    """Whether a reading says anything of density: a boil hardly above water's does not."""
    return reading.brix is not None and 5 <= reading.brix <= 96 and reading.sigma_brix < 20


def _same(reading: Corrected, other: Corrected | None) -> bool:
    """The same line of the slip; for a probe, which has none, the same instrument."""
    if other is None:
        return False
    return reading.entry_id == other.entry_id and reading.instrument.id == other.instrument.id


def _end(context: BatchContext) -> datetime:
    drawn = context.first("draw")
    return drawn.at if drawn else context.now


def _words(
    fitted: BoilFit,
    readings: list[Corrected],
    live: Corrected | None,
    minute: Callable[[datetime], float],
    until: datetime,
) -> list[Word]:
    """The newest word of each instrument; an old one is carried along the fitted path."""
    newest: dict[str, tuple[Corrected, bool]] = {}
    for reading in readings:
        if reading.brix is not None and until - reading.at <= STILL_SPEAKS:
            newest[reading.instrument.id] = (reading, False)
    if live is not None and live.brix is not None:
        newest[live.instrument.id] = (live, True)
    words = []
    for reading, is_live in newest.values():
        assert reading.brix is not None
        brix, sigma = reading.brix, reading.sigma_brix
        if not _tells(reading):
            continue
        if not is_live:
            try:
                brix, sigma = carried_to(fitted, brix, sigma, minute(reading.at), minute(until))
            except (OutOfRange, ZeroDivisionError):
                continue
        words.append(
            Word(
                reading,
                Estimate(
                    reading.instrument.name, min(max(brix, 0.2), 96.9), min(max(sigma, 0.05), 50.0)
                ),
                is_live,
            )
        )
    return words

"""All that a batch's slip and probe say of its boil: corrected readings, fit, and words now."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta

from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import fit as fits
from lumbrel.core.pan.burner import rate_changes
from lumbrel.core.pan.fitted_boil import BoilFit, DensityReading, HeatReading, carried_to
from lumbrel.core.pan.solids import heat_up_minutes
from lumbrel.core.physics import sucrose
from lumbrel.services import boil_run, day, dipstick, take_in
from lumbrel.services.air import pressure_at
from lumbrel.services.context import BatchContext
from lumbrel.services.readings import READING_KINDS, Corrected
from lumbrel.services.traces import run_points
from lumbrel.store import probes
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import Instrument
from lumbrel.store.probes import Trouble
from lumbrel.store.samples import Sample

STILL_SPEAKS = timedelta(minutes=30)
PROBE_SPEAKS = timedelta(minutes=2)


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

    steps, unsettled = boil_run.put_in(context, start, until, boils_at, (rate, rate_sigma))

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
        newest = samples_store.latest_sample(context.db, probe.id, until)
        if newest and until - newest.at <= PROBE_SPEAKS and newest.at >= entry.at:
            probe_now = newest
            probe_reading = corrector.thermometer("", newest.at, probe, newest.value, {})
        boiled = boil_run.settled(points, start, unsettled)
        cold_from = boil_run.went_cold([p for p in boiled if p.at >= unsettled[-1][0]])
        cold = cold_from is not None and probe_now is not None and probe_now.at >= cold_from
        if cold or until < unsettled[-1][1] + boil_run.PROBE_SETTLES:
            probe_reading = None
        boiling = [p for p in boiled if cold_from is None or p.at < cold_from]
        if not (leave_out and leave_out.instrument.id == probe.id):
            heat = boil_run.heat_of(context, probe, boiling, start, until)

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
        return fits.fit(
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
        probes.troubles(context.db, probe.id, entry.at) if probe else [],
    )  # fmt: skip


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

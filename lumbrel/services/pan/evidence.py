"""All that a batch's slip and probe say of its boil: corrected readings, fit, and words now."""

from dataclasses import dataclass, field
from datetime import datetime, timedelta

from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import fit as fits
from lumbrel.core.pan.burner import rate_changes
from lumbrel.core.pan.fitted_boil import BoilFit, DensityReading, HeatReading, carried_to
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import READINGS, Corrected
from lumbrel.services.base.entry import with_facts
from lumbrel.services.base.facts import DepthFacts, Facts, ThermometerFacts
from lumbrel.services.bench.correct import Corrector
from lumbrel.services.day.thermometers import DEFAULT_BOIL_BY
from lumbrel.services.pan import dipstick, run
from lumbrel.services.pan.probe_points import RunPoint, run_told
from lumbrel.services.pan.run import Boil, boil_of
from lumbrel.store import probes
from lumbrel.store.instruments import Instrument, ThermometerDetail
from lumbrel.store.probes import Trouble
from lumbrel.store.samples import Sample

STILL_SPEAKS = timedelta(minutes=30)
PROBE_SPEAKS = timedelta(minutes=2)
LEAST_SIGMA_BRIX = 0.02
Kinds = tuple[type[Facts], ...]


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


@dataclass(frozen=True, kw_only=True)
class BoilEvidence:
    """The evidence of one boil at a moment."""

    boil_start: datetime
    readings: list[Corrected]
    """Every current reading before the draw, corrected, oldest first."""
    probe: Instrument[ThermometerDetail] | None
    probe_now: Sample | None
    probe_reading: Corrected | None
    probe_samples: list[Sample]
    fitted: BoilFit
    words: list[Word]
    """Of the instruments that count, by the batch's method of what to trust."""
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
    boil = boil_of(context)
    readings = _readings(context, boil.until)
    probe = _probe_of(context, boil)
    spoken = [*readings, *([probe.reading] if probe.reading else [])]
    trusted = _trusted(context, spoken)
    heat: list[HeatReading] = []
    left_out = (
        leave_out is not None
        and probe.instrument is not None
        and (leave_out.instrument.id == probe.instrument.id)
    )
    if probe.instrument and ThermometerFacts in trusted and not left_out:
        heat = run.heat_of(context, probe.instrument, probe.boiling, boil.start, boil.until)
    counted = [r for r in readings if _counts(r, trusted) and not _same(r, leave_out)]
    fitted = _fitted(context, boil, counted, heat)
    words = _words(fitted, readings, probe.reading, boil)
    count = [w for w in words if _kind_in(w.reading, trusted)] or words
    return BoilEvidence(
        boil_start=boil.start,
        readings=readings,
        probe=probe.instrument,
        probe_now=probe.now,
        probe_reading=probe.reading,
        probe_samples=[Sample(p.at, p.shown_c) for p in probe.points],
        fitted=fitted,
        words=count,
        set_aside=[w for w in words if w not in count],
        changes=_said_of_changes(fitted, boil.start),
        troubles=(
            probes.troubles(context.db, probe.instrument.id, context.taken_in.at)
            if probe.instrument
            else []
        ),
    )


@dataclass(frozen=True)
class _Probe:
    """What the probe in the vessel says: its run, and its word of now."""

    instrument: Instrument[ThermometerDetail] | None = None
    points: list[RunPoint] = field(default_factory=list)
    boiling: list[RunPoint] = field(default_factory=list)
    """Those in which it boiled all the while."""
    now: Sample | None = None
    reading: Corrected | None = None
    """Its word on the density; None while it says nothing of it."""


def _probe_of(context: BatchContext, boil: Boil) -> _Probe:
    probe = context.probe
    if probe is None:
        return _Probe()
    taken_at, until = context.taken_in.at, boil.until
    boil_by = context.batch.methods.get("boil_by", DEFAULT_BOIL_BY)
    points, newest = run_told(
        context.db,
        context.kitchen,
        context.batch.id,
        probe.id,
        since=taken_at,
        until=until,
        boil_by=boil_by,
    )
    boiled = run.settled(points, boil.start, boil.unsettled)
    cold_from = run.went_cold([p for p in boiled if p.at >= boil.unsettled[-1][0]])
    speaks = newest is not None and until - newest.at <= PROBE_SPEAKS and newest.at >= taken_at
    reading = None
    if newest and speaks:
        cold = cold_from is not None and newest.at >= cold_from
        settled = until >= boil.unsettled[-1][1] + run.PROBE_SETTLES
        if settled and not cold:
            reading = Corrector.of(context).probe(probe, newest.at, newest.value)
    return _Probe(
        instrument=probe,
        points=points,
        boiling=[p for p in boiled if cold_from is None or p.at < cold_from],
        now=newest if speaks else None,
        reading=reading,
    )


def _readings(context: BatchContext, until: datetime) -> list[Corrected]:
    """Every current reading up to a moment, corrected, oldest first."""
    corrector = Corrector.of(context)
    found = []
    for entry in context.current:
        if entry.at > until:
            continue
        if read := with_facts(entry, READINGS):
            found.append(corrector.correct(read))
        elif depth := with_facts(entry, (DepthFacts,)):
            found.append(dipstick.corrected(context, depth))
    return found


def _fitted(
    context: BatchContext, boil: Boil, counted: list[Corrected], heat: list[HeatReading]
) -> BoilFit:
    """The boil fitted to what counts; anew with the burner's changes where it shows any."""
    taken = context.taken_in.facts
    evidence = [
        DensityReading(
            boil.minute(r.at),
            r.brix or 0.0,
            max(r.own_sigma_brix, LEAST_SIGMA_BRIX),
            r.instrument.id if r.shared_sigma_brix else "",
            r.shared_sigma_brix,
        )
        for r in counted
    ]

    def fit(changes: list[float]) -> BoilFit:
        return fits.fit(
            taken.mass_kg,
            taken.brix,
            evidence,
            boil.steps,
            prior_rate_kg_per_min=(boil.rate.kg_per_min, boil.rate.sigma_kg_per_min),
            heat=heat,
            changes=changes,
        )

    fitted = fit([])
    changes = rate_changes(fitted, heat)
    return fit(changes) if changes else fitted


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


def _trusted(context: BatchContext, readings: list[Corrected]) -> Kinds:
    """The kinds of reading that count; all of them while the trusted one has not spoken."""
    only = context.batch.methods.get("trust", "all")
    if any(r.kind == only and r.brix is not None for r in readings):
        return tuple(k for k in READINGS if k.key() == only)
    return (*READINGS, DepthFacts)


def _kind_in(reading: Corrected, kinds: Kinds) -> bool:
    return any(kind.key() == reading.kind for kind in kinds)


def _tells(reading: Corrected) -> bool:
    """Whether a reading says anything of density: a boil hardly above water's does not."""
    return reading.brix is not None and 5 <= reading.brix <= 96 and reading.sigma_brix < 20


def _counts(reading: Corrected, trusted: Kinds) -> bool:
    return _tells(reading) and _kind_in(reading, trusted)


def _same(reading: Corrected, other: Corrected | None) -> bool:
    """The same line of the slip; for a probe, which has none, the same instrument."""
    if other is None:
        return False
    return reading.entry_id == other.entry_id and reading.instrument.id == other.instrument.id


def _words(
    fitted: BoilFit, readings: list[Corrected], live: Corrected | None, boil: Boil
) -> list[Word]:
    """The newest word of each instrument; an old one is carried along the fitted path."""
    newest: dict[str, tuple[Corrected, bool]] = {}
    for reading in readings:
        if reading.brix is not None and boil.until - reading.at <= STILL_SPEAKS:
            newest[reading.instrument.id] = (reading, False)
    if live is not None and live.brix is not None:
        newest[live.instrument.id] = (live, True)
    words = []
    for reading, is_live in newest.values():
        said = _said(fitted, reading, is_live, boil) if _tells(reading) else None
        if said:
            words.append(Word(reading, said, is_live))
    return words


def _said(fitted: BoilFit, reading: Corrected, is_live: bool, boil: Boil) -> Estimate | None:
    """What a reading says of now; None when it cannot be carried along so far."""
    assert reading.brix is not None
    brix, sigma = reading.brix, reading.sigma_brix
    if not is_live:
        try:
            then, now = boil.minute(reading.at), boil.minute(boil.until)
            brix, sigma = carried_to(fitted, brix, sigma, then, now)
        except (OutOfRange, ZeroDivisionError):
            return None
    name = reading.instrument.name
    return Estimate(name, min(max(brix, 0.2), 96.9), min(max(sigma, 0.05), 50.0))

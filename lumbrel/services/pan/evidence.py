"""All that a batch's slip and probe say of its boil: corrected readings, fit, and words now."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import partial
from math import log, sqrt
from typing import NamedTuple

from lumbrel.core.bench.evidence import Estimate
from lumbrel.core.bench.thermometer import typed_sigma_k
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.boil_lines import DRIFT_SIGMA_K_PER_H, Density, Heat
from lumbrel.core.pan.boil_model import Known, fit_boil
from lumbrel.core.pan.boil_path import STRAYS, BoilPath
from lumbrel.core.pan.continuous import Climb
from lumbrel.core.pan.probe_trace import Fall
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import READINGS, Corrected
from lumbrel.services.base.entry import with_facts
from lumbrel.services.base.facts import (
    AnsweredFacts,
    DepthFacts,
    Facts,
    ScaleFacts,
    SignFacts,
    ThermometerFacts,
    WeighedFacts,
)
from lumbrel.services.bench.correct import Corrector
from lumbrel.services.day.pressure import Pressure, pressure_by
from lumbrel.services.day.thermometers import DEFAULT_BOIL_BY, ThermometerToday, thermometer_today
from lumbrel.services.pan import continuous, dipstick, run, signs, weighed
from lumbrel.services.pan.probe_points import RunPoint, RunTold, told_of
from lumbrel.services.pan.run import Boil, FirstAt, boil_of
from lumbrel.services.pan.unsaid import Away, Jump, answered, away, jumps_answered
from lumbrel.store import probes
from lumbrel.store.instruments import Instrument, ThermometerDetail, with_detail
from lumbrel.store.probes import Trouble
from lumbrel.store.samples import Sample

STILL_SPEAKS = timedelta(minutes=30)
PROBE_SPEAKS = timedelta(minutes=2)
LEAST_SIGMA_BRIX, BOUND_SIGMA_BRIX = 0.02, 0.5
"""The latter of where a stem begins to float."""
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
    fitted: BoilPath
    weights: dict[str, float]
    """By line, how much its reading counts in the fit: little when it is wild."""
    words: list[Word]
    """Of the instruments that count, by the batch's method of what to trust."""
    set_aside: list[Word]
    """Of those that do not."""
    changes: list[BurnerChange]
    """Where the rate changed, oldest first."""
    heat_is_off: bool
    gone: list[Away]
    """Whiles in which its probe was off the boil, and no line says why."""
    supposed: tuple[Jump, ...]
    """Where what is in it is supposed to have become another, though nobody said so."""
    drift_k_per_h: float
    """By how much its probe is held to drift, one sigma."""
    supposed_thinner: bool = False
    """Whether what is supposed makes it thinner than it was told to be."""
    climbs_from: datetime
    """When the boil began, or the draw-off of a continuous pan was drawn last."""
    climb: Climb | None
    """Of a continuous pan, as it was expected then."""
    drawn_from: datetime | None
    """When it stood hottest before it fell so."""
    drawn_unsaid_at: datetime | None
    """When the draw-off of a continuous pan fell as if it was drawn, and nothing on the slip says so."""
    troubles: list[Trouble]
    """What the probe sent in this run that was not believed."""

    def minute(self, at: datetime) -> float:
        """A moment on the fit's clock."""
        return (at - self.boil_start) / timedelta(minutes=1)

    def moment(self, minute: float) -> datetime:
        """A minute of the fit as a moment; far ones are held within a week."""
        return self.boil_start + timedelta(minutes=min(max(minute, -10_000), 10_000))


class LeftOut(NamedTuple):
    """A reading that is left out of a fit, or all that its instrument said; it is still shown."""

    reading: Corrected
    all_of_it: bool = False

    @property
    def instrument_id(self) -> str:
        """The instrument of which nothing counts; empty when it is one reading only."""
        whole = self.all_of_it or not self.reading.entry_id
        return self.reading.instrument.id if whole else ""

    def holds(self, reading: Corrected) -> bool:
        """Whether a reading is left out."""
        return reading.entry_id == self.reading.entry_id or (
            reading.instrument.id == self.instrument_id
        )


def gather(
    context: BatchContext,
    *left_out: LeftOut,
    jumps: Sequence[Jump] = (),
    drift_k_per_h: float | None = None,
) -> BoilEvidence:
    """Correct every reading, fit the boil, and let each instrument speak of now.

    Args:
        left_out: what does not count.
        jumps: where what is in it may have become another, besides what was answered.
        drift_k_per_h: by how much its probe is held to drift, one sigma; None: as any does.
    """
    told = _told(context)
    gone = away(context, told.falls, context.taken_in.at)
    boil = _boil(context, told, gone, (*jumps_answered(context, gone), *jumps))
    readings = _readings(context, boil)
    probe = _probe_of(context, boil, told, gone)
    spoken = [*readings, *([probe.reading] if probe.reading else [])]
    trusted = _trusted(context, spoken)
    out = {one.instrument_id for one in left_out}
    counts = probe.instrument and probe.instrument.id not in out and ThermometerFacts in trusted
    heat = _live_heat(context, told, probe, boil) if counts else []
    slipped = _slipped(context)
    counted = [r for r in readings if _counts(r, trusted) and not _is_out(r, left_out, slipped)]
    drift = _drift(context, probe.instrument, drift_k_per_h)
    fitted, weights = _fitted(context, boil, counted, heat, drift)
    words = _words(fitted, readings, probe.reading, boil)
    count = _who_count(words, trusted, slipped)
    return BoilEvidence(
        boil_start=boil.start,
        readings=readings,
        probe=probe.instrument,
        probe_now=probe.now,
        probe_reading=probe.reading,
        probe_samples=[Sample(p.at, p.shown_c) for p in probe.points],
        fitted=fitted,
        weights=weights,
        words=count,
        set_aside=[w for w in words if w not in count],
        changes=[] if context.channels else _said_of_changes(fitted, boil.start),
        heat_is_off=any(a <= boil.until < b for a, b in boil.off),
        gone=[one for one in gone if not one.said],
        supposed=tuple(jumps),
        drift_k_per_h=drift,
        climbs_from=boil.climbs_from or boil.start,
        climb=boil.climb,
        drawn_unsaid_at=boil.unsaid_at,
        drawn_from=boil.drawn_from,
        troubles=_troubles(context, probe.instrument),
    )


def _is_out(reading: Corrected, left_out: Sequence[LeftOut], slipped: set[str]) -> bool:
    return reading.instrument.id in slipped or any(out.holds(reading) for out in left_out)


def _who_count(words: list[Word], trusted: Kinds, slipped: set[str]) -> list[Word]:
    """The instruments whose word counts; all of them where none would."""
    some = [w for w in words if w.reading.instrument.id not in slipped]
    return [w for w in some if _kind_in(w.reading, trusted)] or words


def _troubles(context: BatchContext, probe: Instrument[ThermometerDetail] | None) -> list[Trouble]:
    return probes.troubles(context.db, probe.id, context.taken_in.at) if probe else []


def _slipped(context: BatchContext) -> set[str]:
    """Stems of which somebody said that their scale is wrong: they are shown, and do not count."""
    said = [e.facts for e in context.of_kind(AnsweredFacts)]
    return {one.instrument_id for one in said if one.question == "scale_slipped" and one.yes}


def _drift(
    context: BatchContext, probe: Instrument[ThermometerDetail] | None, supposed: float | None
) -> float:
    """By how much a probe is held to drift: as is supposed, and more where somebody said that it does."""
    if supposed is not None:
        return supposed
    if probe and answered(context, "probe_drifts", None, probe.id):
        return DRIFTS_K_PER_H
    return DRIFT_SIGMA_K_PER_H


DRIFTS_K_PER_H = 0.6


def _boil(
    context: BatchContext, told: "_Told", gone: Sequence[Away], jumps: Sequence[Jump]
) -> Boil:
    """The boil so far; of a continuous pan that of its draw-off."""
    boil = boil_of(context, told.first_at, told.speaks, gone, jumps)
    if not context.channels:
        return boil
    return continuous.climb_of(context, boil, told.points, partial(_brix_of, context, told))


def _live_heat(context: BatchContext, told: "_Told", probe: "_Probe", boil: Boil) -> list[Heat]:
    """What the probe's run says while it boiled."""
    if told.today is None or told.run is None:
        return []
    return run.heat_of(context, told.today, told.run, probe.boiling, boil.start)


@dataclass(frozen=True, kw_only=True)
class _Told:
    """What the probe in the vessel sent."""

    instrument: Instrument[ThermometerDetail] | None = None
    run: RunTold | None = None
    today: ThermometerToday | None = None
    pressure: Pressure | None = None
    first_at: FirstAt | None = None
    """When it first was so hot, by its true temperature, degC."""
    speaks: bool = False

    @property
    def points(self) -> list[RunPoint]:
        """Its run."""
        return self.run.points if self.run else []

    @property
    def falls(self) -> Sequence[Fall]:
        """When it left the boil."""
        return self.run.falls if self.run else ()

    @property
    def newest(self) -> Sample | None:
        """What it sent last."""
        return self.run.newest if self.run else None


def _told(context: BatchContext) -> _Told:
    probe = context.probe
    if probe is None:
        return _Told()
    boil_by = context.batch.methods.get("boil_by", DEFAULT_BOIL_BY)
    until = context.left_at or context.now
    told = told_of(context, probe.id, until)
    pressure = pressure_by(context.db, context.kitchen, until, boil_by)
    if pressure is None or not told.points:
        return _Told(instrument=probe, run=told)
    today = thermometer_today(context.db, probe, pressure, until, boil_by)
    held, newest = today.calibration, told.newest
    speaks = newest is not None and until - newest.at <= PROBE_SPEAKS
    return _Told(
        instrument=probe,
        run=told,
        today=today,
        pressure=pressure,
        first_at=lambda true_c: told.first_at(held.indicated_c(true_c)),
        speaks=speaks,
    )


@dataclass(frozen=True, kw_only=True)
class _Probe:
    """What the probe in the vessel says: its run, and its word of now."""

    instrument: Instrument[ThermometerDetail] | None = None
    points: list[RunPoint] = field(default_factory=list)
    boiling: list[RunPoint] = field(default_factory=list)
    """Those in which it boiled all the while."""
    now: Sample | None = None
    reading: Corrected | None = None
    """Its word on the density; None while it says nothing of it."""


def _probe_of(context: BatchContext, boil: Boil, told: _Told, gone: Sequence[Away]) -> _Probe:
    probe, newest = told.instrument, told.newest
    if probe is None:
        return _Probe()
    until = boil.until
    whiles = [(a, b) for a, b in boil.unsettled if a <= until]
    ended = max((b for _, b in whiles), default=boil.start)
    speaks = (
        newest is not None
        and until - newest.at <= PROBE_SPEAKS
        and newest.at >= context.taken_in.at
    )
    settled = until >= ended + run.PROBE_SETTLES
    return _Probe(
        instrument=probe,
        points=told.points,
        boiling=run.settled(told.points, boil.start, boil.unsettled),
        now=newest if speaks else None,
        reading=_word_of(context, told) if speaks and settled else None,
    )


def _word_of(context: BatchContext, told: _Told) -> Corrected | None:
    """What a probe's newest sample says of density."""
    if told.newest is None or told.today is None or told.pressure is None:
        return None
    newest = told.newest
    return Corrector.of(context).probe(told.today, told.pressure, newest.at, newest.value)


def _brix_of(context: BatchContext, told: "_Told", at: datetime, shown_c: float) -> float | None:
    """What a probe says of density that showed so much."""
    if told.today is None or told.pressure is None:
        return None
    return Corrector.of(context).probe(told.today, told.pressure, at, shown_c).brix


def _readings(context: BatchContext, boil: Boil) -> list[Corrected]:
    """Every current reading of a boil, corrected, oldest first."""
    corrector = Corrector.of(context)
    found = []
    for entry in context.current:
        if entry.at > boil.until or not continuous.speaks(context, boil, entry):
            continue
        if read := with_facts(entry, READINGS):
            found.append(corrector.correct(read))
        elif depth := with_facts(entry, (DepthFacts,)):
            found.append(dipstick.corrected(context, depth))
        elif sign := with_facts(entry, (SignFacts,)):
            found.append(signs.corrected(context, sign))
        elif cup := with_facts(entry, (WeighedFacts,)):
            found.append(weighed.corrected_cupful(context, cup))
        elif pot := with_facts(entry, (ScaleFacts,)):
            found.append(weighed.corrected_scale(context, pot))
    return sorted(found, key=lambda r: r.at)


def _fitted(
    context: BatchContext,
    boil: Boil,
    counted: list[Corrected],
    heat: list[Heat],
    drift_k_per_h: float,
) -> tuple[BoilPath, dict[str, float]]:
    """The boil fitted to what counts, and how much each reading on the slip counted."""
    taken = context.taken_in.facts
    typed = [r for r in counted if r.kind == ThermometerFacts.key()]
    dipped = [r for r in counted if r.kind != ThermometerFacts.key()]
    glasses = [(r, one) for r in typed if (one := _typed_heat(context, boil, r))]
    known = Known(
        mass_kg=boil.mass_kg,
        brix=boil.brix,
        brix_sigma=boil.brix_sigma,
        rate_kg_per_min=boil.rate.kg_per_min,
        rate_sigma=_log_sigma(boil.rate.sigma_kg_per_min / boil.rate.kg_per_min),
        start_sigma=boil.start_sigma,
        steps=tuple(boil.steps),
        step_sigmas_kg=tuple(boil.step_sigmas_kg),
        turned=tuple(boil.minute(at) for at in boil.turned),
        turned_sigmas=tuple((boil.minute(at), sigma) for at, sigma in boil.turned_sigmas),
        drift_k_per_h=drift_k_per_h,
        off=tuple((boil.minute(a), boil.minute(b)) for a, b in boil.off),
        curve_sigma_k=CURVE_LEVEL_SHARE * context.boil_shift.sigma_k,
        strays=taken.learnt.strays if taken.learnt else STRAYS,
        air_at=(context.taken_in.at - boil.start) / timedelta(minutes=1),
    )
    every = sorted([*(h for h in heat), *(one for _, one in glasses)], key=lambda h: h.minute)
    fitted = fit_boil(
        known,
        [_density(boil, r) for r in dipped],
        every,
        boil.minute(boil.until),
    )
    weights = {r.entry_id: w for r, w in zip(dipped, fitted.density_weights, strict=True)}
    by_heat = dict(zip(map(id, every), fitted.heat_weights, strict=True))
    return fitted, weights | {r.entry_id: by_heat[id(one)] for r, one in glasses}


CURVE_LEVEL_SHARE = 0.9
"""Of the doubt of real syrup's boil near the finish, what is the same all along the boil; the rest
grows with the rise."""
SCALE_SIGMA = 0.02
"""A mass that is off makes the rate per sugar off by as much."""


def _log_sigma(share: float) -> float:
    return sqrt(log(1 + share * share) + SCALE_SIGMA**2)


def _density(boil: Boil, reading: Corrected) -> Density:
    brix = reading.bound_brix if reading.brix is None else reading.brix
    return Density(
        minute=boil.minute(reading.at),
        brix=brix or 0.0,
        sigma_brix=max(reading.own_sigma_brix or BOUND_SIGMA_BRIX, LEAST_SIGMA_BRIX),
        shared=(reading.shares or reading.instrument.id) if reading.shared_sigma_brix else "",
        shared_sigma_brix=reading.shared_sigma_brix,
        minute_sigma=reading.minute_sigma,
        bound=reading.brix is None,
        by_solids=reading.by_solids,
    )


def _typed_heat(context: BatchContext, boil: Boil, reading: Corrected) -> Heat | None:
    """A thermometer's reading as evidence in kelvin; None where no pressure is known."""
    boil_by = context.batch.methods.get("boil_by", DEFAULT_BOIL_BY)
    pressure = pressure_by(context.db, context.kitchen, reading.at, boil_by)
    glass = with_detail(reading.instrument, ThermometerDetail)
    if pressure is None or glass is None or reading.shown_c is None:
        return None
    today = thermometer_today(context.db, glass, pressure, reading.at, boil_by)
    return Heat(
        minute=boil.minute(reading.at),
        temperature_c=today.calibration.true_c(reading.shown_c) - context.boil_shift.k,
        sigma_k=typed_sigma_k(glass.detail.sort, glass.detail.resolution_k),
        shared=glass.id,
        shared_sigma_k=today.sigma_k,
        station_pressure_pa=pressure.pa,
        invert_fraction=context.invert_fraction,
        live=False,
        minute_sigma=0.2,
    )


def _said_of_changes(fitted: BoilPath, start: datetime) -> list[BurnerChange]:
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
    return (*READINGS, DepthFacts, WeighedFacts, ScaleFacts, SignFacts)


def _kind_in(reading: Corrected, kinds: Kinds) -> bool:
    return any(kind.key() == reading.kind for kind in kinds)


def _tells(reading: Corrected) -> bool:
    """Whether a reading says anything of density: a boil hardly above water's does not."""
    return reading.brix is not None and 5 <= reading.brix <= 96 and reading.sigma_brix < 20


def _counts(reading: Corrected, trusted: Kinds) -> bool:
    tells = _tells(reading) or reading.bound_brix is not None or reading.shown_c is not None
    return tells and _kind_in(reading, trusted)


def _words(
    fitted: BoilPath, readings: list[Corrected], live: Corrected | None, boil: Boil
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


def _said(fitted: BoilPath, reading: Corrected, is_live: bool, boil: Boil) -> Estimate | None:
    """What a reading says of now; None when it cannot be carried along so far."""
    assert reading.brix is not None
    brix, sigma = reading.brix, reading.sigma_brix
    if not is_live:
        try:
            then, now = boil.minute(reading.at), boil.minute(boil.until)
            brix, sigma = fitted.carried(brix, sigma, then, now)
        except (OutOfRange, ZeroDivisionError):
            return None
    name = reading.instrument.name
    return Estimate(name, min(max(brix, 0.2), 96.9), min(max(sigma, 0.05), 50.0))

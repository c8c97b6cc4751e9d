"""All that a batch's slip and probe say of its boil: corrected readings, fit, and words now."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from math import log, sqrt
from typing import NamedTuple

from lumbrel.core.bench.thermometer import typed_sigma_k
from lumbrel.core.pan.boil_lines import DRIFT_SIGMA_K_PER_H, Density, Heat
from lumbrel.core.pan.boil_model import fit_boil
from lumbrel.core.pan.boil_path import STRAYS, BoilPath
from lumbrel.core.pan.boil_problem import KnownBefore
from lumbrel.core.pan.continuous import Climb
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import READINGS, Corrected
from lumbrel.services.base.facts import (
    AnsweredFacts,
    DepthFacts,
    Facts,
    ScaleFacts,
    SignFacts,
    ThermometerFacts,
    WeighedFacts,
)
from lumbrel.services.day.pressure import pressure_by
from lumbrel.services.day.thermometers import DEFAULT_BOIL_BY, thermometer_today
from lumbrel.services.pan.evidence_heard import heard
from lumbrel.services.pan.evidence_probe import live_heat, live_of
from lumbrel.services.pan.evidence_words import BurnerChange, Word, changes_said, tells, words_of
from lumbrel.services.pan.run import Boil
from lumbrel.services.pan.unsaid import Away, Jump, answered
from lumbrel.store import probes
from lumbrel.store.instruments import Instrument, ThermometerDetail, with_detail
from lumbrel.store.probes import Trouble
from lumbrel.store.samples import Sample

LEAST_SIGMA_BRIX, BOUND_SIGMA_BRIX = 0.02, 0.5
"""The latter of where a stem begins to float."""
Kinds = tuple[type[Facts], ...]


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
        if reading.instrument.id == self.instrument_id:
            return True
        return bool(reading.entry_id) and reading.entry_id == self.reading.entry_id


def gather(
    context: BatchContext, *left_out: LeftOut, jumps: Sequence[Jump] = (), drift_k_per_h: float | None = None
) -> BoilEvidence:
    """Correct every reading, fit the boil, and let each instrument speak of now.

    Args:
        left_out: what does not count.
        jumps: where what is in it may have become another, besides what was answered.
        drift_k_per_h: by how much its probe is held to drift, one sigma; None: as any does.
    """
    run = heard(context, jumps)
    boil, readings, probe, gone = run.boil, run.readings, run.probe, run.gone
    spoken = [*readings, *run.weighed, *([probe.reading] if probe.reading else [])]
    trusted = _trusted(context, spoken)
    is_out = probe.instrument and probe.instrument.id in {one.instrument_id for one in left_out}
    heat: list[Heat] = []
    if probe.instrument and not is_out and ThermometerFacts in trusted:
        heat = context.once(("heat", *jumps), partial(live_heat, context, live_of(context), probe, boil))
    slipped = _slipped(context)
    told = [*readings, *run.weighed]
    counted = [r for r in told if _counts(r, trusted) and not _is_out(r, left_out, slipped)]
    drift = _drift(context, probe.instrument, drift_k_per_h)
    fitted, weights = _fitted(context, boil, counted, heat, drift)
    words = words_of(fitted, told, probe.reading, boil)
    count = _who_count(words, trusted, slipped)
    return BoilEvidence(
        boil_start=boil.start,
        readings=readings,
        probe=probe.instrument,
        probe_now=probe.now,
        probe_reading=probe.reading,
        probe_samples=run.samples,
        fitted=fitted,
        weights=weights,
        words=count,
        set_aside=[w for w in words if w not in count],
        changes=[] if context.channels else changes_said(fitted, boil.start),
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
    if probe is None:
        return []
    since = context.taken_in.at
    return context.once("troubles", lambda: probes.troubles(context.db, probe.id, since))


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


def _fitted(
    context: BatchContext, boil: Boil, counted: list[Corrected], heat: list[Heat], drift_k_per_h: float
) -> tuple[BoilPath, dict[str, float]]:
    """The boil fitted to what counts, and how much each reading on the slip counted."""
    taken = context.taken_in.facts
    typed = [r for r in counted if r.kind == ThermometerFacts.key()]
    dipped = [r for r in counted if r.kind != ThermometerFacts.key()]
    glasses = [(r, one) for r in typed if (one := _typed_heat(context, boil, r))]
    known = KnownBefore(
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
    fitted = fit_boil(known, [_density(boil, r) for r in dipped], every, boil.minute(boil.until))
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


def _trusted(context: BatchContext, readings: list[Corrected]) -> Kinds:
    """The kinds of reading that count; all of them while the trusted one has not spoken."""
    only = context.batch.methods.get("trust", "all")
    if any(r.kind == only and r.brix is not None for r in readings):
        return tuple(k for k in READINGS if k.key() == only)
    return (*READINGS, DepthFacts, WeighedFacts, ScaleFacts, SignFacts)


def _kind_in(reading: Corrected, kinds: Kinds) -> bool:
    return any(kind.key() == reading.kind for kind in kinds)


def _counts(reading: Corrected, trusted: Kinds) -> bool:
    speaks = tells(reading) or reading.bound_brix is not None or reading.shown_c is not None
    return speaks and _kind_in(reading, trusted)

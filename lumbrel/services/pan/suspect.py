"""Tales of a boil other than the one that was told, held against it: that something came in or went of which
no line speaks, or that the probe drifts. The one that explains what was read so much better is believed."""

from dataclasses import replace
from datetime import datetime, timedelta
from itertools import pairwise
from math import hypot

from lumbrel.core.pan.boil_lines import DRIFT
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.facts import HydrometerFacts, RefractometerFacts, SignFacts
from lumbrel.services.pan.evidence import BOUND_SIGMA_BRIX, DRIFTS_K_PER_H, BoilEvidence, LeftOut, gather
from lumbrel.services.pan.unsaid import Jump, answered

WILD_WEIGHT, WILD_SHARED = 0.42, 2.3
"""From here on a reading, or an instrument, is held against the boil fitted without it."""
TALE_COSTS = 8.0
"""So much better, as twice a logarithm of likelihood, another tale must explain what was read."""
LAST_GAPS, LEAST_AFTER = 5, 2
PROBE_TELLS = timedelta(minutes=5)
DRIFTS_FROM = 1.3
"""A drift that the fit finds so many of its sigmas large is looked at as one."""


def is_off(seen: BoilEvidence, instrument_id: str) -> bool:
    """Whether all that an instrument said is off together."""
    return _off_by(seen, instrument_id) > WILD_SHARED


def _off_by(seen: BoilEvidence, name: str) -> float:
    return abs(dict(seen.fitted.shared).get(name, 0.0))


def shared_off(seen: BoilEvidence, reading: Corrected) -> float:
    """By how many of its own sigmas all that an instrument said is off together."""
    return _off_by(seen, reading.instrument.id)


def looks_wild(seen: BoilEvidence, reading: Corrected) -> bool:
    """Whether a reading, or its instrument, fits the boil badly."""
    if reading.bound_brix is not None:
        return should_float(seen, reading)
    if is_off(seen, reading.instrument.id):
        return True
    return bool(reading.entry_id) and seen.weights.get(reading.entry_id, 1.0) < WILD_WEIGHT


def should_float(seen: BoilEvidence, reading: Corrected) -> bool:
    """Whether a stem that does not float should, by all the rest."""
    if reading.bound_brix is None:
        return False
    minute = max(seen.minute(reading.at), 0.0)
    beyond = seen.fitted.brix_at(minute) - reading.bound_brix
    return beyond > BEYOND_SIGMAS * hypot(seen.fitted.sigma_brix_at(minute), BOUND_SIGMA_BRIX)


BEYOND_SIGMAS = 1.4


def likeliest(context: BatchContext, seen: BoilEvidence) -> BoilEvidence:
    """The boil by the likeliest tale: as it was told, or with something unsaid in it."""
    if context.channels:
        return seen
    best = seen
    for other in (_with_a_jump(context, seen), _with_a_drift(context, seen)):
        if other and other.fitted.cost < min(best.fitted.cost, seen.fitted.cost - TALE_COSTS):
            best = other
    return replace(best, supposed_thinner=_is_thinner(context, best)) if best.supposed else best


def _is_thinner(context: BatchContext, told: BoilEvidence) -> bool:
    """Whether what was read since a jump is thinner than the boil until then would have come to."""
    since = told.supposed[-1].at
    after = [r for r in _typed(told) if r.at > since]
    until_then = gather(context, *(LeftOut(r) for r in after))
    off = 0.0
    for one in after:
        said = one.bound_brix if one.brix is None else one.brix
        off += (said or 0.0) - until_then.fitted.brix_at(max(until_then.minute(one.at), 0.0))
    return off < 0


def apart(without: BoilEvidence, reading: Corrected) -> float:
    """How far a reading lies from a boil fitted without it, in sigmas of both; denser is above 0."""
    assert reading.brix is not None
    minute = max(without.minute(reading.at), 0.0)
    fitted = without.fitted
    dated = reading.minute_sigma * fitted.rise_brix_per_min(minute)
    doubt = hypot(reading.sigma_brix, fitted.sigma_brix_at(minute), dated)
    return (reading.brix - fitted.brix_at(minute)) / doubt


def newest_apart(context: BatchContext, seen: BoilEvidence) -> tuple[Corrected, float] | None:
    """The newest reading where nothing but what is typed tells, and how far it lies from the boil as it was
    until then, in sigmas."""
    read = _typed(seen)
    if not read or seen.probe_now or context.now - read[-1].at > SPEAKS_FOR:
        return None
    last = read[-1]
    others = [r for r in read if r.instrument.id != last.instrument.id]
    if any(last.at - r.at <= BESIDE for r in others):
        # Of two the belief tells which.
        return None
    if last.brix is None or last.kind not in DIPPED or len(read) < 2:
        return None
    without = gather(context, LeftOut(last), jumps=seen.supposed)
    minute = max(without.minute(last.at), 0.0)
    # In masses: what is not known of a rate yet is not lopsided there.
    return last, without.fitted.apart(minute, last.brix, last.sigma_brix, last.minute_sigma)


def other_tale(context: BatchContext, seen: BoilEvidence) -> BoilEvidence | None:
    """The boil as it is if what the newest reading hints at is so; None where it hints at nothing. What may
    be so belongs into the range of the minutes left."""
    newest = None if seen.supposed or context.channels else newest_apart(context, seen)
    if newest is None or abs(newest[1]) < HINTS_SIGMAS:
        return None
    moments = sorted({seen.boil_start, *(r.at for r in _typed(seen) if r.at > seen.boil_start)})
    gaps = [a + (b - a) / 2 for a, b in pairwise(moments)][-HINTED_GAPS:]
    tales = [gather(context, jumps=(Jump(at),)) for at in gaps]
    return min(tales, key=lambda tale: tale.fitted.cost, default=None)


HINTS_SIGMAS, HINTED_GAPS = 1.5, 2
SPEAKS_FOR, BESIDE = timedelta(minutes=8), timedelta(minutes=10)
DIPPED = (HydrometerFacts.key(), RefractometerFacts.key())


def _typed(seen: BoilEvidence) -> list[Corrected]:
    tells = [r for r in seen.readings if r.brix is not None or r.bound_brix is not None]
    return [r for r in tells if r.kind != SignFacts.key()]


def _with_a_jump(context: BatchContext, seen: BoilEvidence) -> BoilEvidence | None:
    """With one moment between two readings at which what is in it became another."""
    read = _typed(seen)
    if not any(looks_wild(seen, r) for r in read[-LAST_GAPS:]):
        return None
    best: BoilEvidence | None = None
    for at in _gaps(seen, read):
        if any(answered(context, key, at) is False for key in ("put_in", "taken_out")):
            continue
        other = gather(context, jumps=(Jump(at),))
        if best is None or other.fitted.cost < best.fitted.cost:
            best = other
    return best if best and _bears_out(context, seen, best, read) else None


def _bears_out(context: BatchContext, seen: BoilEvidence, other: BoilEvidence, read: list[Corrected]) -> bool:
    """Whether more than one reading speaks for a jump: it must explain the rest without the worst, too."""
    after = [r for r in read if r.at > other.supposed[-1].at and r.entry_id]
    if not after:
        return True
    worst = LeftOut(min(after, key=lambda r: seen.weights.get(r.entry_id, 1.0)))
    without, with_it = gather(context, worst), gather(context, worst, jumps=other.supposed)
    return with_it.fitted.cost < without.fitted.cost - SPOKEN_FOR


SPOKEN_FOR = 4.0


def _gaps(seen: BoilEvidence, read: list[Corrected]) -> list[datetime]:
    """The middles of the last gaps between readings after which enough was read to tell."""
    moments = sorted({seen.boil_start, *(r.at for r in read if r.at > seen.boil_start)})
    gaps = [(a + (b - a) / 2, b) for a, b in pairwise(moments)]
    found = []
    for at, following in gaps[-LAST_GAPS:]:
        after = sum(r.at >= following for r in read)
        probe = seen.probe_samples[-1].at if seen.probe_now and seen.probe_samples else None
        if after >= LEAST_AFTER or (after and probe and probe - at >= PROBE_TELLS):
            found.append(at)
    return found


def _with_a_drift(context: BatchContext, seen: BoilEvidence) -> BoilEvidence | None:
    """With a probe that drifts."""
    if seen.probe is None or answered(context, "probe_drifts", None, seen.probe.id) is not None:
        return None
    if _off_by(seen, DRIFT) < DRIFTS_FROM or not any(r.kind in DIPPED for r in _typed(seen)):
        return None
    other = gather(context, drift_k_per_h=DRIFTS_K_PER_H)
    # One that was off from the beginning is bent, or was tested badly: it does not drift.
    return None if _off_by(other, seen.probe.id) > BENT_SIGMAS else other


BENT_SIGMAS = 1.8

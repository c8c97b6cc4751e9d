"""Whose word on the density counts: the boil fitted to everything, without what contradicts it."""

from dataclasses import dataclass, replace
from math import hypot, sqrt

from lumbrel.core.bench import evidence
from lumbrel.core.bench.evidence import Agreement, Estimate
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.facts import SignFacts
from lumbrel.services.pan.evidence import BoilEvidence, LeftOut, Word, gather

BALANCE = "Mass balance"
LEAST_SIGMA_BRIX = 0.12
"""What no fit knows better than."""
WILD_WEIGHT, WILD_SHARED = 0.42, 2.3
"""From here on a reading, or an instrument, is held against the boil fitted without it."""
CONTRADICTS_SIGMAS, BORNE_OUT_SIGMAS = 3.4, 2.2


@dataclass(frozen=True, kw_only=True)
class Belief:
    """What is believed of the density now."""

    evidence: BoilEvidence
    """Without whom was set aside."""
    joint: Agreement
    """The instruments together, and whether all can be right."""
    balance: Estimate
    """The fitted boil's word."""
    believed: Agreement | None
    """None when two contradict each other and neither can be preferred."""
    odd: Word | None = None
    """Who was set aside."""
    at_odds: Word | None = None
    """Who contradicts the others, whether or not it could be told who is right."""


def believe(context: BatchContext) -> Belief:
    """Everything together; without the one that the rest of the boil does not bear out."""
    seen = gather(context)
    wild = _most_contradicting(context, seen)
    if wild is None:
        return _belief(context, seen, seen)
    word, without = wild
    for other in seen.words:
        if other is word:
            continue
        # Were the other one wrong, would the rest of the boil bear this one out?
        rest = gather(context, _out(seen, word), _out(seen, other))
        if abs(_apart(rest, word.reading)) < BORNE_OUT_SIGMAS:
            return _belief(context, seen, seen, at_odds=word, undecided=True)
    if len(seen.words) == 1 and not _read_before(seen, word.reading):
        # One instrument against the arithmetic: nobody can say which is right.
        return _belief(context, seen, without, at_odds=word, undecided=True)
    return _belief(context, seen, without, odd=word, at_odds=word)


def _belief(
    context: BatchContext,
    seen: BoilEvidence,
    counted: BoilEvidence,
    *,
    odd: Word | None = None,
    at_odds: Word | None = None,
    undecided: bool = False,
) -> Belief:
    balance = balance_of(context, counted)
    joint = evidence.agreement([w.estimate for w in seen.words] or [balance])
    index = seen.words.index(odd) if odd else None
    joint = replace(joint, agree=at_odds is None, odd_one_out=index)
    sure = Agreement(balance.brix, balance.sigma_brix, joint.chi2_per_dof, True, None)
    return Belief(
        evidence=replace(counted, words=seen.words),
        joint=joint,
        balance=balance,
        believed=None if undecided else sure,
        odd=odd,
        at_odds=at_odds,
    )


def balance_of(context: BatchContext, seen: BoilEvidence) -> Estimate:
    """The fitted boil's own word on the density now."""
    minute = max(seen.minute(context.now), 0.0)
    sigma = sqrt(seen.fitted.sigma_brix_at(minute) ** 2 + LEAST_SIGMA_BRIX**2)
    brix = min(max(seen.fitted.brix_at(minute), 0.2), 96.9)
    return Estimate(BALANCE, brix, min(sigma, 50.0))


def _most_contradicting(
    context: BatchContext, seen: BoilEvidence
) -> tuple[Word, BoilEvidence] | None:
    """The instrument that the boil fitted without it contradicts most, if any, and that boil."""
    found: tuple[float, Word, BoilEvidence] | None = None
    for word in seen.words:
        # What is seen never stands against an instrument, nor against the arithmetic.
        if word.reading.kind == SignFacts.key() or not _looks_wild(seen, word.reading):
            continue
        without = gather(context, _out(seen, word))
        apart = abs(_apart(without, word.reading))
        if apart >= CONTRADICTS_SIGMAS and (found is None or apart > found[0]):
            found = (apart, word, without)
    return found[1:] if found else None


def _out(seen: BoilEvidence, word: Word) -> LeftOut:
    return LeftOut(word.reading, _is_off(seen, word.reading.instrument.id))


def _is_off(seen: BoilEvidence, instrument_id: str) -> bool:
    return abs(dict(seen.fitted.shared).get(instrument_id, 0.0)) > WILD_SHARED


def _looks_wild(seen: BoilEvidence, reading: Corrected) -> bool:
    if _is_off(seen, reading.instrument.id):
        return True
    return bool(reading.entry_id) and seen.weights.get(reading.entry_id, 1.0) < WILD_WEIGHT


def _apart(without: BoilEvidence, reading: Corrected) -> float:
    """How far a reading lies from a boil fitted without it, in sigmas of both."""
    assert reading.brix is not None
    minute = max(without.minute(reading.at), 0.0)
    fitted = without.fitted
    dated = reading.minute_sigma * fitted.rise_brix_per_min(minute)
    doubt = hypot(reading.sigma_brix, fitted.sigma_brix_at(minute), dated)
    return (reading.brix - fitted.brix_at(minute)) / doubt


def _read_before(seen: BoilEvidence, reading: Corrected) -> bool:
    """Whether the same instrument was read before, and borne out then."""

    def good(other: Corrected) -> bool:
        return seen.weights.get(other.entry_id, 0.0) > WILD_WEIGHT

    same = [r for r in seen.readings if r.instrument.id == reading.instrument.id]
    return sum(good(r) for r in same if r.entry_id != reading.entry_id) >= 2

"""Whose word on the density counts: the boil fitted to everything, without what contradicts it."""

from dataclasses import dataclass, replace
from math import sqrt

from lumbrel.core.bench import evidence
from lumbrel.core.bench.evidence import Agreement, Estimate
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import SignFacts
from lumbrel.services.pan.evidence import BoilEvidence, LeftOut, gather
from lumbrel.services.pan.evidence_words import Word
from lumbrel.services.pan.suspect import apart, is_off, likeliest, looks_wild, shared_off
from lumbrel.words import _

BALANCE = _("Mass balance")
LEAST_SIGMA_BRIX = 0.12
"""What no fit knows better than."""
CONTRADICTS_SIGMAS, BORNE_OUT_SIGMAS = 3.4, 2.2
OWN_COUNTS = 1.1
"""What an instrument is off by from its own doubt counts a little more than from a boil that is vague."""


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
    seen = likeliest(context, gather(context))
    wild = _most_contradicting(context, seen)
    if wild is None:
        return _belief(context, seen, seen)
    word, without = wild
    for other in seen.words:
        if other is word:
            continue
        # Were the other one wrong, would the rest of the boil bear this one out?
        rest = _without(context, seen, word, other)
        if abs(apart(rest, word.reading)) < BORNE_OUT_SIGMAS:
            return _belief(context, seen, seen, at_odds=word, undecided=True)
    if len(seen.words) == 1:
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


def _most_contradicting(context: BatchContext, seen: BoilEvidence) -> tuple[Word, BoilEvidence] | None:
    """The instrument that the boil fitted without it contradicts most, if any, and that boil."""
    found: tuple[float, Word, BoilEvidence] | None = None
    for word in seen.words:
        # What is seen never stands against an instrument, nor against the arithmetic.
        if word.reading.kind == SignFacts.key() or not looks_wild(seen, word.reading):
            continue
        without = _without(context, seen, word)
        off = max(abs(apart(without, word.reading)), OWN_COUNTS * shared_off(seen, word.reading))
        if off >= CONTRADICTS_SIGMAS and (found is None or off > found[0]):
            found = (off, word, without)
    return found[1:] if found else None


def _without(context: BatchContext, seen: BoilEvidence, *words: Word) -> BoilEvidence:
    """The same tale without what some said."""
    out = [LeftOut(word.reading, is_off(seen, word.reading.instrument.id)) for word in words]
    return gather(context, *out, jumps=seen.supposed, drift_k_per_h=seen.drift_k_per_h)

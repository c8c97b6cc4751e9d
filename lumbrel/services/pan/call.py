"""What to do now: the call."""

from dataclasses import replace

from lumbrel.core.bench import evidence
from lumbrel.core.bench.causes import Cause, likely
from lumbrel.core.pan.verdict import Call, Verdict, verdict
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import HydrometerFacts, RefractometerFacts
from lumbrel.services.pan.belief import Belief
from lumbrel.services.pan.next_look import STEM, TimeLeft, looks_of
from lumbrel.services.pan.question import Question
from lumbrel.services.pan.suspect import should_float
from lumbrel.words import _


def call_of(context: BatchContext, found: Belief, mass_kg: float, time: TimeLeft) -> Verdict:
    """What to do next, from whom is believed."""
    batch, believed = context.batch, found.believed
    said = believed or found.joint
    seen = found.evidence
    rise = seen.fitted.rise_brix_per_min(max(seen.minute(context.now), 0.0))
    rises = 0.0 if seen.heat_is_off or time.heating else rise

    def call(agree: bool) -> Verdict:
        return verdict(
            mass_kg,
            said.brix,
            said.sigma_brix,
            target_brix=batch.target_brix,
            agree=agree,
            looks=looks_of(context, seen, time),
            rise_brix_per_min=rises,
            draw_margin_brix=batch.draw_margin_brix,
        )

    if believed is None or found.joint.agree:
        return call(believed is not None)
    # One stands alone: at the mark the word of the others is enough to draw on.
    by_others = call(True)
    if by_others.call in (Call.DRAW_NOW, Call.OVER):
        return replace(by_others, reason=_("at the mark by the others"))
    return by_others if by_others.call is Call.CHECK_AGAIN else call(False)


def held_back(context: BatchContext, found: Belief, asked: list[Question], call: Verdict) -> Verdict:
    """While something is asked that would make it another boil, nothing is done that was not looked at
    since."""
    doubts = [one.at for one in asked if one.holds_back]
    if not doubts or call.call not in (Call.DRAW_NOW, Call.OVER):
        return call
    dips = [r for r in found.evidence.readings if r.kind in DIPPED]
    since = bool(dips) and dips[-1].at > max(doubts) and context.now - dips[-1].at <= STEM.fresh
    if since and not should_float(found.evidence, dips[-1]):
        return call
    return replace(call, call=Call.CHECK_AGAIN, reason=_("something is asked that would change it"))


DIPPED = (HydrometerFacts.key(), RefractometerFacts.key())


def cause_of(found: Belief) -> Cause | None:
    """Why the one that contradicts the others does, most likely. One that speaks alone is held
    against the balance."""
    word = found.at_odds
    causes = word.reading.causes() if word else []
    if word is None or not causes:
        return None
    rest = [w.estimate for w in found.evidence.words if w is not word]
    others = evidence.agreement(rest or [found.balance])
    return likely(causes, word.estimate.brix - others.brix, word.estimate.sigma_brix, others.sigma_brix)

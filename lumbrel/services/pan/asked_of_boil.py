"""What the course of a boil makes one ask: the fire went out, something came in or went."""

from collections.abc import Iterator
from dataclasses import replace
from datetime import datetime, timedelta

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.facts import AnsweredFacts, BurnerFacts, HeatFacts, PartDrawFacts, PutInFacts
from lumbrel.services.pan import live_scale
from lumbrel.services.pan.evidence import BoilEvidence
from lumbrel.services.pan.question import (
    Question,
    Reply,
    answer,
    moment,
    thinner_or_denser,
    was_put_in,
    was_taken_out,
)
from lumbrel.services.pan.suspect import newest_apart
from lumbrel.services.pan.unsaid import OUT_OF_THE_PAN_K, SAID_WITHIN, Away, answered
from lumbrel.words import _, number

FASTER_PERCENT = 30.0
"""So much more boils off when a part of what is in it is gone."""
WARMS = timedelta(minutes=15)
NEAR = timedelta(minutes=6)
"""A change of the rate so near to a line is what it speaks of."""


def of_the_fire(context: BatchContext, seen: BoilEvidence) -> Iterator[Question]:
    """The probe left the boil, or came back to one."""
    for one in seen.gone[-1:]:
        since = context.clock(one.began)
        if one.ended is None:
            if one.falling and not one.sudden and not _is_off(context, one.began):
                yield _is_it_out(context, seen, one, since)
            elif one.sudden and answered(context, "put_in", one.began) is None:
                asked = was_put_in(
                    context, one.began, _("The probe fell at once, as when something cold comes in.")
                )
                out = answer(_("The probe is out of the pan"), "heat_off", False, one.began)
                yield replace(asked, replies=(*asked.replies, out))
        elif one.thinner:
            if answered(context, "put_in", one.began) is None:
                why = _("The probe fell, and it boils on colder, so thinner, than before.")
                yield was_put_in(context, one.began, why)
        elif answered(context, "relit", one.ended) is None and not _lit_since(context, one):
            until = context.clock(one.ended)
            said = _is_off(context, one.ended)
            on = Reply(
                label=_("Yes, it boils again"), kind=HeatFacts.key(), fields=(("on", "1"), moment(one.ended))
            )
            yield Question(
                key="relit",
                sentence=_("Was the fire out from {since} to {until}?", since=since, until=until)
                if not said
                else _("Is the fire lit again since {until}?", until=until),
                why=_("The probe left the boil then and came back as hot as it was."),
                at=one.ended,
                replies=(
                    on if said else answer(_("Yes, it was out"), "relit", True, one.ended),
                    answer(_("No, it boiled"), "heat_off", False, one.began),
                ),
            )


def _is_off(context: BatchContext, at: datetime) -> bool:
    """Whether by the slip the heat is off, at a moment or just after it."""
    lines = [e for e in context.of_kind(HeatFacts) if e.at <= at + SAID_WITHIN]
    return bool(lines) and not lines[-1].facts.on


def _lit_since(context: BatchContext, one: Away) -> bool:
    """Whether the slip says that it was lit again after a while off the boil."""
    return any(e.facts.on and e.at >= one.began for e in context.of_kind(HeatFacts))


def _is_it_out(context: BatchContext, seen: BoilEvidence, one: Away, since: str) -> Question:
    shown = context.show(seen.probe_now.value if seen.probe_now else one.low_c, "temperature")
    boils = context.show(one.from_c, "temperature")
    name = seen.probe.name if seen.probe else _("The probe")
    off = Reply(
        label=_("Yes, the fire went out"), kind=HeatFacts.key(), fields=(("on", "0"), moment(one.began))
    )
    out = answer(_("The probe is out of the pan"), "heat_off", False, one.began)
    boils_on = answer(_("No, it boils"), "heat_off", False, one.began)
    fell = one.from_c - one.low_c
    return Question(
        key="heat_off",
        sentence=_("Did the fire go out at about {since}?", since=since),
        why=_(
            "{name} shows {shown} and falls; boiling, it showed {boils}.", name=name, shown=shown, boils=boils
        ),
        at=one.began,
        replies=(out, off, boils_on) if fell > OUT_OF_THE_PAN_K else (off, boils_on, out),
    )


def of_the_weight(context: BatchContext) -> Iterator[Question]:
    """The scale under it showed more or less at once, or nothing boiled off any more."""
    weight = live_scale.told(context)
    for at, kg in weight.came[-1:]:
        if answered(context, "put_in", at) is None:
            more = context.show(kg, "mass", 2)
            yield was_put_in(context, at, _("The scale shows {more} more at once.", more=more), more)
    for one in weight.taken[-1:]:
        if answered(context, "taken_out", one.at) is None:
            less = context.show(one.mass_kg, "mass", 2)
            asked = was_taken_out(context, one.at, _("The scale shows {less} less at once.", less=less))
            yield replace(asked, replies=(asked.replies[0], asked.replies[-1]))
    came = [*(at for at, _kg in weight.came), *(e.at for e in context.of_kind(PutInFacts))]
    for began, ended in weight.stalls[-1:]:
        # What was put in warms first: nothing boils off then either.
        warms = any(-WARMS <= at - began <= SAID_WITHIN for at in came)
        if ended > context.now and not warms and not _is_off(context, began):
            off = Reply(
                label=_("Yes, the fire went out"), kind=HeatFacts.key(), fields=(("on", "0"), moment(began))
            )
            yield Question(
                key="heat_off",
                sentence=_("Did the fire go out at about {since}?", since=context.clock(began)),
                why=_("By the scale nothing boils off since then."),
                at=began,
                replies=(off, answer(_("No, it boils"), "heat_off", False, began)),
            )


def of_jumps(context: BatchContext, seen: BoilEvidence) -> Iterator[Question]:
    """What two readings, or two instruments, say against the arithmetic."""
    if seen.readings and _answered_since(context, seen.readings[-1].at):
        return
    for jump in seen.supposed:
        yield thinner_or_denser(context, jump.at, seen.supposed_thinner, _("What was read since is"))


def _answered_since(context: BatchContext, at: datetime) -> bool:
    """Whether what a reading makes one ask was answered after it was taken, of whatever moment."""
    about = ("put_in", "taken_out", "relit")
    lines = context.of_kind(AnsweredFacts)
    return any(e.noted_at >= at and e.facts.question in about for e in lines)


def of_the_newest(context: BatchContext, seen: BoilEvidence) -> Iterator[Question]:
    """One reading that is off by more than chance, where nothing else tells."""
    newest = None if seen.supposed else newest_apart(context, seen)
    if newest is None or abs(newest[1]) < DOUBTFUL_SIGMAS:
        return
    reading, off = newest
    if _answered_since(context, reading.at):
        return
    at = reading.at - timedelta(minutes=1)
    if seen.heat_is_off and off > 0:
        if answered(context, "relit", at) is None:
            yield _is_it_lit(context, at, reading)
        return
    if answered(context, "put_in" if off < 0 else "taken_out", at) is None:
        yield thinner_or_denser(
            context,
            at,
            off < 0,
            _(
                "{instrument} read {brix} Brix,",
                instrument=reading.instrument.name,
                brix=number(reading.brix, 1),
            ),
        )


def _is_it_lit(context: BatchContext, at: datetime, reading: Corrected) -> Question:
    """It grew denser while the heat was off by the slip."""
    on = Reply(label=_("Yes, it boils again"), kind=HeatFacts.key(), fields=(("on", "1"), moment(at)))
    return Question(
        key="relit",
        sentence=_("Is the fire lit again?"),
        why=_(
            "{instrument} read {brix} Brix, denser than before the heat was off.",
            instrument=reading.instrument.name,
            brix=number(reading.brix, 1),
        ),
        at=at,
        replies=(on, answer(_("No, it is off"), "relit", False, at)),
    )


DOUBTFUL_SIGMAS = 2.0


def of_rates(context: BatchContext, seen: BoilEvidence) -> Iterator[Question]:
    """It boils off so much faster that a part of it may be gone."""
    lines = context.of_kind(BurnerFacts, PutInFacts, PartDrawFacts, HeatFacts)
    noted = [
        *(e.at for e in lines),
        *(one.ended for one in seen.gone if one.ended),
        *(jump.at for jump in seen.supposed),
    ]
    for change in seen.changes[-1:]:
        if change.percent < FASTER_PERCENT or any(abs(at - change.at) <= NEAR for at in noted):
            continue
        if not _answered_since(context, change.at):
            why = _("It boils off {percent} % faster since then.", percent=number(change.percent, 0))
            yield was_taken_out(context, change.at, why)

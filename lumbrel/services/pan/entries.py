"""What happens at the pan besides readings."""

from datetime import datetime
from typing import Any

from lumbrel.services.base.asked import typed_of
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.codes import called
from lumbrel.services.base.dip import dip
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    AddedFacts,
    AlarmFacts,
    AnsweredFacts,
    FoamFacts,
    HeatFacts,
    QuestionKey,
    StageFacts,
)
from lumbrel.services.base.form import Form
from lumbrel.services.base.line import Line
from lumbrel.services.pan import pour
from lumbrel.services.pan.alarms import HEADLINES
from lumbrel.services.pan.unsaid import answer_to
from lumbrel.store import record
from lumbrel.store.kitchen import woodlots
from lumbrel.words import _, in_a_row, joined, number

DEFOAMERS = {
    "oil": (_("vegetable oil"), ""),
    "butter": (_("butter"), _("milk")),
    "margarine": (_("margarine"), _("milk")),
    "cream": (_("cream"), _("milk")),
    "commercial": (_("commercial defoamer"), ""),
}


def heat_is_off(form: Form, context: BatchContext, facts: HeatFacts) -> None:
    """Ask about a heat that is on again, where by the slip it never was off."""
    if facts.on and not context.is_cook and not _was_off(context):
        form.ask("on", _("By the slip the heat was not off. Was it off, and is it on again?"))


def _was_off(context: BatchContext) -> bool:
    """Whether the slip says that the heat is off."""
    said = [
        not e.facts.on if isinstance(e.facts, HeatFacts) else e.facts.step == "banked"
        for e in context.entries
        if not e.superseded and isinstance(e.facts, HeatFacts | StageFacts)
    ]
    return bool(said) and said[-1]


def heat_words(context: BatchContext, entry: Entry[HeatFacts]) -> Line:
    return Line(entry, _("Heat on again") if entry.facts.on else _("Heat off"))


ASKED_ABOUT: dict[QuestionKey, tuple[str, str]] = {
    "heat_off": (_("The fire went out"), _("It boiled on")),
    "relit": (_("The fire was out, and is lit again"), _("The fire was not out")),
    "put_in": (_("Something was put in"), _("Nothing was put in")),
    "taken_out": (_("Some was taken out"), _("Nothing was taken out")),
    "unit": (_("Typed in the other unit"), _("The unit is right")),
    "other_vessel": (_("A reading of another vessel"), _("A reading of this vessel")),
    "probe_drifts": (_("The probe drifts"), _("The probe does not drift")),
    "scale_slipped": (_("The scale is wrong"), _("The scale is right")),
    "misread": (_("It was misread"), _("It was not misread")),
    "boil_again": (_("The thermometer wants a test boil"), _("The thermometer is right")),
}
"""What a yes to each question says, and a no."""


def answered(form: Form, context: BatchContext) -> AnsweredFacts | None:
    """What somebody answered to a question about the boil."""
    question = form.choice("question", list(ASKED_ABOUT), _("Answer one of the questions of the pan."))
    if not question:
        return None
    instrument = form.text("instrument", limit=64)
    if instrument and instrument not in {i.id for i in context.instruments}:
        form.errors["instrument"] = _("There is no such instrument.")
        return None
    facts: dict[str, Any] = {"question": question, "yes": form.ticked("yes")}
    if instrument:
        facts["instrument_id"] = instrument
    return AnsweredFacts(**facts)


def answered_already(form: Form, context: BatchContext, facts: AnsweredFacts) -> None:
    """Refuse a second answer to one question: it says what was answered, and by whom."""
    at = dip(form, context.now) or context.now
    about = facts.instrument_id
    last = answer_to(context, facts.question, None if about else at, about)
    if last:
        words = ASKED_ABOUT[last.facts.question][0 if last.facts.yes else 1]
        form.errors["kind"] = _(
            "{initials} answered that at {noted_at}: “{value}”. Nothing was written now. Strike "
            "that line on the slip if it was wrong.",
            initials=last.initials or _("Somebody"),
            noted_at=context.clock(last.noted_at),
            value=words,
        )


def answered_words(context: BatchContext, entry: Entry[AnsweredFacts]) -> Line:
    facts = entry.facts
    names = {i.id: i.name for i in context.instruments}
    about = names.get(facts.instrument_id, "")
    return Line(entry, ASKED_ABOUT[facts.question][0 if facts.yes else 1], about)


def foam(form: Form, context: BatchContext) -> FoamFacts:
    """Foam knocked down; the choice goes on to the label when it carries an allergen."""
    chosen = form.choice(
        "defoamer", list(DEFOAMERS), _("Say what knocked the foam down: it decides the allergens.")
    )
    name, allergen = DEFOAMERS.get(chosen, ("", ""))
    return FoamFacts(defoamer=name, allergen=allergen)


def foam_words(context: BatchContext, entry: Entry[FoamFacts]) -> Line:
    allergen = entry.facts.allergen
    carries = _("carries {allergen}", allergen=called(allergen)) if allergen else _("no allergen")
    return Line(entry, _("Foam, {defoamer}", defoamer=called(entry.facts.defoamer)), carries)


def added(form: Form, context: BatchContext) -> AddedFacts | None:
    """More near-syrup, or water or thinner syrup put back; or another batch poured in."""
    if form.given("from"):
        if context.is_cook:
            form.errors["from"] = _("Into a candy pot water or syrup is put, not another batch.")
            return None
        return pour.poured(form, context)
    typed = typed_of(AddedFacts, form)
    if form.given("woodlot"):
        known = [w.id for w in woodlots(context.db)]
        typed["woodlot_id"] = form.choice("woodlot", known, _("Choose the woodlot it came from."))
    return None if form.errors else AddedFacts(**typed)


def added_words(context: BatchContext, entry: Entry[AddedFacts]) -> Line:
    facts = entry.facts
    what = _("water") if facts.brix == 0 else _("at {brix}", brix=number(facts.brix, 1))
    source = ""
    if facts.from_lot:
        jars = joined(", ", (f"{n} × {context.show(size, 'jar')}" for size, n in facts.jars))
        source = _("{jars} of lot {from_lot}", jars=jars, from_lot=facts.from_lot)
    elif facts.from_batch_id:
        giver = record.batch_by(context.db, id=facts.from_batch_id)
        source = _("from batch {giver_code}", giver_code=giver.code) if giver else ""
    elif facts.woodlot_id:
        source = next(w.name for w in woodlots(context.db) if w.id == facts.woodlot_id)
    put_in = _("Put in {mass}", mass=context.show(facts.mass_kg, "mass", 2))
    return Line(entry, put_in, in_a_row([what, source]))


def alarm_words(context: BatchContext, entry: Entry[AlarmFacts]) -> Line:
    facts = entry.facts
    rang = datetime.fromisoformat(facts.raised_at)
    when = context.clock(rang)
    detail = (
        _("rang {when}, answered by {initials}", when=when, initials=entry.initials)
        if entry.initials
        else _("rang {when}, answered", when=when)
    )
    return Line(entry, _("Alarm: {get}", get=HEADLINES.get(facts.alarm, facts.alarm)), detail)

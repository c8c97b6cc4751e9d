"""What happens at the pan besides readings."""

from datetime import datetime
from typing import Any

from lumbrel.services.base.asked import typed_of
from lumbrel.services.base.batch import BatchContext
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

DEFOAMERS = {
    "oil": ("vegetable oil", ""),
    "butter": ("butter", "milk"),
    "margarine": ("margarine", "milk"),
    "cream": ("cream", "milk"),
    "commercial": ("commercial defoamer", ""),
}


def heat_is_off(form: Form, context: BatchContext, facts: HeatFacts) -> None:
    """Ask about a heat that is on again, where by the slip it never was off."""
    if facts.on and not context.is_cook and not _was_off(context):
        form.ask("on", "By the slip the heat was not off. Was it off, and is it on again?")


def _was_off(context: BatchContext) -> bool:
    """Whether the slip says that the heat is off."""
    said = [
        not e.facts.on if isinstance(e.facts, HeatFacts) else e.facts.step == "banked"
        for e in context.entries
        if not e.superseded and isinstance(e.facts, HeatFacts | StageFacts)
    ]
    return bool(said) and said[-1]


def heat_words(context: BatchContext, entry: Entry[HeatFacts]) -> Line:
    return Line(entry, "Heat on again" if entry.facts.on else "Heat off")


ASKED_ABOUT: dict[QuestionKey, tuple[str, str]] = {
    "heat_off": ("The fire went out", "It boiled on"),
    "relit": ("The fire was out, and is lit again", "The fire was not out"),
    "put_in": ("Something was put in", "Nothing was put in"),
    "taken_out": ("Some was taken out", "Nothing was taken out"),
    "unit": ("Typed in the other unit", "The unit is right"),
    "other_vessel": ("A reading of another vessel", "A reading of this vessel"),
    "probe_drifts": ("The probe drifts", "The probe does not drift"),
    "scale_slipped": ("The scale is wrong", "The scale is right"),
    "misread": ("It was misread", "It was not misread"),
    "boil_again": ("The thermometer wants a test boil", "The thermometer is right"),
}
"""What a yes to each question says, and a no."""


def answered(form: Form, context: BatchContext) -> AnsweredFacts | None:
    """What somebody answered to a question about the boil."""
    question = form.choice("question", list(ASKED_ABOUT), "Answer one of the questions of the pan.")
    if not question:
        return None
    instrument = form.text("instrument", limit=64)
    if instrument and instrument not in {i.id for i in context.instruments}:
        form.errors["instrument"] = "There is no such instrument."
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
        form.errors["kind"] = (
            f"{last.initials or 'Somebody'} answered that at {context.clock(last.noted_at)}: “{words}”. "
            "Nothing was written now. Strike that line on the slip if it was wrong."
        )


def answered_words(context: BatchContext, entry: Entry[AnsweredFacts]) -> Line:
    facts = entry.facts
    names = {i.id: i.name for i in context.instruments}
    about = names.get(facts.instrument_id, "")
    return Line(entry, ASKED_ABOUT[facts.question][0 if facts.yes else 1], about)


def foam(form: Form, context: BatchContext) -> FoamFacts:
    """Foam knocked down; the choice goes on to the label when it carries an allergen."""
    chosen = form.choice(
        "defoamer", list(DEFOAMERS), "Say what knocked the foam down: it decides the allergens."
    )
    name, allergen = DEFOAMERS.get(chosen, ("", ""))
    return FoamFacts(defoamer=name, allergen=allergen)


def foam_words(context: BatchContext, entry: Entry[FoamFacts]) -> Line:
    allergen = entry.facts.allergen
    carries = f"carries {allergen}" if allergen else "no allergen"
    return Line(entry, f"Foam, {entry.facts.defoamer}", carries)


def added(form: Form, context: BatchContext) -> AddedFacts | None:
    """More near-syrup, or water or thinner syrup put back; or another batch poured in."""
    if form.given("from"):
        if context.is_cook:
            form.errors["from"] = "Into a candy pot water or syrup is put, not another batch."
            return None
        return pour.poured(form, context)
    typed = typed_of(AddedFacts, form)
    if form.given("woodlot"):
        known = [w.id for w in woodlots(context.db)]
        typed["woodlot_id"] = form.choice("woodlot", known, "Choose the woodlot it came from.")
    return None if form.errors else AddedFacts(**typed)


def added_words(context: BatchContext, entry: Entry[AddedFacts]) -> Line:
    facts = entry.facts
    what = "water" if facts.brix == 0 else f"at {facts.brix:.1f}"
    if facts.from_lot:
        jars = ", ".join(f"{n} × {context.show(size, 'jar')}" for size, n in facts.jars)
        what += f", {jars} of lot {facts.from_lot}"
    elif facts.from_batch_id:
        giver = record.batch_by(context.db, id=facts.from_batch_id)
        what += f", from batch {giver.code}" if giver else ""
    elif facts.woodlot_id:
        name = next(w.name for w in woodlots(context.db) if w.id == facts.woodlot_id)
        what += f", {name}"
    return Line(entry, f"Put in {context.show(facts.mass_kg, 'mass', 2)}", what)


def alarm_words(context: BatchContext, entry: Entry[AlarmFacts]) -> Line:
    facts = entry.facts
    rang = datetime.fromisoformat(facts.raised_at)
    who = f" by {entry.initials}" if entry.initials else ""
    detail = f"rang {context.clock(rang)}, answered{who}"
    return Line(entry, f"Alarm: {HEADLINES.get(facts.alarm, facts.alarm)}", detail)

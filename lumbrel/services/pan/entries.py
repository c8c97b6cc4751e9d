"""What happens at the pan besides readings."""

from datetime import datetime
from typing import Any

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    AddedFacts,
    AlarmFacts,
    BoilingFacts,
    BurnerFacts,
    FoamFacts,
    HeatFacts,
    NoteFacts,
    StrainedFacts,
)
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.pan import pour
from lumbrel.services.pan.alarms import HEADLINES
from lumbrel.store import record
from lumbrel.store.kitchen import woodlots

DEFOAMERS = {
    "oil": ("vegetable oil", ""),
    "butter": ("butter", "milk"),
    "margarine": ("margarine", "milk"),
    "cream": ("cream", "milk"),
    "commercial": ("commercial defoamer", ""),
}

MASS = Bounds("mass", "mass", 0.01, 5000, "What was put in must weigh between 0.01 and 5000 kg.")
BRIX = Bounds("brix", "brix", 0, 85, "Its Brix must lie between 0 (water) and 85.")
TEMPERATURE = Bounds("temperature", "temperature", 0, 120, "It must be between 0 and 120 °C warm.")


def boiling(form: Form, context: BatchContext) -> BoilingFacts:
    """The boil-off has begun."""
    return BoilingFacts()


def boiling_words(context: BatchContext, entry: Entry[BoilingFacts]) -> Line:
    """As it stands on the slip."""
    return Line(entry, "Boiling")


def heat(form: Form, context: BatchContext) -> HeatFacts | None:
    """The heat was put off, or on again."""
    if not _on_the_fire(form, context):
        return None
    return HeatFacts(on=form.ticked("on"))


def heat_words(context: BatchContext, entry: Entry[HeatFacts]) -> Line:
    """As it stands on the slip."""
    return Line(entry, "Heat on again" if entry.facts.on else "Heat off")


def burner(form: Form, context: BatchContext) -> BurnerFacts | None:
    """The burner was turned, or the fire stoked."""
    return BurnerFacts() if _on_the_fire(form, context) else None


def burner_words(context: BatchContext, entry: Entry[BurnerFacts]) -> Line:
    """As it stands on the slip."""
    return Line(entry, "Burner turned, or stoked")


def _on_the_fire(form: Form, context: BatchContext) -> bool:
    if context.left_at:
        form.errors["kind"] = "Nothing of this batch is on the fire any more: it was drawn."
    return context.left_at is None


def strained(form: Form, context: BatchContext) -> StrainedFacts:
    """Strained once, while thin."""
    return StrainedFacts()


def strained_words(context: BatchContext, entry: Entry[StrainedFacts]) -> Line:
    """As it stands on the slip."""
    return Line(entry, "Strained once")


def foam(form: Form, context: BatchContext) -> FoamFacts:
    """Foam knocked down; the choice goes on to the label when it carries an allergen."""
    chosen = form.choice(
        "defoamer", list(DEFOAMERS), "Say what knocked the foam down: it decides the allergens."
    )
    name, allergen = DEFOAMERS.get(chosen, ("", ""))
    return FoamFacts(defoamer=name, allergen=allergen)


def foam_words(context: BatchContext, entry: Entry[FoamFacts]) -> Line:
    """As it stands on the slip."""
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
    mass = form.between(MASS)
    brix = form.between(BRIX)
    warm = form.between(TEMPERATURE, required=False)
    if mass is None or brix is None:
        return None
    facts: dict[str, Any] = {"mass_kg": mass, "brix": brix}
    if warm is not None:
        facts["temperature_c"] = warm
    if form.given("woodlot"):
        known = [w.id for w in woodlots(context.db)]
        facts["woodlot_id"] = form.choice("woodlot", known, "Choose the woodlot it came from.")
    return AddedFacts(**facts)


def added_words(context: BatchContext, entry: Entry[AddedFacts]) -> Line:
    """As it stands on the slip."""
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


def note(form: Form, context: BatchContext) -> NoteFacts:
    """Anything worth keeping; sensory signs belong here, they never outvote an instrument."""
    return NoteFacts(text=form.text("text", "Type what is worth keeping."))


def note_words(context: BatchContext, entry: Entry[NoteFacts]) -> Line:
    """As it stands on the slip."""
    return Line(entry, entry.facts.text)


def alarm_words(context: BatchContext, entry: Entry[AlarmFacts]) -> Line:
    """As it stands on the slip."""
    facts = entry.facts
    rang = datetime.fromisoformat(facts.raised_at)
    who = f" by {entry.initials}" if entry.initials else ""
    detail = f"rang {context.clock(rang)}, answered{who}"
    return Line(entry, f"Alarm: {HEADLINES.get(facts.alarm, facts.alarm)}", detail)

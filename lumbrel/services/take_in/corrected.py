"""A take-in that is corrected on its slip."""

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import TakeInFacts
from lumbrel.services.base.form import Form
from lumbrel.services.pan.rate import learnt_before
from lumbrel.services.take_in.entries import read
from lumbrel.store import kept
from lumbrel.store.kitchen import woodlots
from lumbrel.words import _


def fixed(entry: Entry[TakeInFacts]) -> str:
    """What a tank or a pan gave stays given."""
    given = entry.facts.tanks or entry.facts.from_batch_id
    return (
        _(
            "This came from a tank, or from the pan of a boil-down, which gave so much. Call the "
            "batch off and begin it anew, or note on its slip what was put in besides."
        )
        if given
        else ""
    )


def corrected(form: Form, context: BatchContext) -> TakeInFacts | None:
    """A take-in typed again to correct it, vessel, sugar and woodlot too; what is not typed stays
    the batch's."""
    stays = {
        "vessel": context.vessel.id,
        "sugar_kind": context.batch.sugar_kind,
        "woodlot": context.woodlot.id,
    }
    given = {name: text for name, text in form.fields.items() if text.strip()}
    target = {"target": f"{context.batch.target_brix:g}"}
    form.fields = {**form.fields, **stays, **given, **target}
    form.choice("woodlot", [w.id for w in woodlots(context.db)], _("Choose the woodlot."))
    taken = read(context.db, form, context.now)
    _ask_about_the_vessel(form, context)
    if not taken or form.errors:
        return None
    facts, at = taken[0], context.taken_in.at
    ids = {part.woodlot_id for part in facts.parts} or {form.fields["woodlot"]}
    known = learnt_before(context.db, facts.vessel_id, ids, facts.sugar_kind, at)
    return facts.model_copy(update={"learnt": known}) if known else facts


def _ask_about_the_vessel(form: Form, context: BatchContext) -> None:
    """A batch still on the fire is not moved into a vessel that another one is in."""
    chosen = form.fields["vessel"]
    on_fire = kept.waiting(context.db, "pan")
    there = next((b for b in on_fire if b.vessel_id == chosen and b.id != context.batch.id), None)
    if there and context.left_at is None:
        form.errors["vessel"] = _("Batch {there_code} is in it.", there_code=there.code)

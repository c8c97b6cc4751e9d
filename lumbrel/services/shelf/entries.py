"""Jars that leave the shelf and come back, as they are typed."""

from typing import cast, get_args

from lumbrel.core.candy.clinic import FLAWS
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import CameBackFacts, JarFacts, MadeFacts, OutReason, TakenOutFacts
from lumbrel.services.base.form import Form
from lumbrel.services.base.line import Line
from lumbrel.services.base.standing import of_kind
from lumbrel.services.jar.entries import PACK_SIZE, Rows, in_words, jar_rows
from lumbrel.services.record.flows import SAID_OF_REASON
from lumbrel.services.shelf.clinic import WORDS
from lumbrel.store import jars
from lumbrel.store.kitchen import woodlots
from lumbrel.words import _

REASONS = get_args(OutReason)
SAME_SIZE = 0.01


def taken_out(form: Form, context: BatchContext) -> TakenOutFacts | None:
    """Jars of a lot that left the shelf, and why."""
    lot, rows = _jars(form, context)
    reason = form.choice("reason", list(REASONS), _("Say why they leave the shelf."))
    woodlot = _woodlot(form, context) if reason == "woodlot" else ""
    there = {jar.size_ml: jar.count for jar in jars.jars_of(context.db, lot)} if lot else {}
    old = context.corrects.facts if context.corrects else None
    for size, count in old.jars if isinstance(old, TakenOutFacts) and old.lot == lot else ():
        there[size] = there.get(size, 0) + count
    for i, (size, count) in enumerate(rows, 1):
        if count > there.get(size, 0):
            form.errors[f"count_{i}"] = _(
                "Only {get} of {size} of this lot are on the shelf.",
                get=there.get(size, 0),
                size=context.show(size, _kind(context)),
            )
    if form.errors or not rows:
        return None
    return TakenOutFacts(
        lot=lot,
        jars=rows,
        brix=_brix(context, lot),
        reason=cast(OutReason, reason),
        note=form.text("note", limit=200),
        woodlot_id=woodlot,
    )


def came_back(form: Form, context: BatchContext) -> CameBackFacts | None:
    """Jars of a lot that came back."""
    lot, rows = _jars(form, context)
    packed = {jar.size_ml for jar in jars.jars_filled(context.db, lot)} if lot else set()
    for i, (size, _any) in enumerate(rows, 1):
        if size not in packed:
            form.errors[f"size_{i}"] = _(
                "This lot has none of {size}.", size=context.show(size, _kind(context))
            )
    complaint = ""
    if form.given("complaint"):
        known = FLAWS if context.is_cook else WORDS
        complaint = form.choice("complaint", known, _("Say what is wrong with it, or nothing."))
    if form.errors or not rows:
        return None
    facts = CameBackFacts(lot=lot, jars=rows, brix=_brix(context, lot), note=form.text("note", limit=200))
    return facts.model_copy(update={"complaint": complaint}) if complaint else facts


def _jars(form: Form, context: BatchContext) -> tuple[str, Rows]:
    codes = jars.lot_codes(context.db, context.batch.id)
    lot = form.choice("lot", codes, _("Choose a lot of this batch."))
    packed = [jar.size_ml for jar in jars.jars_filled(context.db, lot)] if lot else []
    rows = jar_rows(form, PACK_SIZE if context.is_cook else None)
    return lot, tuple((_as_packed(size, packed), count) for size, count in rows)


def _as_packed(size_ml: float, packed: list[float]) -> float:
    """A size as the lot has it: what is typed is rounded to its unit."""
    nearest = min(packed, key=lambda known: abs(known - size_ml), default=size_ml)
    return nearest if abs(nearest - size_ml) <= SAME_SIZE * size_ml else size_ml


def _woodlot(form: Form, context: BatchContext) -> str:
    known = [w.id for w in woodlots(context.db)]
    return form.choice("woodlot", known, _("Choose the woodlot whose share it is."))


def _brix(context: BatchContext, lot: str) -> float:
    made = of_kind(context.whole, MadeFacts)
    if made:
        return made[0].facts.brix
    return [e for e in of_kind(context.whole, JarFacts) if e.facts.lot == lot][-1].facts.brix


def _kind(context: BatchContext) -> str:
    """By what its packs are known: their content, or of a confection what one weighs."""
    return "piece" if context.is_cook else "jar"


def taken_out_words(context: BatchContext, entry: Entry[TakenOutFacts]) -> Line:
    facts = entry.facts
    why = SAID_OF_REASON[facts.reason]
    if facts.woodlot_id:
        name = next(w.name for w in woodlots(context.db) if w.id == facts.woodlot_id)
        why = _("to {name}", name=name)
    note = f", {facts.note}" if facts.note else ""
    return Line(
        entry,
        _("Took out {in_words}", in_words=in_words(context, facts.jars)),
        _("lot {lot}, {why}{note}", lot=facts.lot, why=why, note=note),
    )


def came_back_words(context: BatchContext, entry: Entry[CameBackFacts]) -> Line:
    facts = entry.facts
    said = {**FLAWS, **WORDS}
    wrong = _(", {get}: set aside", get=said.get(facts.complaint, facts.complaint)) if facts.complaint else ""
    note = wrong + (f", {facts.note}" if facts.note else "")
    return Line(
        entry,
        _("Came back {in_words}", in_words=in_words(context, facts.jars)),
        _("lot {lot}{note}", lot=facts.lot, note=note),
    )

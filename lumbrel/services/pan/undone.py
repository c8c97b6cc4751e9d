"""What rests on a line of the pan: what is to be struck first."""

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    CalledOffFacts,
    ColourFacts,
    DrawFacts,
    DrawnFacts,
    Facts,
    FilterFacts,
    JarFacts,
    MadeFacts,
    PouredFacts,
    PutInFacts,
    TakeInFacts,
)
from lumbrel.services.base.form import Form
from lumbrel.services.base.line import Line
from lumbrel.store import kept
from lumbrel.words import _

FIRST: dict[type[Facts], str] = {
    JarFacts: _("it was jarred"),
    ColourFacts: _("its colour was graded"),
    FilterFacts: _("it was filtered"),
    PouredFacts: _("it was poured into another batch"),
    PutInFacts: _("something was put into it after the draw"),
}


def of_a_draw(context: BatchContext, entry: Entry[Facts]) -> str:
    """A draw stands while its syrup went on, or its vessel was taken again."""
    other = [e for e in context.of_kind(DrawnFacts) if e.id != entry.id]
    for kind, said in FIRST.items():
        later = [e for e in context.of_kind(kind) if e.at > entry.at and _of_the_kettle(context, e)]
        if later and (not other or kind in OF_ALL_DRAWS):
            return _(
                "What was drawn has gone on: {said} at {at}. Strike that line first.",
                said=said,
                at=context.clock(later[-1].at),
            )
    return _taken_again(context, entry) if isinstance(entry.facts, DrawFacts) else ""


OF_ALL_DRAWS = (JarFacts, PutInFacts, PouredFacts)
"""What took from, or came to, all that was drawn together: no draw of it is struck alone."""


def _of_the_kettle(context: BatchContext, entry: Entry[Facts]) -> bool:
    """Whether a line is of what was drawn, not of what boils on in the vessel."""
    if isinstance(entry.facts, PutInFacts):
        return context.drawn is not None and entry.at > context.drawn.at
    return not (isinstance(entry.facts, PouredFacts) and entry.facts.stage == "charge")


def _taken_again(context: BatchContext, entry: Entry[Facts]) -> str:
    on = (b for place in ("pan", "candy") for b in kept.waiting(context.db, place))
    there = (b for b in on if b.vessel_id == context.vessel.id)
    now = next((b.code for b in there if b.id != context.batch.id), "")
    code = now or kept.taken_since(context.db, context.vessel.id, entry.at, context.batch.id)
    if not code:
        return ""
    return _(
        "{vessel} was taken again since, for batch {code}. That one would have to be called off first.",
        vessel=context.vessel.name,
        code=code,
    )


def call_off(form: Form, context: BatchContext) -> CalledOffFacts:
    """The batch was opened by mistake: nothing may have come of it yet."""
    form.text("why", _("Say why it is called off; the slip stays readable."), 200)
    came = context.of_kind(DrawnFacts, PouredFacts, MadeFacts)
    if came:
        form.errors["kind"] = _("Later lines depend on it. Strike those lines first.")
    if any(e.facts.from_batch_id for e in context.of_kind(PutInFacts)):
        form.errors["kind"] = _("Another batch was poured into it. Strike that line first.")
    return CalledOffFacts()


def called_off_words(context: BatchContext, entry: Entry[CalledOffFacts]) -> Line:
    return Line(entry, _("Called off"), entry.why or _("opened by mistake"))


def of_calling_off(context: BatchContext, entry: Entry[CalledOffFacts]) -> str:
    """A batch comes back only while nobody else has its vessel, and what it was made of is still in it."""
    taken = context.taken_in.facts
    if isinstance(taken, TakeInFacts) and taken.from_batch_id:
        return _("What it was made of is back in the boil-down’s pan. Pour it on anew.")
    return _taken_again(context, entry)

"""A line of the slip, with how it came about."""

from collections.abc import Sequence

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.codes import called
from lumbrel.services.base.line import Line
from lumbrel.services.base.said import Named, in_full
from lumbrel.services.base.working import DoubtPart, Step, Working, missing
from lumbrel.words import _, bare, joined


def line(context: BatchContext, lines: Sequence[Line], entry_id: str, named: Named) -> Working:
    """One line of a slip.

    Args:
        lines: the slip.
        entry_id: which line of it.
        named: what a line is called by which it was said anew.

    Raises:
        NotFound: there is no such line.
    """
    found = next((row for row in lines if row.entry.id == entry_id), None)
    if found is None:
        raise missing()
    typed = joined(
        "; ",
        (
            joined(" ", (called(name.replace("_", " ")), called(text)))
            for name, text in found.entry.typed.items()
        ),
    )
    reading = in_full(context, found.entry, named)
    if reading is not None:
        steps = [Step(*step) for step in reading.steps]
        if reading.refusal:
            steps.append(Step(_("says nothing of density"), reading.refusal))
        budget = [DoubtPart(label, sigma, "brix") for label, sigma in reading.budget]
        steps.append(Step(_("typed"), typed, "", _("kept for ever")))
        return Working(title=found.title, value=reading.brix, kind="brix", steps=steps, budget=budget)
    facts = [
        Step(called(name.replace("_", " ")), _plain(value))
        for name, value in found.entry.facts.written().items()
        if isinstance(value, int | float | str) and value != "" and not name.endswith("_id")
    ]
    steps = [*facts, Step(_("typed"), typed or _("by one press"), "", _("kept for ever"))]
    return Working(
        title=found.title,
        value=found.value or found.detail or _("on the slip"),
        kind="",
        steps=steps,
        budget=[],
    )


def _plain(value: float | str) -> str:
    if isinstance(value, bool):
        return _("yes") if value else _("no")
    return bare(value) if isinstance(value, float) else called(str(value))

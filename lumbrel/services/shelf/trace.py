"""Where a lot came from, in figures."""

from typing import Any

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import AddedFacts, DrawFacts, JarFacts
from lumbrel.services.pan.drawn import after_draw


def summary(context: BatchContext) -> dict[str, Any]:
    """The figures of a batch that stand on its page and in its export."""
    taken = context.taken_in.facts
    facts: dict[str, Any] = {
        "taken_in_kg": taken.mass_kg,
        "taken_in_brix": taken.brix,
        "drawn_kg": None,
        "final_brix": None,
        "yield_percent": None,
    }
    if context.first(DrawFacts):
        after = after_draw(context)
        facts["drawn_kg"], facts["final_brix"] = after.mass_kg, after.brix
        jarred = sum(e.facts.mass_kg for e in context.of_kind(JarFacts))
        if jarred:
            solids = taken.mass_kg * taken.brix
            solids += sum(e.facts.mass_kg * e.facts.brix for e in context.of_kind(AddedFacts))
            facts["yield_percent"] = 100 * jarred * after.brix / solids
    return facts

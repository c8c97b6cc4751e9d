"""What a take-in says on the slip."""

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import TakeInFacts
from lumbrel.services.base.line import Line
from lumbrel.store.kitchen import woodlots
from lumbrel.words import _, in_a_row, listed, number


def words(context: BatchContext, entry: Entry[TakeInFacts]) -> Line:
    """A take-in on the slip."""
    facts = entry.facts
    how = _(
        "{amount} at {warm}",
        amount=context.show(facts.amount, facts.amount_by),
        warm=context.show(facts.temperature_c, "temperature"),
    )
    if len(facts.parts) > 1:
        names = {w.id: w.name for w in woodlots(context.db)}
        parts = listed(
            [
                _(
                    "{names} {mass} at {brix} °Bx",
                    names=names[p.woodlot_id],
                    mass=context.show(p.mass_kg, "mass"),
                    brix=number(p.brix, 1),
                )
                for p in facts.parts
            ]
        )
        how = _("{of}: {words}", of=how, words=parts)
    if facts.tanks:
        how = in_a_row([how, _("sap from the tank")])
    elif facts.from_batch_id:
        how = in_a_row([how, _("poured on from its boil-down")])
    took = _("Took in {mass}", mass=context.show(facts.mass_kg, "mass"))
    if facts.brix_sigma is None:
        return Line(entry, took, how, number(facts.brix, 1))
    sigma = number(facts.brix_sigma, 0)
    brix = _("Brix by its sap, ± {sigma}", sigma=sigma)
    if not facts.sap_kg:
        brix = _("Brix not measured, ± {sigma}", sigma=sigma)
    how = in_a_row([how, brix], "; ")
    return Line(entry, took, how, _("about {brix}", brix=number(facts.brix, 0)))

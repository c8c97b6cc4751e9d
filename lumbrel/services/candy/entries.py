"""Invert sugar as it is measured: a glucose meter on diluted syrup."""

from lumbrel.core.candy import setting
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import InvertFacts
from lumbrel.services.base.form import Form
from lumbrel.services.base.line import Line
from lumbrel.services.candy.syrup import DILUTION, USUAL_DILUTION
from lumbrel.words import _, bare, number


def invert(form: Form, context: BatchContext) -> InvertFacts | None:
    """What the meter showed, and of how thin a dilution."""
    dilution = form.between(DILUTION, required=False) or USUAL_DILUTION
    if not form.given("meter"):
        form.errors["meter"] = _("Type what the meter shows in mg/dL, 0 to 600, or HI.")
        return None
    try:
        shown = setting.reading(form.fields["meter"])
        found = setting.measured(shown, dilution)
    except OutOfRange as error:
        form.errors["meter"] = error.sentence
        return None
    return InvertFacts(
        reading_mg_dl=shown, dilution=dilution, percent=found.percent, sigma_percent=found.sigma
    )


def words(context: BatchContext, entry: Entry[InvertFacts]) -> Line:
    facts = entry.facts
    how = _(
        "glucose meter {reading_mg_dl} mg/dL, 1 in {dilution}",
        reading_mg_dl=bare(facts.reading_mg_dl),
        dilution=bare(facts.dilution),
    )
    return Line(
        entry,
        _(
            "Invert sugar {percent} ± {sigma} %",
            percent=number(facts.percent, 1),
            sigma=number(facts.sigma_percent, 1),
        ),
        how,
    )

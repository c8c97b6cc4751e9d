"""The hot filter as it is typed."""

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawnFacts, FilterFacts
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.base.line import Line

FILTERS = {
    "layers": "light layers and a heavy one",
    "felt": "felt and paper",
    "press": "filter press",
    "none": "not filtered",
}
COLDEST_GOOD_FILTER_C = 80.0

TEMPERATURE = Bounds(
    "temperature",
    "temperature",
    20,
    110,
    "Syrup is filtered between 20 and 110 °C (68 and 230 °F); for Fahrenheit type F behind "
    "the number.",
)


def filtering(form: Form, context: BatchContext) -> FilterFacts | None:
    """The hot filter and its temperature."""
    context.require(form, "Draw the batch off first.", DrawnFacts)
    method = form.choice("method", FILTERS, "Choose how it was filtered.")
    temperature = form.between(TEMPERATURE)
    if temperature is None:
        return None
    if temperature < COLDEST_GOOD_FILTER_C and method != "none":
        form.ask(
            "temperature",
            f"Under {context.show(COLDEST_GOOD_FILTER_C, 'temperature', 0)} syrup runs slowly and "
            "the filter blinds. Was it filtered so cool?",
        )
    return FilterFacts(method=method, temperature_c=temperature, twice=form.ticked("twice"))


def words(context: BatchContext, entry: Entry[FilterFacts]) -> Line:
    """Filtering on the slip."""
    facts = entry.facts
    at = context.show(facts.temperature_c, "temperature", 0)
    return Line(entry, f"Filtered at {at}", FILTERS[facts.method])

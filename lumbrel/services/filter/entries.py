"""The hot filter as it is typed: while it runs, and when it is through."""

from typing import cast

from lumbrel.core import units
from lumbrel.core.errors import OutOfRange
from lumbrel.core.filter.flow import MEDIA, require_loss
from lumbrel.core.physics.sucrose import density_kg_m3
from lumbrel.services.base.asked import read_asked
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import Clarity, DrawnFacts, FilterFacts, PassedFacts, PulledFacts
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.filter.stack import COLDEST_GOOD_FILTER_C, now_c
from lumbrel.services.pan.drawn import after_draw
from lumbrel.words import _, in_a_row

FILTERS = {key: medium.name for key, medium in MEDIA.items()} | {"none": _("not filtered")}
CLARITIES = {"clear": _("clear"), "hazy": _("a little hazy"), "cloudy": _("cloudy")}

TEMPERATURE = Bounds(
    "temperature", "temperature", 20, 110, _("Syrup is filtered between 20 and 110 °C (68 and 230 °F).")
)
HOT_C = 90.0
"""Of syrup in the filter when nobody says how warm it is."""
OUT = Bounds("out", "mass", 0.01, 5000, _("What came through must weigh between 10 g and 5000 kg."))


def filtering(form: Form, context: BatchContext) -> FilterFacts | None:
    """The hot filter: through what, how hot, what came out and how clear."""
    drawn = context.require(form, _("Draw the batch off first."), DrawnFacts)
    method = form.choice("method", FILTERS, _("Choose how it was filtered."))
    known = now_c(context) if drawn and not form.given("temperature") else None
    temperature = form.between(TEMPERATURE) if known is None else known
    clarity = ""
    if form.given("clarity"):
        clarity = form.choice("clarity", CLARITIES, _("Say how clear it came through."))
    out = _came_through(form, context) if drawn else None
    _not_again(form, context)
    if temperature is None or not drawn:
        return None
    if temperature < COLDEST_GOOD_FILTER_C and method != "none":
        form.ask(
            "temperature",
            _(
                "Under {COLDEST_GOOD_FILTER_C} syrup runs slowly and the filter blinds. Was it "
                "filtered so cool?",
                COLDEST_GOOD_FILTER_C=context.show(COLDEST_GOOD_FILTER_C, "temperature", 0),
            ),
        )
    after = after_draw(context)
    facts = FilterFacts(
        method=method,
        temperature_c=temperature,
        twice=form.ticked("twice"),
        brix=after.syrup_brix,
        clarity=cast(Clarity, clarity) if clarity else None,
    )
    if out is None:
        return facts
    lost = form.attempt("out", lambda: require_loss(after.mass_kg, out))
    return facts.model_copy(update={"out_kg": out, "loss_kg": lost})


def _came_through(form: Form, context: BatchContext) -> float | None:
    """What came through, kg: weighed, or measured hot."""
    text = form.fields.get("out", "")
    try:
        units.parse(text, "mass", field="out")
        return form.between(OUT, required=False)
    except OutOfRange:
        pass
    try:
        litres = units.parse(text, "volume", field="out").value
    except OutOfRange:
        return form.between(OUT, required=False)
    warm = now_c(context) or HOT_C
    if form.given("temperature"):
        warm = form.between(TEMPERATURE) or HOT_C
    brix = after_draw(context).syrup_brix
    mass = litres * density_kg_m3(brix, min(warm, 99.0)) / 1000
    if not OUT.low <= mass <= OUT.high:
        form.errors["out"] = OUT.sentence
    return mass


def _not_again(form: Form, context: BatchContext) -> None:
    """A second pass is for what did not come through clear."""
    before = context.last(FilterFacts)
    if before and before.facts.clarity in (None, _("clear")):
        form.errors["kind"] = _("It was filtered already, and came through clear. Correct that line instead.")


def words(context: BatchContext, entry: Entry[FilterFacts]) -> Line:
    """Filtering on the slip."""
    facts = entry.facts
    at = context.show(facts.temperature_c, "temperature", 0)
    loss = "" if facts.loss_kg is None else context.show(facts.loss_kg, "mass", 2)
    stayed = _("{loss} stayed in it", loss=loss) if loss else ""
    clear = CLARITIES[facts.clarity] if facts.clarity else ""
    return Line(entry, _("Filtered at {at}", at=at), in_a_row([FILTERS[facts.method], stayed, clear], "; "))


def passed(form: Form, context: BatchContext) -> PassedFacts | None:
    """How much has run through so far; 0 begins it."""
    facts = read_asked(PassedFacts, form)
    if facts is None or not context.of_kind(DrawnFacts):
        return None
    before = max((e.facts.litres for e in context.of_kind(PassedFacts)), default=0.0)
    if facts.litres < before:
        form.errors["litres"] = _(
            "Less than before: {before} had passed already. Type all that has passed so far.",
            before=context.show(before, "volume"),
        )
    there = after_draw(context).volume_l
    if facts.litres > there * 1.15:
        form.errors["litres"] = _("Only about {there} was drawn.", there=context.show(there, "volume"))
    return facts


def passed_words(context: BatchContext, entry: Entry[PassedFacts]) -> Line:
    litres = entry.facts.litres
    name = FILTERS[entry.facts.method]
    if not litres:
        return Line(entry, _("Filter begun"), name)
    return Line(entry, _("{litres} through", litres=context.show(litres, "volume")), name)


def pulled_words(context: BatchContext, entry: Entry[PulledFacts]) -> Line:
    count = sum(1 for e in context.of_kind(PulledFacts) if e.at <= entry.at)
    return Line(entry, _("Layer {count} pulled", count=count))

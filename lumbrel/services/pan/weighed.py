"""What a scale says: a cupful's mass and volume give a density, the pot's mass and its solids too."""

from datetime import timedelta
from math import hypot

from lumbrel.core.bench.causes import Cause
from lumbrel.core.bench.cupful import cupful, volume_of_water_l
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.asked import typed_of
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected, ReadingStep
from lumbrel.services.base.dip import LOOKED_AFTER, SIGMA_MINUTES, TYPED_AFTER
from lumbrel.services.base.entry import Entry, preview
from lumbrel.services.base.facts import Facts, PutInFacts, ScaleFacts, WeighedFacts
from lumbrel.services.base.form import Form
from lumbrel.services.base.line import Line
from lumbrel.services.base.said import Spoken, as_said, held
from lumbrel.services.bench.entries import CANDY_FROM_BRIX, HOTTEST_DENSITY_C
from lumbrel.services.pan.dipstick import solids_kg, solids_sigma
from lumbrel.store.instruments import Instrument, ScaleDetail
from lumbrel.words import _, joined, number, quantity

CUPFUL = Instrument(id="cupful", name=_("Weighed cupful"), detail=ScaleDetail())
SCALE = Instrument(id="scale", name=_("Scale under the pot"), detail=ScaleDetail())
SCALE_SHARE, SCALE_KG, FOAM_KG = 0.003, 0.005, 0.01
"""One sigma of a scale under a boil: of what it shows, of its reading, of the boil's unrest."""
TAKE_IN_SHARE = 0.02
"""What was taken in was weighed, or measured, on another scale."""
THINNEST_BRIX, MORE_THAN_PUT_IN = 1.0, 1.03


def corrected_cupful(context: BatchContext, entry: Entry[WeighedFacts]) -> Corrected:
    """What a weighed cupful says of density, as it was said."""
    return as_said(context.db, cupful_today(context, entry))


def cupful_today(context: BatchContext, entry: Entry[WeighedFacts]) -> Corrected:
    """What it says by today's formulas."""
    facts = entry.facts
    at = entry.at - (TYPED_AFTER if facts.dated == "typed" else timedelta(0))
    try:
        said = cupful(
            facts.mass_kg,
            facts.volume_l,
            facts.temperature_c,
            context.invert_fraction,
            by_water=facts.water_kg is not None,
        )
    except OutOfRange as error:
        return Corrected(
            entry_id=entry.id, at=at, kind=entry.kind, instrument=CUPFUL, facts=facts, refusal=error.sentence
        )
    how = _("by the water that it holds") if facts.water_kg is not None else _("to the line of a measure")
    own = (said.sigma_brix**2 - said.shared_sigma_brix**2) ** 0.5
    return Corrected(
        entry_id=entry.id,
        at=at,
        kind=entry.kind,
        instrument=CUPFUL,
        brix=said.brix,
        sigma_brix=said.sigma_brix,
        minute_sigma=SIGMA_MINUTES[facts.dated],
        own_sigma_brix=own,
        shared_sigma_brix=said.shared_sigma_brix,
        steps=(
            ReadingStep("syrup", facts.mass_kg, "mass", _("as weighed, without the cup")),
            ReadingStep("volume", facts.volume_l, "volume", how),
            ReadingStep("temperature", facts.temperature_c, "temperature", _("of the cupful")),
            ReadingStep(
                _("density"), quantity(number(said.density_kg_m3, 0), "kg/m³"), "", _("mass / volume")
            ),
            ReadingStep("density", said.brix, "brix", _("tables of sucrose solutions")),
            ReadingStep(_("one sigma"), said.sigma_brix, "brix", _("the cup’s volume, froth, the scale")),
        ),
        facts=facts,
        causes=_causes_of_cupful,
        budget=((_("the cup’s volume"), said.shared_sigma_brix), (_("scale and froth"), own)),
    )


def corrected_scale(context: BatchContext, entry: Entry[ScaleFacts]) -> Corrected:
    """What a scale under the vessel says of density, as it was said."""
    return as_said(context.db, scale_today(context, entry))


def scale_today(context: BatchContext, entry: Entry[ScaleFacts]) -> Corrected:
    """What it says by today's formulas: the solids in the vessel are known."""
    facts = entry.facts
    mass, solids = facts.mass_kg - facts.empty_kg, solids_kg(context, entry.at)
    brix = 100 * solids / mass if mass > 0 else 100.0
    at = entry.at - (LOOKED_AFTER if facts.dated == "typed" else timedelta(0))
    if not THINNEST_BRIX <= brix < CANDIED_BRIX:
        return Corrected(
            entry_id=entry.id,
            at=at,
            kind=entry.kind,
            instrument=SCALE,
            facts=facts,
            refusal=_cannot(context, mass, solids),
        )
    own = brix * hypot(SCALE_SHARE * facts.mass_kg, SCALE_KG, FOAM_KG) / mass
    shared = brix * hypot(TAKE_IN_SHARE, solids_sigma(context))
    return Corrected(
        entry_id=entry.id,
        at=at,
        kind=entry.kind,
        instrument=SCALE,
        brix=brix,
        sigma_brix=hypot(own, shared),
        minute_sigma=SIGMA_MINUTES[facts.dated],
        own_sigma_brix=own,
        shared_sigma_brix=brix * TAKE_IN_SHARE,
        by_solids=True,
        steps=steps_of(facts.mass_kg, facts.empty_kg, solids, hypot(own, shared)),
        facts=facts,
        causes=_causes_of_scale,
        budget=((_("the scale"), own), (_("the take-in"), shared)),
    )


def steps_of(shown_kg: float, empty_kg: float, solids: float, sigma_brix: float) -> tuple[ReadingStep, ...]:
    """How a weight says a density."""
    return (
        ReadingStep(_("on the scale"), shown_kg, "mass", _("as it showed")),
        ReadingStep(_("empty vessel"), empty_kg, "mass", _("taken off")),
        ReadingStep("solids", solids, "mass", _("taken in, and conserved")),
        ReadingStep("density", 100 * solids / (shown_kg - empty_kg), "brix", _("solids / mass")),
        ReadingStep(_("one sigma"), sigma_brix, "brix", _("the scale, and the take-in")),
    )


CANDIED_BRIX = 97.0


def _causes_of_cupful() -> list[Cause]:
    return [
        Cause(
            "cup",
            _("the cup was filled to another line, or held froth"),
            _("Fill it once more, let the froth go, and weigh it full of water to the same line."),
            -60.0,
            60.0,
        )
    ]


def _causes_of_scale() -> list[Cause]:
    return [
        Cause(
            "empty",
            _("the vessel’s own weight, or something put in and not recorded"),
            _("Say again what the vessel weighs empty; note what was put in or taken out."),
            -60.0,
            60.0,
        )
    ]


def _cannot(context: BatchContext, mass_kg: float, solids: float) -> str:
    there = context.show(max(mass_kg, 0.0), "mass", 2)
    sugar = context.show(solids, "mass", 2)
    return _(
        "{there} in the vessel cannot be: by the take-in its sugar alone weighs {sugar}. "
        "Type what the scale shows, and what the vessel weighs empty (0 when it was tared).",
        there=there,
        sugar=sugar,
    )


def weighed(form: Form, context: BatchContext) -> WeighedFacts | None:
    """A cupful's mass and volume as they are typed."""
    typed = typed_of(WeighedFacts, form)
    if not form.given("water") and not form.given("volume"):
        form.errors["volume"] = _(
            "Say how much it is: the cup’s volume, or, sharper, what it weighs full of water."
        )
    if form.errors:
        return None
    if "water_kg" in typed:
        typed["volume_l"] = volume_of_water_l(typed["water_kg"])
    typed["temperature_c"] = min(typed["temperature_c"], HOTTEST_DENSITY_C)
    facts = WeighedFacts(**typed)
    said = corrected_cupful(context, preview(facts, context.now))
    _refuse(form, said)
    return facts


def scale(form: Form, context: BatchContext) -> ScaleFacts | None:
    """What the scale under the vessel shows."""
    typed = {"empty_kg": empty_kg(context), **typed_of(ScaleFacts, form)}
    if form.errors:
        return None
    facts = ScaleFacts(**typed)
    _refuse(form, corrected_scale(context, preview(facts, context.now)))
    put_in = context.taken_in.facts.mass_kg
    put_in += sum(e.facts.mass_kg for e in context.of_kind(PutInFacts))
    there_kg = facts.mass_kg - facts.empty_kg
    if there_kg > MORE_THAN_PUT_IN * put_in:
        there, was = context.show(there_kg, "mass", 2), context.show(put_in, "mass", 2)
        form.ask(
            "mass",
            _("{there} in the vessel, and only {was} was put in. Is that right?", there=there, was=was),
        )
    return facts


def empty_kg(context: BatchContext) -> float:
    """What the vessel weighs empty, as the batch last said it; 0 when nobody did."""
    last = context.last(ScaleFacts)
    return last.facts.empty_kg if last else 0.0


def _refuse(form: Form, said: Corrected) -> None:
    if said.refusal:
        form.errors["mass"] = said.refusal
    elif said.brix is not None and said.brix > CANDY_FROM_BRIX:
        form.ask("mass", _("This would be {brix} Brix, candy. Is that right?", brix=number(said.brix, 0)))


def weighed_words(context: BatchContext, entry: Entry[WeighedFacts]) -> Line:
    """A cupful on the slip."""
    said = held(context, entry)
    volume = context.show(entry.facts.volume_l, "volume", 3)
    title = _("Cupful {mass} in {volume}", mass=context.show(entry.facts.mass_kg, "mass", 3), volume=volume)
    return _line(entry, title, said)


def scale_words(context: BatchContext, entry: Entry[ScaleFacts]) -> Line:
    """A scale's word on the slip."""
    said = held(context, entry)
    return _line(entry, _("On the scale {mass}", mass=context.show(entry.facts.mass_kg, "mass", 2)), said)


def _line(entry: Entry[Facts], title: str, said: Spoken) -> Line:
    value = "" if said.brix is None else number(said.brix, 1)
    return Line(entry, title, said.refusal or joined(" ", ("±", number(said.sigma_brix, 1))), value, said)

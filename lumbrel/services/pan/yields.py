"""The yield check: how much syrup there is after the draw against how much there should be."""

from dataclasses import dataclass
from math import hypot

from lumbrel.core import units
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.yield_check import USUAL_LOSS, YieldCheck, check_yield
from lumbrel.core.physics import sucrose
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import DrawnFacts, FilterFacts, MeasuredFacts, TakeInFacts
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.pan.dipstick import solids_kg, solids_sigma
from lumbrel.services.pan.drawn import after_draw
from lumbrel.words import _, number

MASS = Bounds("amount", "mass", 0.05, 5000, _("The weight measured must be between 50 g and 5000 kg."))
VOLUME = Bounds("amount", "volume", 0.05, 5000, _("The volume measured must be between 50 ml and 5000 L."))
HEAT = Bounds(
    "heat", "temperature", 0, 108, _("Its temperature must be between 0 and 108 °C (32 and 226 °F).")
)
HOT_C = 90.0
"""How warm it is soon after the draw, where nobody says."""
SCALE_SHARE, MOST_LOST = 0.02, 0.5
"""Of the scales: what was taken in was weighed on one, what came of it on another."""


@dataclass(frozen=True, kw_only=True)
class Yield:
    """A yield check, and what it was made from."""

    check: YieldCheck
    guessed: bool
    """Whether nobody measured what was taken in."""


def measured(form: Form, context: BatchContext) -> MeasuredFacts | None:
    """How much there is, as it is typed: mass or volume, as its unit says."""
    if not context.of_kind(DrawnFacts):
        form.errors["amount"] = _("Measure it once it is drawn off; before that the stick tells.")
        return None
    by_volume = units.kind_by_unit(form.fields.get("amount", ""), ("mass", "volume")) == "volume"
    amount = form.between(VOLUME if by_volume else MASS)
    heat = form.between(HEAT, required=False) if by_volume else None
    if amount is None or form.errors:
        return None
    brix = min(after_draw(context).brix, sucrose.MAX_DENSITY_BRIX)
    mass = amount
    if by_volume:
        mass = amount * sucrose.density_kg_m3(brix, min(heat or HOT_C, 100.0)) / 1000
    try:
        said = check_of(context, mass).check
    except OutOfRange as error:
        form.errors["amount"] = error.sentence
        return None
    return MeasuredFacts(
        amount_by="volume" if by_volume else "mass",
        amount=amount,
        heat_c=(heat or HOT_C) if by_volume else None,
        mass_kg=mass,
        expected_kg=said.expected_kg,
        share=said.share,
        sigma_share=said.sigma_share,
    )


def check_of(context: BatchContext, mass_kg: float) -> Yield:
    """What so much syrup means for this batch.

    Raises:
        OutOfRange: no syrup can be so much, or so little.
    """
    taken = context.taken_in.facts
    after = after_draw(context)
    solids = solids_kg(context, context.now)
    guessed = taken.brix_sigma is not None
    sap = None
    if isinstance(taken, TakeInFacts) and guessed and taken.sap_kg:
        sap = 100 * solids / taken.sap_kg
    share = hypot(solids_sigma(context), SCALE_SHARE)
    stayed = sum(e.facts.loss_kg or 0.0 for e in context.of_kind(FilterFacts))
    return Yield(
        check=check_yield(
            solids,
            share,
            after.brix,
            after.sigma_brix,
            mass_kg,
            sap_brix=sap,
            loss_share=min(USUAL_LOSS + stayed * after.brix / (100 * solids), MOST_LOST),
        ),
        guessed=guessed,
    )


def yield_of(context: BatchContext) -> Yield | None:
    """The yield as it was measured last; None before, and where later readings say that it is no syrup."""
    last = context.last(MeasuredFacts)
    if last is None:
        return None
    try:
        return check_of(context, last.facts.mass_kg)
    except OutOfRange:
        return None


def words(context: BatchContext, entry: Entry[MeasuredFacts]) -> Line:
    """A measured yield on the slip."""
    facts = entry.facts
    amount = context.show(facts.amount, facts.amount_by)
    warm = "" if facts.heat_c is None else context.show(facts.heat_c, "temperature")
    should = context.show(facts.expected_kg, "mass")
    return Line(
        entry,
        _("There is {amount} at {warm}", amount=amount, warm=warm)
        if warm
        else _("There is {amount}", amount=amount),
        _("{share} % of the {should} expected", share=number(100 * facts.share, 0), should=should),
    )

"""A dipstick reading as evidence: depth, vessel and the solids taken in give a density."""

from datetime import datetime
from math import hypot

from lumbrel.core.bench.causes import Cause
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import dipstick
from lumbrel.core.physics import sucrose
from lumbrel.core.physics.air import STANDARD_PA
from lumbrel.services.base.asked import read_asked
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.codes import called
from lumbrel.services.base.corrected import Corrected, ReadingStep
from lumbrel.services.base.entry import Entry, preview
from lumbrel.services.base.facts import DepthFacts, PutInFacts
from lumbrel.services.base.form import Form
from lumbrel.services.base.line import Line
from lumbrel.services.base.said import as_said, held
from lumbrel.services.bench.entries import CANDY_FROM_BRIX
from lumbrel.services.day.pressure import pressure_at
from lumbrel.store.instruments import DipstickDetail, Instrument
from lumbrel.words import _, joined, number

DIPSTICK = Instrument(id="dipstick", name=_("Dipstick"), detail=DipstickDetail())
SOLIDS_SIGMA, MASS_SIGMA = 0.012, 0.01
"""Of the solids taken in, where their Brix was read: the mass to 1 percent, the Brix to 0.3."""


def solids_kg(context: BatchContext, at: datetime) -> float:
    """Solids in the vessel at a moment, kg."""
    taken = context.taken_in.facts
    added = [e.facts for e in context.of_kind(PutInFacts) if e.at <= at]
    return sum((part.mass_kg * part.brix / 100 for part in added), taken.mass_kg * taken.brix / 100)


def solids_sigma(context: BatchContext) -> float:
    """One sigma of the solids taken in, as a share: by the doubt of their mass and of their Brix."""
    taken = context.taken_in.facts
    if taken.brix_sigma is None:
        return SOLIDS_SIGMA
    return hypot(MASS_SIGMA, taken.brix_sigma / taken.brix)


def corrected(context: BatchContext, entry: Entry[DepthFacts]) -> Corrected:
    """What a depth on the slip says of density, as it was said."""
    return as_said(context.db, today(context, entry))


def today(context: BatchContext, entry: Entry[DepthFacts]) -> Corrected:
    """What it says by today's formulas."""
    depth, solids = entry.facts.depth_mm, solids_kg(context, entry.at)
    sugar = solids_sigma(context)
    pressure = pressure_at(context.db, context.kitchen, entry.at)
    boils = sucrose.boiling_point_c(60.0, pressure.pa if pressure else STANDARD_PA)
    try:
        said = dipstick.estimate(context.geometry_at(entry.at), depth, solids, sugar, min(boils, 115.0))
    except OutOfRange as error:
        return Corrected(
            entry_id=entry.id,
            at=entry.at,
            kind=entry.kind,
            instrument=DIPSTICK,
            facts=entry.facts,
            refusal=error.sentence,
        )
    surface = said.brix * dipstick.SURFACE_SIGMA_MM / depth
    measures = said.brix * hypot(dipstick.VESSEL_SIGMA, sugar)
    vessel = _("{shape}, as registered", shape=called(context.vessel.shape))
    doubt = _("2.5 mm of surface, 1 % of vessel, {sugar} % of solids", sugar=number(100 * sugar, 1))
    return Corrected(
        entry_id=entry.id,
        at=entry.at,
        kind=entry.kind,
        instrument=DIPSTICK,
        brix=said.brix,
        sigma_brix=said.sigma_brix,
        own_sigma_brix=surface,
        shared_sigma_brix=said.brix * hypot(dipstick.VESSEL_SIGMA, MASS_SIGMA),
        by_solids=True,
        steps=(
            ReadingStep("depth", depth, "depth", _("as read, boiling")),
            ReadingStep("vessel", context.vessel.name, "", vessel),
            ReadingStep("solids", solids, "mass", _("taken in, and conserved")),
            ReadingStep("density", said.brix, "brix", _("mass = volume × density, solids / mass")),
            ReadingStep(_("one sigma"), said.sigma_brix, "brix", doubt),
        ),
        facts=entry.facts,
        budget=((_("the boiling surface"), surface), (_("vessel and take-in"), measures)),
        causes=_causes,
    )


def _causes() -> list[Cause]:
    return [
        Cause(
            "surface",
            _("the depth was read on the boil, or off the pan’s middle"),
            _("Dip again at the middle, with the heat turned down for a moment."),
            -60.0,
            60.0,
        )
    ]


def depth(form: Form, context: BatchContext) -> DepthFacts | None:
    """The depth as it is typed."""
    facts = read_asked(DepthFacts, form)
    if facts is None:
        return None
    said = corrected(context, preview(facts, context.now))
    if said.refusal:
        form.errors["depth"] = said.refusal
    elif said.brix is not None and said.brix > CANDY_FROM_BRIX:
        form.ask(
            "depth", _("So low, it would be {brix} Brix, candy. Is that right?", brix=number(said.brix, 0))
        )
    return facts


def words(context: BatchContext, entry: Entry[DepthFacts]) -> Line:
    """A depth on the slip."""
    said = held(context, entry)
    value = "" if said.brix is None else number(said.brix, 1)
    doubt = said.refusal or joined(" ", ("±", number(said.sigma_brix, 1)))
    shown = context.show(entry.facts.depth_mm, "depth")
    return Line(entry, _("Dipstick {shown}", shown=shown), doubt, value, said)

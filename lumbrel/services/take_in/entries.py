"""The take-in as it is typed: how much, how dense, how warm, into which vessel."""

from dataclasses import replace
from datetime import datetime
from sqlite3 import Connection
from typing import Literal, cast

from lumbrel.core import units
from lumbrel.core.errors import OutOfRange, span
from lumbrel.core.pan.target import SUGAR_KINDS
from lumbrel.core.pan.vessel import hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry, preview
from lumbrel.services.base.facts import RefractometerFacts, TakeInFacts
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.base.line import Line
from lumbrel.services.bench.correct import Corrector
from lumbrel.services.take_in.charge import Charge, TakenIn, charge
from lumbrel.store.instruments import RefractometerDetail, instruments_of
from lumbrel.store.kitchen import VesselRow, vessels

Measure = Literal["mass", "volume", "depth"]
LIMITS: dict[Measure, tuple[float, float, str]] = {
    "mass": (0.2, 5000.0, "kg"),
    "volume": (0.2, 5000.0, "L"),
    "depth": (1.0, 2000.0, "mm"),
}

BRIX = Bounds("brix", "brix", 1, 75, "Near-syrup has between 1 and 75 Brix; concentrate 8 and up.")
TEMPERATURE = Bounds(
    "temperature",
    "temperature",
    0,
    110,
    "Near-syrup is between 0 and 110 °C (32 and 230 °F); for Fahrenheit type F behind the number.",
)
TARGET = Bounds(
    "target", "brix", 60, 75, "The target must lie between 60 and 75 Brix; syrup is 66.0 to 68.9."
)
SAMPLE = Bounds(
    "sample",
    "temperature",
    10,
    30,
    "A drop has a number between 10 and 30 °C (50 and 86 °F) only: let it come to temperature.",
)


def finishers(db: Connection) -> list[VesselRow]:
    """The vessels that near-syrup is finished in."""
    return [v for v in vessels(db) if v.purpose == "finisher"]


def read(db: Connection, form: Form, now: datetime) -> tuple[TakeInFacts, Charge] | None:
    """The charge as typed: facts for the slip, and what it becomes. Errors are on the form."""
    known = {v.id: v for v in finishers(db)}
    chosen = form.choice("vessel", list(known), "Choose the vessel it goes into.")
    kind = form.choice("sugar_kind", list(SUGAR_KINDS), "Choose maple, walnut or birch.")
    target = _target(form)
    brix = form.between(BRIX)
    temperature = form.between(TEMPERATURE)
    by, amount = _amount(form)
    if form.errors or brix is None or temperature is None or amount is None or by is None:
        return None
    corrected = _corrected_brix(db, form, brix, kind, now)
    if corrected is None:
        return None
    taken = TakenIn(
        vessel=known[chosen],
        mass_kg=0.0,
        brix=corrected,
        temperature_c=temperature,
        target_brix=target,
        sugar_kind=kind,
    )
    mass = form.attempt("amount", lambda: _mass(taken, by, amount))
    if mass is None:
        return None
    becomes = _charge(db, form, replace(taken, mass_kg=mass), now)
    if becomes is None:
        return None
    facts = TakeInFacts(
        mass_kg=mass,
        brix=corrected,
        temperature_c=temperature,
        amount_by=by,
        amount=amount,
        brix_read=brix,
        target_brix=target,
        water_kg=becomes.water_kg,
        vessel_id=chosen,
        sugar_kind=kind,
    )
    return facts, becomes


def _target(form: Form) -> float:
    target = form.between(TARGET, required=form.given("target"))
    return form.kitchen.target_brix if target is None else target


def _amount(form: Form) -> tuple[Measure | None, float | None]:
    """What was measured, and how much of it."""
    by = form.choice("amount_by", list(LIMITS), "Say how it was measured: mass, volume or depth.")
    if not by:
        return None, None
    measure = _measured_by(form.fields.get("amount", ""), cast(Measure, by))
    low, high, unit = LIMITS[measure]
    sentence = f"The {measure} must lie between {span(low, high, unit)}."
    return measure, form.between(Bounds("amount", measure, low, high, sentence))


def _measured_by(text: str, chosen: Measure) -> Measure:
    """A unit that was typed says what was measured, whatever the choice beside it says."""
    if not any(letter.isalpha() for letter in text):
        return chosen
    for kind in (chosen, *LIMITS):
        try:
            units.parse(text, kind)
        except OutOfRange:
            continue
        return kind
    return chosen


def _charge(db: Connection, form: Form, taken: TakenIn, now: datetime) -> Charge | None:
    """What it becomes; what is possible but unwise is asked about."""
    try:
        becomes = charge(db, taken, now)
    except OutOfRange as error:
        form.errors["amount"] = error.sentence
        return None
    if taken.brix >= taken.target_brix:
        form.ask("brix", f"{taken.brix:.1f} Brix is at or over the target already. Is it so?")
    if becomes.too_shallow:
        form.ask(
            "amount",
            f"Finished, it would stand only {becomes.depth_done_mm:.0f} mm deep: a pan so low "
            "scorches. Wait for more, take a smaller vessel, or say that it is so.",
        )
    return becomes


def _corrected_brix(
    db: Connection, form: Form, brix: float, kind: str, now: datetime
) -> float | None:
    """Brix of the take-in: as told, or a refractometer's drop corrected."""
    if form.fields.get("brix_by", "told") != "refractometer":
        return brix
    sample = form.between(SAMPLE)
    known = instruments_of(db, RefractometerDetail)
    if sample is None or not known:
        return None
    drop = RefractometerFacts(
        instrument_id=known[0].id,
        reading_brix=brix,
        sample_c=sample,
        compensated=form.ticked("compensated"),
    )
    kitchen = form.kitchen
    corrector = Corrector(db, kitchen, sugar_kind=kind, methods=kitchen.methods, instruments=known)
    return corrector.correct(preview(drop, now)).brix


def _mass(taken: TakenIn, by: Measure, amount: float) -> float:
    """The mass of what was measured, kg."""
    if by == "mass":
        return amount
    hot_l = taken.geometry.volume_l(amount) if by == "depth" else amount
    cold_l = hot_l / hot_volume_ratio(taken.brix, taken.temperature_c)
    return cold_l * sucrose.density_kg_m3(taken.brix, 20) / 1000


def corrected(form: Form, context: BatchContext) -> TakeInFacts | None:
    """A take-in typed again to correct it; vessel and kind of sugar stay the batch's."""
    fixed = {"vessel": context.vessel.id, "sugar_kind": context.batch.sugar_kind}
    form.fields = {**form.fields, **fixed, "target": f"{context.batch.target_brix:g}"}
    taken = read(context.db, form, context.now)
    return taken[0] if taken else None


def words(context: BatchContext, entry: Entry[TakeInFacts]) -> Line:
    """A take-in on the slip."""
    facts = entry.facts
    amount = context.show(facts.amount, facts.amount_by)
    how = f"{amount} at {context.show(facts.temperature_c, 'temperature')}"
    return Line(entry, f"Took in {context.show(facts.mass_kg, 'mass')}", how, f"{facts.brix:.1f}")

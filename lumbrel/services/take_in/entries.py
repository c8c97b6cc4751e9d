"""The take-in as it is typed: how much, how dense, how warm, into which vessel."""

from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from sqlite3 import Connection
from typing import Any, cast

from lumbrel.core import units
from lumbrel.core.errors import OutOfRange, span
from lumbrel.core.pan.raw_sap import NOTHING_KNOWN, Guess, guess, sap_kg
from lumbrel.core.pan.target import SUGAR_KINDS
from lumbrel.core.pan.vessel import hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import preview
from lumbrel.services.base.facts import HydrometerFacts, Part, RefractometerFacts, TakeInFacts
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.bench.correct import Corrector
from lumbrel.services.bench.entries import CUP, HOTTEST_DENSITY_C
from lumbrel.services.take_in.bounds import (
    BOIL_DOWN,
    BRIX,
    LIMITS,
    MOST_PARTS,
    NEAR_SYRUP,
    SAMPLE,
    SAP,
    SAP_MASS,
    SAP_VOLUME,
    STEM,
    TARGET,
    TEMPERATURE,
    TURNS,
    Measure,
    finishers,
)
from lumbrel.services.take_in.charge import Charge, TakenIn, charge
from lumbrel.store.instruments import HydrometerDetail, Instrument, RefractometerDetail, instruments_of
from lumbrel.store.kitchen import woodlots
from lumbrel.words import _, number


@dataclass(frozen=True)
class Brought:
    """What one woodlot brings: as it was measured, its Brix as read and corrected, and its mass."""

    woodlot_id: str
    amount: float
    brix_read: float
    brix: float
    mass_kg: float

    def kept(self) -> Part:
        """As the line keeps it."""
        return Part(woodlot_id=self.woodlot_id, mass_kg=self.mass_kg, brix=self.brix)


def read(db: Connection, form: Form, now: datetime) -> tuple[TakeInFacts, Charge] | None:
    """The charge as typed: facts for the slip, and what it becomes. Errors are on the form.

    The woodlot of the first part may be left to the caller: its id is then empty.
    """
    known = {v.id: v for v in finishers(db)}
    chosen = form.choice("vessel", list(known), _("Choose the vessel it goes into."))
    kind = form.choice("sugar_kind", list(SUGAR_KINDS), _("Choose maple, walnut or birch."))
    target = _target(form)
    brix, temperature = _brix_read(form), form.between(TEMPERATURE)
    by, amount = _amount(form)
    if form.errors or brix is None or temperature is None or amount is None or by is None:
        return None
    if (corrected := _corrected_brix(db, form, brix, kind, now)) is None:
        return None
    taken = TakenIn(
        vessel=known[chosen],
        mass_kg=0.0,
        brix=corrected,
        temperature_c=temperature,
        target_brix=target,
        sugar_kind=kind,
    )
    unmeasured = _guess(form, taken, by, amount)
    if unmeasured:
        taken, brix = replace(taken, brix=unmeasured.brix), unmeasured.brix
    parts = _parts(db, form, taken, (by, amount, brix), now)
    if not parts or form.errors:
        return None
    whole, mixed, mixed_read = _together(parts)
    becomes = _charge(db, form, replace(taken, mass_kg=whole, brix=mixed), now)
    if becomes is None:
        return None
    facts = TakeInFacts(
        mass_kg=whole,
        brix=mixed,
        temperature_c=temperature,
        amount_by=by,
        amount=sum(part.amount for part in parts),
        brix_read=mixed_read,
        target_brix=target,
        water_kg=becomes.water_kg,
        vessel_id=chosen,
        sugar_kind=kind,
        parts=tuple(part.kept() for part in parts),
    )
    if unmeasured:
        facts = facts.model_copy(update=_told_of(form, unmeasured))
        becomes = replace(becomes, brix_sigma=unmeasured.sigma_brix)
    return facts, becomes


def _unknown(form: Form) -> bool:
    """Whether nobody measured the density."""
    return form.fields.get("brix_by") == "unknown"


def _brix_read(form: Form) -> float | None:
    """The Brix as it was told or read; something to begin with where nobody measured it."""
    if _unknown(form):
        return NOTHING_KNOWN[0]
    if form.fields.get("brix_by") == "hydrometer":
        return form.between(STEM)
    return form.between(SAP if form.ticked(BOIL_DOWN) else BRIX)


def _guess(form: Form, taken: TakenIn, by: Measure, amount: float) -> Guess | None:
    """The density of what nobody measured, from the sap that it came from; the errors are noted."""
    if not _unknown(form):
        return None
    sap = _sap_kg(form)
    if form.errors:
        return None
    tree = form.fields.get("tree", "").strip()
    try:
        # What a volume weighs depends on its density, and that on what it weighs: a few turns settle it.
        known = guess(sap or _mass(taken, by, amount), sap, tree)
        for _any in range(TURNS):
            known = guess(_mass(replace(taken, brix=known.brix), by, amount), sap, tree)
        return known
    except OutOfRange as error:
        form.errors[error.field or "raw_sap"] = error.sentence
        return None


def _sap_kg(form: Form) -> float | None:
    """All the raw sap, by volume or mass as its unit says."""
    if not form.given("raw_sap"):
        return None
    if measured_by(form.fields["raw_sap"], "volume") == "mass":
        return form.between(SAP_MASS)
    litres = form.between(SAP_VOLUME)
    return None if litres is None else sap_kg(litres)


def _told_of(form: Form, unmeasured: Guess) -> dict[str, Any]:
    told: dict[str, Any] = {"brix_sigma": unmeasured.sigma_brix}
    sap, tree = _sap_kg(form), form.fields.get("tree", "").strip()
    if sap is not None:
        told |= {"sap_kg": sap} | ({"tree": tree} if tree else {})
    return told


def _together(parts: list[Brought]) -> tuple[float, float, float]:
    """Parts poured together: mass, Brix, and what the readings come to."""
    if len(parts) == 1:
        return parts[0].mass_kg, parts[0].brix, parts[0].brix_read
    whole = sum(part.mass_kg for part in parts)
    brix = sum(part.mass_kg * part.brix for part in parts) / whole
    return whole, brix, sum(part.mass_kg * part.brix_read for part in parts) / whole


def _parts(
    db: Connection, form: Form, taken: TakenIn, first: tuple[Measure, float, float], now: datetime
) -> list[Brought]:
    """What each woodlot brings, the first one's as it was measured and read."""
    by, amount, read = first
    mass = form.attempt("amount", lambda: _mass(taken, by, amount))
    if mass is None:
        return []
    one = Brought(form.fields.get("woodlot", ""), amount, read, taken.brix, mass)
    return [one, *_others(db, form, taken, by, now)]


def _others(db: Connection, form: Form, taken: TakenIn, by: Measure, now: datetime) -> list[Brought]:
    """What further woodlots bring, measured and read as the first part was."""
    known = [w.id for w in woodlots(db)]
    low, high, unit = LIMITS[by]
    found = []
    for i in range(2, MOST_PARTS + 1):
        names = [f"{name}_{i}" for name in ("woodlot", "amount", "brix")]
        if not any(form.given(name) for name in names):
            continue
        if by == "depth":
            form.errors[names[1]] = _("Measure each woodlot's part by mass or volume, not by depth.")
        woodlot = form.choice(names[0], known, _("Choose the woodlot this part comes from."))
        sentence = _("The {by} must be between {span}.", by=by, span=span(low, high, unit))
        amount = form.between(Bounds(names[1], by, low, high, sentence))
        read = form.between(BRIX._replace(name=names[2]))
        if amount is None or read is None or form.errors:
            continue
        brix = _corrected_brix(db, form, read, taken.sugar_kind, now)
        if brix is None:
            continue
        part = replace(taken, brix=brix)
        mass = form.attempt(names[1], partial(_mass, part, by, amount))
        if mass is not None:
            found.append(Brought(woodlot, amount, read, brix, mass))
    return found


def _target(form: Form) -> float:
    bounds = NEAR_SYRUP if form.ticked(BOIL_DOWN) else TARGET
    target = form.between(bounds, required=form.given("target"))
    return form.kitchen.target_brix if target is None else target


def _amount(form: Form) -> tuple[Measure | None, float | None]:
    """What was measured, and how much of it."""
    by = form.choice("amount_by", list(LIMITS), _("Say how it was measured: mass, volume or depth."))
    if not by:
        return None, None
    measure = measured_by(form.fields.get("amount", ""), cast(Measure, by))
    low, high, unit = LIMITS[measure]
    sentence = _("The {measure} must be between {span}.", measure=measure, span=span(low, high, unit))
    return measure, form.between(Bounds("amount", measure, low, high, sentence))


def measured_by(text: str, chosen: Measure) -> Measure:
    """A unit that was typed says what was measured, whatever the choice beside it says."""
    return cast(Measure, units.kind_by_unit(text, (chosen, *LIMITS)))


def _charge(db: Connection, form: Form, taken: TakenIn, now: datetime) -> Charge | None:
    """What it becomes; what is possible but unwise is asked about."""
    try:
        becomes = charge(db, taken, now)
    except OutOfRange as error:
        form.errors["amount"] = error.sentence
        return None
    if taken.brix >= taken.target_brix:
        form.ask(
            "brix",
            _("{brix} Brix is at or over the target already. Is that right?", brix=number(taken.brix, 1)),
        )
    if becomes.too_shallow and not form.ticked(BOIL_DOWN):
        form.ask(
            "amount",
            _(
                "Finished, it would stand only {depth_done} deep: a pan so low scorches. Wait for "
                "more, take a smaller vessel, or tick Confirm.",
                depth_done=form.show(becomes.depth_done_mm or 0.0, "depth"),
            ),
        )
    return becomes


def _corrected_brix(db: Connection, form: Form, brix: float, kind: str, now: datetime) -> float | None:
    """Brix of the take-in: as told, or a refractometer's drop or a hydrometer's cup corrected."""
    by = form.fields.get("brix_by", "told")
    facts: RefractometerFacts | HydrometerFacts
    if by == "refractometer":
        sample, drops = form.between(SAMPLE), instruments_of(db, RefractometerDetail)
        if sample is None or not drops:
            return None
        facts = RefractometerFacts(
            instrument_id=drops[0].id,
            reading_brix=brix,
            sample_c=sample,
            compensated=form.ticked("compensated"),
        )
    elif by == "hydrometer":
        cup, stems = form.between(CUP), instruments_of(db, HydrometerDetail)
        if not stems:
            form.errors["brix_by"] = _("No hydrometer is registered here.")
        if cup is None or not stems:
            return None
        facts = HydrometerFacts(
            instrument_id=stems[0].id, reading_brix=brix, cup_c=min(cup, HOTTEST_DENSITY_C)
        )
    else:
        return brix
    kitchen = form.kitchen
    known: list[Instrument[Any]] = [
        *instruments_of(db, RefractometerDetail),
        *instruments_of(db, HydrometerDetail),
    ]
    corrector = Corrector(db, kitchen, sugar_kind=kind, methods=kitchen.methods, instruments=known)
    read = corrector.correct(preview(facts, now))
    if read.brix is None or not BRIX.low <= read.brix <= BRIX.high:
        form.errors["brix"] = read.refusal or BRIX.sentence
        return None
    return read.brix


def _mass(taken: TakenIn, by: Measure, amount: float) -> float:
    """The mass of what was measured, kg."""
    if by == "mass":
        return amount
    hot_l = taken.geometry.volume_l(amount) if by == "depth" else amount
    cold_l = hot_l / hot_volume_ratio(taken.brix, taken.temperature_c)
    return cold_l * sucrose.density_kg_m3(taken.brix, 20) / 1000


@dataclass(frozen=True, kw_only=True)
class TakeInChoices:
    """What the form of a take-in that is corrected offers."""

    vessels: list[tuple[str, str]]
    woodlots: list[tuple[str, str]]


def choices(context: BatchContext) -> TakeInChoices:
    """What a batch's form offers."""
    return TakeInChoices(
        vessels=[(v.id, v.name) for v in finishers(context.db)],
        woodlots=[(w.id, w.name) for w in woodlots(context.db)],
    )

"""Take in: near-syrup into a vessel; what it holds, what it becomes, how long it takes."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection
from statistics import fmean, stdev
from typing import Any
from uuid import uuid4

from lumbrel.core import units
from lumbrel.core.errors import OutOfRange, span
from lumbrel.core.pan import solids
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION, finish_point
from lumbrel.core.pan.vessel import (
    LOWEST_SAFE_DEPTH_MM,
    TYPICAL_BOIL_OFF_KG_PER_MIN_M2,
    Vessel,
    done_depth_mm,
    hot_volume_ratio,
)
from lumbrel.core.physics import sucrose
from lumbrel.services.air import pressure_at
from lumbrel.services.context import BatchContext
from lumbrel.services.readings import Corrector
from lumbrel.services.typed import Form, local_time
from lumbrel.store import record
from lumbrel.store.db import transaction
from lumbrel.store.instruments import Instrument, instruments
from lumbrel.store.kitchen import VesselRow, Woodlot, add_woodlot, load_kitchen, vessels, woodlots
from lumbrel.store.record import Batch, Entry

SUGAR_KINDS = {"maple": "maple", "walnut": "walnut", "birch": "birch"}
AMOUNTS = ("mass", "volume", "depth")
TAKE_IN_SIGMA_BRIX = 0.3


@dataclass(frozen=True)
class Charge:
    """What a charge of near-syrup is and becomes."""

    mass_kg: float
    brix: float
    target_brix: float
    solids_kg: float
    final_mass_kg: float
    final_volume_l: float
    water_kg: float
    depth_now_mm: float | None
    depth_done_mm: float | None
    rate_kg_per_min: float
    rate_sigma: float
    rate_learned_from: int
    heat_up_minutes: float
    minutes: float

    @property
    def too_shallow(self) -> bool:
        """Whether the finished depth would be under the lowest safe one."""
        return self.depth_done_mm is not None and self.depth_done_mm < LOWEST_SAFE_DEPTH_MM


def learned_rate(db: Connection, vessel: VesselRow) -> tuple[float, float, int]:
    """Boil-off of a vessel from its last draws: kg/min, sigma, how many draws taught it.

    Without a history: a hard boil over its bottom, give or take half.
    """
    rates = [
        float(entry.facts["rate_kg_per_min"])
        for entry in record.standing_of_kind(db, "draw", vessel_id=vessel.id, limit=12)
        if entry.facts.get("rate_kg_per_min")
    ]
    if len(rates) >= 3:
        mean = fmean(rates)
        return mean, max(stdev(rates), 0.05 * mean), len(rates)
    area = Vessel(vessel.shape, vessel.sizes_mm).bottom_area_m2()
    typical = TYPICAL_BOIL_OFF_KG_PER_MIN_M2 * area
    return typical, 0.5 * typical, 0


def charge(
    db: Connection,
    vessel: VesselRow,
    mass_kg: float,
    brix: float,
    temperature_c: float,
    target_brix: float,
    sugar_kind: str,
    now: datetime,
) -> Charge:
    """What a charge becomes, in a vessel, today.

    Raises:
        OutOfRange: a value lies outside its range.
    """
    final = solids.mass_at(mass_kg, brix, target_brix)
    rate, sigma, count = learned_rate(db, vessel)
    pressure = pressure_at(db, load_kitchen(db), now)
    pa = pressure.pa if pressure else 101_325.0
    invert = DEFAULT_INVERT_FRACTION[sugar_kind]
    boil = sucrose.boiling_point_c(brix, pa, invert)
    done = finish_point(pa, target_brix, invert).temperature_c
    geometry = Vessel(vessel.shape, vessel.sizes_mm)
    try:
        volume = mass_kg / sucrose.density_kg_m3(brix, 20) * 1000
        now_mm: float | None = geometry.depth_mm(volume * hot_volume_ratio(brix, temperature_c))
        done_mm: float | None = done_depth_mm(
            geometry, final * target_brix / 100, target_brix, done
        )
    except OutOfRange:
        now_mm = done_mm = None
    heat_up = solids.heat_up_minutes(mass_kg, brix, temperature_c, boil, rate)
    return Charge(
        mass_kg, brix, target_brix, mass_kg * brix / 100, final,
        final / sucrose.density_kg_m3(target_brix, 20) * 1000, mass_kg - final, now_mm, done_mm,
        rate, sigma, count, heat_up, heat_up + max(mass_kg - final, 0.0) / rate,
    )  # fmt: skip


@dataclass(frozen=True)
class TakeInPage:
    """What the take-in page needs."""

    vessels: list[VesselRow]
    busy: dict[str, str]
    """Vessel id to the code of the batch on the fire in it."""
    woodlots: list[Woodlot]
    refractometers: list[Instrument]
    target_brix: float
    next_code: str
    charge: Charge | None = None


def page(db: Connection, now: datetime, fields: dict[str, str] | None = None) -> TakeInPage:
    """The take-in page, with the charge as far as what was typed allows."""
    kitchen = load_kitchen(db)
    busy = {b.vessel_id: b.code for b in record.batches_at(db, ("take_in",), "draw")}
    finishers = [v for v in vessels(db) if v.purpose == "finisher"]
    preview = None
    if fields:
        form = Form(fields, kitchen)
        taken = _read(db, form, now)
        if taken and not form.errors:
            preview = taken[1]
    year = local_time(now, kitchen).year
    return TakeInPage(
        finishers, busy, woodlots(db), instruments(db, "refractometer"), kitchen.target_brix,
        record.next_code(db, year), preview,
    )  # fmt: skip


def _read(db: Connection, form: Form, now: datetime) -> tuple[dict[str, Any], Charge] | None:
    """The charge as typed: facts for the slip, and what it becomes. Errors are on the form."""
    kitchen = form.kitchen
    known = {v.id: v for v in vessels(db) if v.purpose == "finisher"}
    chosen = form.choice("vessel", list(known), "Choose the vessel it goes into.")
    kind = form.choice("sugar_kind", SUGAR_KINDS, "Choose maple, walnut or birch.")
    target = form.between(
        "target", "brix", 60, 75,
        "The target must lie between 60 and 75 Brix; syrup is 66.0 to 68.9.",
        required=form.given("target"),
    )  # fmt: skip
    target = kitchen.target_brix if target is None else target
    brix = form.between(
        "brix", "brix", 1, 75, "Near-syrup has between 1 and 75 Brix; concentrate 8 and up."
    )
    temperature = form.between(
        "temperature", "temperature", 0, 110,
        "Near-syrup is between 0 and 110 °C (32 and 230 °F); for Fahrenheit type F behind the "
        "number.",
    )  # fmt: skip
    by = form.choice("amount_by", list(AMOUNTS), "Say how it was measured: mass, volume or depth.")
    by = _measured_by(form.fields.get("amount", ""), by)
    limits = {"mass": (0.2, 5000.0), "volume": (0.2, 5000.0), "depth": (1.0, 2000.0)}
    amount = None
    if by:
        low, high = limits[by]
        unit = {"mass": "kg", "volume": "L", "depth": "mm"}[by]
        amount = form.between(
            "amount", by, low, high, f"The {by} must lie between {span(low, high, unit)}."
        )
    if form.errors or brix is None or temperature is None or amount is None:
        return None
    corrected = _corrected_brix(db, form, brix, kind, now)
    if corrected is None:
        return None
    mass = form.attempt("amount", lambda: _mass(known[chosen], by, amount, corrected, temperature))
    if mass is None:
        return None
    try:
        becomes = charge(db, known[chosen], mass, corrected, temperature, target, kind, now)
    except OutOfRange as error:
        form.errors["amount"] = error.sentence
        return None
    if corrected >= target:
        form.ask("brix", f"{corrected:.1f} Brix is at or over the target already. Is it so?")
    if becomes.too_shallow:
        form.ask(
            "amount",
            f"Finished, it would stand only {becomes.depth_done_mm:.0f} mm deep: a pan so low "
            "scorches. Wait for more, take a smaller vessel, or say that it is so.",
        )
    facts = {
        "mass_kg": mass, "brix": corrected, "temperature_c": temperature, "amount_by": by,
        "amount": amount, "brix_read": brix, "target_brix": target,
        "water_kg": becomes.water_kg, "vessel_id": chosen, "sugar_kind": kind,
    }  # fmt: skip
    return facts, becomes


def _measured_by(text: str, chosen: str) -> str:
    """A unit that was typed says what was measured, whatever the choice beside it says."""
    if not chosen or not any(letter.isalpha() for letter in text):
        return chosen
    for kind in (chosen, *AMOUNTS):
        try:
            units.parse(text, kind)
        except OutOfRange:
            continue
        return kind
    return chosen


def _corrected_brix(
    db: Connection, form: Form, brix: float, kind: str, now: datetime
) -> float | None:
    """Brix of the take-in: as told, or a refractometer's drop corrected."""
    if form.fields.get("brix_by", "told") != "refractometer":
        return brix
    sample = form.between(
        "sample", "temperature", 10, 30,
        "A drop has a number between 10 and 30 °C (50 and 86 °F) only: let it come to temperature.",
    )  # fmt: skip
    known = instruments(db, "refractometer")
    if sample is None or not known:
        return None
    entry = Entry(
        "preview", "", "refractometer", now, now, {},
        {"instrument_id": known[0].id, "reading_brix": brix, "sample_c": sample,
         "compensated": form.ticked("compensated")},
    )  # fmt: skip
    return Corrector(db, form.kitchen, kind, form.kitchen.schools).correct(entry).brix


def _mass(vessel: VesselRow, by: str, amount: float, brix: float, temperature_c: float) -> float:
    if by == "mass":
        return amount
    cold_l = amount
    if by == "depth":
        cold_l = Vessel(vessel.shape, vessel.sizes_mm).volume_l(amount)
    cold_l /= hot_volume_ratio(brix, temperature_c)
    return cold_l * sucrose.density_kg_m3(brix, 20) / 1000


def amended(form: Form, context: BatchContext) -> dict[str, Any]:
    """A take-in typed again to amend it; vessel and kind of sugar stay the batch's."""
    fixed = {"vessel": context.vessel.id, "sugar_kind": context.batch.sugar_kind}
    form.fields = {**form.fields, **fixed, "target": f"{context.batch.target_brix:g}"}
    taken = _read(context.db, form, context.now)
    return taken[0] if taken else {}


def open_batch(db: Connection, now: datetime, fields: dict[str, str]) -> str:
    """Open a batch with what was taken in; returns its code. The same id twice opens one.

    Raises:
        BadInput: a field is wrong, the vessel is busy, or something must be asked.
    """
    with transaction(db):
        return _open(db, now, fields)


def _open(db: Connection, now: datetime, fields: dict[str, str]) -> str:
    """The same, inside a transaction from the first look: two that come at once take turns."""
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    entry_id = form.client_id()
    sent_before = record.entry_by_id(db, entry_id)
    if sent_before:
        owner = record.batch_by(db, id=sent_before.batch_id)
        assert owner is not None
        return owner.code
    taken = _read(db, form, now)
    new_name = form.text("new_woodlot", limit=60)
    woodlot_id = form.fields.get("woodlot", "")
    if not new_name:
        form.choice(
            "woodlot", [w.id for w in woodlots(db)], "Choose the woodlot, or name a new one."
        )
    busy = {b.vessel_id: b.code for b in record.batches_at(db, ("take_in",), "draw")}
    if fields.get("vessel", "") in busy:
        form.errors["vessel"] = (
            f"Batch {busy[fields['vessel']]} is still in it. Draw that off first, or note on its "
            "slip what was added."
        )
    form.check()
    assert taken is not None
    facts, _ = taken
    if new_name:
        same = next((w for w in woodlots(db) if w.name.lower() == new_name.lower()), None)
        woodlot_id = same.id if same else str(uuid4())
        add_woodlot(db, Woodlot(woodlot_id, new_name, facts["sugar_kind"]))
    code = record.next_code(db, local_time(now, kitchen).year)
    batch = Batch(
        str(uuid4()), code, now, woodlot_id, facts["vessel_id"], facts["sugar_kind"],
        facts["target_brix"], kitchen.draw_margin_brix, kitchen.schools,
    )  # fmt: skip
    record.add_batch(db, batch)
    typed = {k: v for k, v in fields.items() if v and k != "id"}
    record.add_entry(
        db,
        Entry(
            entry_id, batch.id, "take_in", now, now, typed, facts,
            initials=form.text("initials", limit=8),
        ),
    )  # fmt: skip
    return code

"""A cook begins: syrup comes into the candy pot, out of opened jars or from a woodlot."""

from datetime import datetime
from sqlite3 import Connection
from typing import cast
from uuid import UUID, uuid4, uuid5

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import BathKey, CookFacts, Part
from lumbrel.services.base.form import BadInput, Bounds, Form, kept_of, local_time
from lumbrel.services.base.line import Line
from lumbrel.services.candy import plan
from lumbrel.services.candy.learnt import loss_of
from lumbrel.services.candy.plan import CandyPage
from lumbrel.services.record.flows import packings
from lumbrel.services.record.opening import open_with
from lumbrel.store import book, cooks, flow, jars, kept, record
from lumbrel.store.db import IdReused, transaction
from lumbrel.store.flow import Jar
from lumbrel.store.kept_lots import LotRow
from lumbrel.store.kitchen import VesselRow, Woodlot, add_woodlot, load_kitchen, vessels, woodlots
from lumbrel.words import _, joined, number

COOKS = UUID("6c756d62-7265-6c00-8000-00000063616e")
"""From the id of the line that begins a cook to that of its batch: sent again, it is the same."""
OPEN = "open_{:g}"
POT_MASS = Bounds(
    "pot_mass", "mass", 0.05, 500, _("The syrup in the pot must weigh between 0.05 and 500 kg.")
)
SPARE_KG = 0.002


def pots(db: Connection) -> list[VesselRow]:
    """The vessels that candy is cooked in: those for it, or any where there is none."""
    known = vessels(db)
    return [v for v in known if v.purpose == "candy"] or known


def busy(db: Connection) -> dict[str, str]:
    """Vessels with a cook or a boil in them, each with its batch's code."""
    there = [*kept.waiting(db, "candy"), *kept.waiting(db, "pan")]
    return {batch.vessel_id: batch.code for batch in there}


def to_open(db: Connection, lot: LotRow | None, syrup_kg: float) -> list[tuple[Jar, int]]:
    """Jars of a lot, the largest first, each size with how many to open for so much syrup."""
    if lot is None:
        return []
    left, found = syrup_kg, []
    filled, weighs = jars.jars_of(db, lot.code), _jar_kg(db, lot)
    for i, jar in enumerate(filled):
        holds = weighs[jar.size_ml]
        smaller = sum(weighs[j.size_ml] * j.count for j in filled[i + 1 :])
        whole = int((left + SPARE_KG) / holds)
        # The smallest size takes the rest; a larger one only what the smaller do not hold.
        more = whole + (1 if left - whole * holds > smaller + SPARE_KG else 0)
        count = min(max(more, 0), jar.count)
        left = max(left - count * holds, 0.0)
        found.append((jar, count))
    if left > SPARE_KG:
        for i in range(len(found) - 1, -1, -1):
            jar, count = found[i]
            if count < jar.count:
                found[i] = (jar, count + 1)
                break
    return found


def _jar_kg(db: Connection, lot: LotRow) -> dict[float | None, float]:
    """What a jar of each size of a lot weighs, without its glass, as it was packed."""
    packed = packings(db, flow.lot_id(lot.code))
    return {one.pack_ml: one.mass_kg / one.packs for one in packed if one.packs}


def begin(db: Connection, now: datetime, fields: dict[str, str]) -> str:
    """Begin a cook as it was planned; returns its code. The same id twice begins one.

    Raises:
        BadInput: a field is wrong, the pot is taken, or something must be asked.
    """
    with transaction(db):
        form = Form(fields, load_kitchen(db))
        entry_id = form.client_id()
        sent_before = book.by_id(db, entry_id)
        if sent_before:
            owner = record.batch_by(db, id=sent_before.about_id)
            assert owner is not None
            if sent_before.kind != CookFacts.key() or sent_before.typed != kept_of(fields):
                raise IdReused(
                    _(
                        "Something else was written under this form's id; nothing was written now. Open the "
                        "page anew and send it again."
                    )
                )
            return owner.code
        page = plan.page(db, now, fields)
        if page.look is None or page.syrup is None or page.cook is None:
            raise BadInput({"piece": _("Plan the cook first: the day check, the syrup and how much of it.")})
        facts, woodlot = _facts(db, form, page, now)
        form.check()
        assert facts is not None and woodlot is not None
        return _open(db, form, entry_id, facts=facts, woodlot=woodlot, now=now)


def _facts(
    db: Connection, form: Form, page: CandyPage, now: datetime
) -> tuple[CookFacts | None, Woodlot | None]:
    assert page.look is not None and page.syrup is not None and page.cook is not None
    known = {v.id: v for v in pots(db)}
    vessel = form.choice("vessel", list(known), _("Choose the pot; the kitchen's page registers one."))
    taken = busy(db).get(vessel)
    if taken:
        form.errors["vessel"] = _(
            "Batch {taken} is in it. Finish that first, or take another pot.", taken=taken
        )
    mass = form.between(POT_MASS, required=form.given("pot_mass"))
    mass = page.cook.plan.syrup_each_kg if mass is None else mass
    lot = page.syrup.lot
    jars, rest = _jars(db, form, lot, mass) if lot else ((), 0.0)
    woodlot = _woodlot(db, form, lot)
    if form.errors or woodlot is None:
        return None, None
    piece = page.look.nearest if page.chosen is None else page.chosen.confection
    point, brix = page.look.point, page.syrup.brix
    each = page.cook.each_kg
    batches = page.cook.plan.batches
    facts = CookFacts(
        mass_kg=mass,
        brix=brix,
        temperature_c=20.0,
        target_brix=point.brix,
        water_kg=max(mass * (1 - brix / point.brix), 0.0),
        vessel_id=vessel,
        sugar_kind=page.syrup.sugar_kind,
        parts=() if lot else (Part(woodlot_id=woodlot.id, mass_kg=mass, brix=brix),),
        piece=piece.key,
        above_water_k=point.above_water_k,
        stir_c=point.stir_c if piece.cool_to_c is not None else None,
        serving_c=page.look.serving_c,
        bath=cast(BathKey, page.typed["bath"]),
        invert_percent=page.syrup.invert.percent,
        invert_sigma=page.syrup.invert.sigma,
        loss=loss_of(db, vessel, now).share,
        from_lot=lot.code if lot else "",
        jars=jars,
        rest_kg=rest,
        pieces=page.cook.pieces and max(page.cook.pieces // batches, 1),
        each_kg=each,
    )
    return facts, woodlot


def _jars(
    db: Connection, form: Form, lot: LotRow, mass_kg: float
) -> tuple[tuple[tuple[float, int], ...], float]:
    """The jars that are opened, and what of them is not put in; errors are on the form."""
    opened = []
    proposed = to_open(db, lot, mass_kg)
    asked = any(form.given(OPEN.format(jar.size_ml)) for jar, _any in proposed)
    for jar, count in proposed:
        name = OPEN.format(jar.size_ml)
        sentence = _("{count} of these jars are on the shelf: open 0 to {count}.", count=jar.count)
        typed = form.between(Bounds(name, "count", 0, jar.count, sentence), required=False)
        wanted = int(typed or 0) if asked else count
        if wanted:
            opened.append((jar.size_ml, wanted))
    holds = _jar_kg(db, lot)
    weighs = sum(holds[size] * count for size, count in opened)
    if form.errors:
        return (), 0.0
    if weighs < mass_kg - max(SPARE_KG, 0.001 * mass_kg):
        have = form.show(weighs, "mass")
        form.errors["pot_mass"] = _(
            "The jars that are opened hold {have}: open more of lot {lot_code}, or put less in.",
            have=have,
            lot_code=lot.code,
        )
    return tuple(opened), max(weighs - mass_kg, 0.0)


def _woodlot(db: Connection, form: Form, lot: LotRow | None) -> Woodlot | None:
    """Whose sugar it is; a lot's is known, a new woodlot is named."""
    known = woodlots(db)
    if lot is not None:
        return next((w for w in known if w.id == lot.woodlot_ids[0]), None)
    name = form.text("new_woodlot", limit=60)
    if name:
        same = next((w for w in known if w.name.lower() == name.lower()), None)
        return same or Woodlot(str(uuid4()), name)
    chosen = form.choice(
        "woodlot", [w.id for w in known], _("Choose whose syrup it is, or name where it comes from.")
    )
    return next((w for w in known if w.id == chosen), None)


def _open(
    db: Connection, form: Form, entry_id: str, *, facts: CookFacts, woodlot: Woodlot, now: datetime
) -> str:
    if all(one.id != woodlot.id for one in woodlots(db)):
        add_woodlot(db, woodlot)
    return open_with(
        db,
        form,
        facts,
        now,
        batch_id=str(uuid5(COOKS, entry_id)),
        code=cooks.next_code(db, local_time(now, form.kitchen).year),
        entry_id=entry_id,
        woodlot_id=woodlot.id,
        margin_brix=0.0,
    )


def fixed(_entry: Entry[CookFacts]) -> str:
    """The pot has what it began with."""
    return _("What a cook began with stays as it is: call the cook off, and begin it anew.")


def words(context: BatchContext, entry: Entry[CookFacts]) -> Line:
    facts = entry.facts
    source = _("lot {from_lot}", from_lot=facts.from_lot) if facts.from_lot else context.whose
    jars = joined(", ", (f"{n} × {context.show(size, 'jar')}" for size, n in facts.jars))
    detail = _("{source}, {jars} opened", source=source, jars=jars) if jars else source
    mark = context.show(facts.above_water_k, "difference")
    return Line(
        entry,
        _("{mass} into {vessel}", mass=context.show(facts.mass_kg, "mass", 2), vessel=context.vessel.name),
        _(
            "{get}, to water + {mark}; {detail}",
            get=plan.NAMES.get(facts.piece, facts.piece),
            mark=mark,
            detail=detail,
        ),
        number(facts.brix, 1),
    )

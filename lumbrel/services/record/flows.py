"""What a line of a slip moves from one parcel to another."""

from collections.abc import Sequence
from dataclasses import replace
from sqlite3 import Connection

from lumbrel.services.base import standing
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    CameBackFacts,
    CookFacts,
    DrawnFacts,
    Facts,
    FilterFacts,
    JarFacts,
    MadeFacts,
    OpenedFacts,
    Part,
    PutInFacts,
    TakeInFacts,
    TakenOutFacts,
)
from lumbrel.services.base.form import BadInput
from lumbrel.store import flow as store
from lumbrel.store.flow import BULK, CHARGE, CONFECTION, DELIVERY, LOT, Flow, Parcel
from lumbrel.store.record import Batch

SAID_OF_REASON = {
    "sold": "sold",
    "woodlot": "to its woodlot",
    "given": "given away",
    "used": "used in the kitchen",
    "broken": "broken",
    "spoiled": "spoiled",
    "other": "for another reason",
}
"""Why jars leave the shelf."""
SET_ASIDE = "set aside"
"""What came back with something wrong is not sold again."""

COMES_BACK = "What is poured would come back to where it came from, and nobody could say whose sugar is whose."
Jars = Sequence[tuple[float, int]]


def parts_of(batch: Batch, facts: OpenedFacts) -> tuple[Part, ...]:
    """What came from which woodlot at a take-in."""
    whole = Part(woodlot_id=batch.woodlot_id, mass_kg=facts.mass_kg, brix=facts.brix)
    return facts.parts or (whole,)


def write_flows(
    db: Connection, batch: Batch, entry: Entry[Facts], lines: standing.Slip
) -> list[Flow]:
    """Write what a line moves, opening the parcels it moves to.

    Args:
        lines: the slip as it stands with this line.
    """
    flows = _flows(db, batch, entry, lines)
    for one in flows:
        if one.source_id and one.target_id and store.comes_back(db, one.source_id, one.target_id):
            raise BadInput({"from": COMES_BACK, "lot": COMES_BACK, "b": COMES_BACK})
    store.add_flows(db, entry.id, flows)
    return flows


def _flows(db: Connection, batch: Batch, entry: Entry[Facts], lines: standing.Slip) -> list[Flow]:
    facts = entry.facts
    if isinstance(facts, TakeInFacts) and facts.from_batch_id:
        charge = _opened(db, batch, CHARGE, entry)
        giver = store.bulk_id if facts.from_stage == "bulk" else store.charge_id
        return [_poured_on(giver(facts.from_batch_id), charge, facts)]
    if isinstance(facts, TakeInFacts):
        return _taken_in(db, batch, entry, parts_of(batch, facts))
    if isinstance(facts, CookFacts):
        return _into_the_pot(db, batch, entry, facts)
    if isinstance(facts, MadeFacts):
        return _made(db, batch, entry, facts)
    if isinstance(facts, PutInFacts):
        return _added(db, batch, entry, facts, lines)
    if isinstance(facts, DrawnFacts):
        return [
            Flow(
                source_id=_opened(db, batch, CHARGE, entry),
                target_id=_opened(db, batch, BULK, entry),
                mass_kg=facts.mass_kg,
                brix=facts.brix,
                reason="drawn off",
            )
        ]
    if isinstance(facts, FilterFacts) and facts.loss_kg:
        bulk = _opened(db, batch, BULK, entry)
        brix = facts.brix or standing.of_kind(lines, DrawnFacts)[-1].facts.brix
        stayed = Flow(
            source_id=bulk, target_id=None, mass_kg=facts.loss_kg, brix=brix, reason="in the filter"
        )
        return [stayed]
    if isinstance(facts, JarFacts):
        lot = _opened(db, batch, LOT, entry, facts.lot)
        source = _opened(db, batch, BULK, entry)
        whole = sum(size * count for size, count in facts.jars)
        return [
            Flow(
                source_id=source,
                target_id=lot,
                mass_kg=facts.mass_kg * size * count / whole,
                brix=facts.brix,
                pack_ml=size,
                packs=count,
                reason="packed",
            )
            for size, count in _together(facts.jars)
        ]
    if isinstance(facts, TakenOutFacts | CameBackFacts):
        return _jars_moved(db, facts)
    return []


def _into_the_pot(
    db: Connection, batch: Batch, entry: Entry[Facts], facts: CookFacts
) -> list[Flow]:
    """Syrup for a cook: jars that are opened, or from a woodlot."""
    charge = _opened(db, batch, CHARGE, entry)
    if facts.from_lot:
        flows = _opened_jars(db, facts, charge)
        if facts.rest_kg > 0:
            # Of an opened jar the rest is eaten in the kitchen.
            rest = Flow(
                source_id=charge,
                target_id=None,
                mass_kg=facts.rest_kg,
                brix=facts.brix,
                reason="used",
            )
            flows.append(rest)
        return flows
    return _taken_in(db, batch, entry, parts_of(batch, facts))


def _made(db: Connection, batch: Batch, entry: Entry[Facts], facts: MadeFacts) -> list[Flow]:
    """What was moulded, jarred or sieved, and what stayed in the pot."""
    charge = _opened(db, batch, CHARGE, entry)
    lot = _opened(db, batch, CONFECTION, entry, facts.lot) if facts.packs else ""
    whole = sum(grams * count for grams, count in facts.packs)
    flows = [
        Flow(
            source_id=charge,
            target_id=lot,
            mass_kg=facts.made_kg * grams * count / whole,
            brix=facts.brix,
            pack_ml=grams,
            packs=count,
            reason="made",
        )
        for grams, count in _together(facts.packs)
    ]
    if facts.left_kg > 0:
        stayed = Flow(
            source_id=charge,
            target_id=None,
            mass_kg=facts.left_kg,
            brix=facts.brix,
            reason="in the pot" if facts.packs else "spoiled",
        )
        flows.append(stayed)
    return flows


def _together(jars: Jars) -> list[tuple[float, int]]:
    """Jars with each size once, in the order they were typed."""
    counted: dict[float, int] = {}
    for size, count in jars:
        counted[size] = counted.get(size, 0) + count
    return list(counted.items())


def _opened(db: Connection, batch: Batch, kind: str, entry: Entry[Facts], code: str = "") -> str:
    """The batch's parcel of a kind, opened now if this is the first line that moves to it."""
    ids = {CHARGE: store.charge_id(batch.id), BULK: store.bulk_id(batch.id)}
    parcel_id = ids.get(kind) or store.lot_id(code)
    store.add_parcel(
        db,
        Parcel(
            id=parcel_id,
            kind=kind,
            code=code or batch.code,
            opened_at=entry.at,
            batch_id=batch.id,
        ),
    )
    return parcel_id


def _delivery(db: Connection, batch: Batch, woodlot_id: str, entry: Entry[Facts]) -> str:
    """What a woodlot delivered to a batch, under a code of its own."""
    parcel_id = f"delivery/{batch.id}/{woodlot_id}"
    known = store.parcels_of(db, batch.id, DELIVERY)
    if all(parcel.id != parcel_id for parcel in known):
        store.add_parcel(
            db,
            Parcel(
                id=parcel_id,
                kind=DELIVERY,
                code=f"{batch.code}-d{len(known) + 1}",
                opened_at=entry.at,
                batch_id=batch.id,
                woodlot_id=woodlot_id,
            ),
        )
    return parcel_id


def _from_woodlot(
    db: Connection, batch: Batch, entry: Entry[Facts], part: Part, target: str
) -> list[Flow]:
    """A woodlot's delivery, and from there to where it is put."""
    delivery = _delivery(db, batch, part.woodlot_id, entry)
    delivered = Flow(
        source_id=None,
        target_id=delivery,
        mass_kg=part.mass_kg,
        brix=part.brix,
        reason="delivered",
    )
    return [delivered, replace(delivered, source_id=delivery, target_id=target, reason="taken in")]


def _poured_on(source: str, target: str, facts: PutInFacts | TakeInFacts) -> Flow:
    """What went from one batch into another."""
    return Flow(
        source_id=source,
        target_id=target,
        mass_kg=facts.mass_kg,
        brix=facts.brix,
        reason="poured together",
    )


def _taken_in(
    db: Connection, batch: Batch, entry: Entry[Facts], parts: tuple[Part, ...]
) -> list[Flow]:
    charge = _opened(db, batch, CHARGE, entry)
    return [flow for part in parts for flow in _from_woodlot(db, batch, entry, part, charge)]


def _added(
    db: Connection, batch: Batch, entry: Entry[Facts], facts: PutInFacts, lines: standing.Slip
) -> list[Flow]:
    """Put into the pan, or once it is drawn into the kettle: from a woodlot, another batch, or
    water."""
    draw = standing.drawn(lines)
    kind = BULK if draw is not None and entry.at > draw.at else CHARGE
    target = _opened(db, batch, kind, entry)
    if facts.from_batch_id:
        giver = store.bulk_id if kind == BULK else store.charge_id
        return [_poured_on(giver(facts.from_batch_id), target, facts)]
    if facts.from_lot:
        return _opened_jars(db, facts, target)
    if facts.brix == 0:
        water = Flow(
            source_id=None, target_id=target, mass_kg=facts.mass_kg, brix=0.0, reason="water"
        )
        return [water]
    if facts.parts:
        flows = (_from_woodlot(db, batch, entry, part, target) for part in facts.parts)
        return [flow for some in flows for flow in some]
    woodlot = facts.woodlot_id or parts_of(batch, standing.taken_in(lines).facts)[0].woodlot_id
    part = Part(woodlot_id=woodlot, mass_kg=facts.mass_kg, brix=facts.brix)
    return _from_woodlot(db, batch, entry, part, target)


def _opened_jars(db: Connection, facts: PutInFacts | CookFacts, target: str) -> list[Flow]:
    """Jars of a lot opened into a kettle, or into a pot."""
    lot = store.lot_id(facts.from_lot)
    weighs, brix = as_packed(db, lot)
    return [
        Flow(
            source_id=lot,
            target_id=target,
            mass_kg=weighs[size] * count,
            brix=brix[size],
            pack_ml=size,
            packs=count,
            reason="opened",
        )
        for size, count in _together(facts.jars)
    ]


def as_packed(
    db: Connection, lot: str
) -> tuple[dict[float | None, float], dict[float | None, float]]:
    """What a jar of each size of a lot weighed when it was packed, and its Brix."""
    packed = [f.flow for f in store.flows_into(db, lot) if f.flow.packs and f.flow.source_id]
    return (
        {f.pack_ml: f.mass_kg / f.packs for f in packed if f.packs},
        {f.pack_ml: f.brix for f in packed},
    )


def _jars_moved(db: Connection, facts: TakenOutFacts | CameBackFacts) -> list[Flow]:
    """Jars that left the shelf or came back, each weighing what it weighed when it was packed."""
    lot = store.lot_id(facts.lot)
    weighs, brix = as_packed(db, lot)
    leave = isinstance(facts, TakenOutFacts)
    flows = [
        Flow(
            source_id=lot if leave else None,
            target_id=None if leave else lot,
            mass_kg=weighs[size] * count,
            brix=brix[size],
            pack_ml=size,
            packs=count,
            reason=facts.reason if isinstance(facts, TakenOutFacts) else "came back",
            for_woodlot_id=(facts.woodlot_id or None) if isinstance(facts, TakenOutFacts) else None,
        )
        for size, count in _together(facts.jars)
    ]
    if isinstance(facts, CameBackFacts) and facts.complaint:
        flows += [replace(one, source_id=lot, target_id=None, reason=SET_ASIDE) for one in flows]
    return flows

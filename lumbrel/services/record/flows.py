"""What a line of a slip moves from one parcel to another."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from sqlite3 import Connection
from typing import Any

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
from lumbrel.store import flow as store
from lumbrel.store import flowed
from lumbrel.store.flow import Flow
from lumbrel.store.record import Batch
from lumbrel.words import _, bare

SAID_OF_REASON = {
    "sold": _("sold"),
    "woodlot": _("to its woodlot"),
    "given": _("given away"),
    "used": _("used in the kitchen"),
    "broken": _("broken"),
    "spoiled": _("spoiled"),
    "other": _("for another reason"),
}
"""Why jars leave the shelf."""
SET_ASIDE = _("set aside")
"""What came back with something wrong is not sold again."""

Jars = Sequence[tuple[float, int]]


class NotPacked(ValueError):
    """Jars are moved of a lot that never had them; the message says which."""


def parts_of(batch: Batch, facts: OpenedFacts) -> tuple[Part, ...]:
    """What came from which woodlot at a take-in."""
    whole = Part(woodlot_id=batch.woodlot_id, mass_kg=facts.mass_kg, brix=facts.brix)
    return facts.parts or (whole,)


def moved_by(db: Connection, batch: Batch, entry: Entry[Facts], lines: standing.Slip) -> list[Flow]:
    """What a line moves.

    Args:
        lines: the slip as it stands.
    """
    facts, charge, bulk = entry.facts, store.charge_id(batch.id), store.bulk_id(batch.id)
    if isinstance(facts, TakeInFacts) and facts.from_batch_id:
        giver = store.bulk_id if facts.from_stage == "bulk" else store.charge_id
        return [_poured_on(giver(facts.from_batch_id), charge, facts)]
    if isinstance(facts, TakeInFacts):
        return _delivered(batch, entry, lines, charge)
    if isinstance(facts, CookFacts):
        return _into_the_pot(db, batch, entry, facts, lines)
    if isinstance(facts, MadeFacts):
        return _made(charge, facts)
    if isinstance(facts, PutInFacts):
        return _added(db, batch, entry, facts, lines)
    if isinstance(facts, DrawnFacts):
        drawn = Flow(
            source_id=charge, target_id=bulk, mass_kg=facts.mass_kg, brix=facts.brix, reason=_("drawn off")
        )
        return [drawn]
    if isinstance(facts, FilterFacts) and facts.loss_kg:
        drawn_at = [draw.facts.brix for draw in standing.of_kind(lines, DrawnFacts)]
        brix = facts.brix or (drawn_at[-1] if drawn_at else batch.target_brix)
        return [_out(bulk, facts.loss_kg, brix, _("in the filter"))]
    if isinstance(facts, JarFacts):
        packs = Packs(facts.jars, facts.mass_kg, facts.brix, store.PACKED)
        return _packed(bulk, facts.lot, packs)
    if isinstance(facts, TakenOutFacts | CameBackFacts):
        return _jars_moved(db, facts)
    return []


def takes_jars(facts: Facts) -> bool:
    """Whether what a line moves rests on what the jars weighed that it takes from the shelf, or brings
    back."""
    opens = isinstance(facts, PutInFacts | CookFacts) and bool(facts.from_lot)
    return opens or isinstance(facts, TakenOutFacts | CameBackFacts)


def deliveries(batch: Batch, slip: list[Entry[Any]], lines: standing.Slip) -> dict[str, str]:
    """The codes of what woodlots delivered to a batch, by the parcel's id: numbered as they were first
    named on its slip.

    Args:
        slip: all its lines, those that were corrected too.
    """
    named = [
        part.woodlot_id
        for entry in sorted(slip, key=lambda line: line.seq)
        for part in _parts(batch, entry, lines)
    ]
    return {
        store.delivery_id(batch.id, woodlot): f"{batch.code}-d{number}"
        for number, woodlot in enumerate(dict.fromkeys(named), start=1)
    }


def _parts(batch: Batch, entry: Entry[Any], lines: standing.Slip) -> tuple[Part, ...]:
    """What a line brought from which woodlot."""
    facts = entry.facts
    if isinstance(facts, OpenedFacts):
        brought = not (isinstance(facts, TakeInFacts) and facts.from_batch_id)
        opened = isinstance(facts, CookFacts) and facts.from_lot
        return parts_of(batch, facts) if brought and not opened else ()
    if not isinstance(facts, PutInFacts):
        return ()
    if facts.from_batch_id or facts.from_lot or facts.brix == 0:
        return ()
    if facts.parts:
        return facts.parts
    woodlot = facts.woodlot_id or parts_of(batch, standing.taken_in(lines).facts)[0].woodlot_id
    return (Part(woodlot_id=woodlot, mass_kg=facts.mass_kg, brix=facts.brix),)


def _out(source: str, mass_kg: float, brix: float, reason: str) -> Flow:
    """What is nowhere any more."""
    return Flow(source_id=source, target_id=None, mass_kg=mass_kg, brix=brix, reason=reason)


def _into_the_pot(
    db: Connection, batch: Batch, entry: Entry[Facts], facts: CookFacts, lines: standing.Slip
) -> list[Flow]:
    """Syrup for a cook: jars that are opened, or from a woodlot."""
    charge = store.charge_id(batch.id)
    if not facts.from_lot:
        return _delivered(batch, entry, lines, charge)
    # Of an opened jar the rest is eaten in the kitchen.
    rest = [_out(charge, facts.rest_kg, facts.brix, "used")] if facts.rest_kg > 0 else []
    return [*_opened_jars(db, facts, charge), *rest]


def _made(charge: str, facts: MadeFacts) -> list[Flow]:
    """What was moulded, jarred or sieved, and what stayed in the pot."""
    reason = _("in the pot") if facts.packs else _("spoiled")
    stayed = [_out(charge, facts.left_kg, facts.brix, reason)] if facts.left_kg > 0 else []
    packs = Packs(facts.packs, facts.made_kg, facts.brix, store.MADE)
    return [*_packed(charge, facts.lot, packs), *stayed]


@dataclass(frozen=True)
class Packs:
    """What was packed, by size, and what all of it weighed."""

    counted: Jars
    mass_kg: float
    brix: float
    reason: str


def _packed(source: str, lot: str, packs: Packs) -> list[Flow]:
    whole = sum(size * count for size, count in packs.counted)
    return [
        Flow(
            source_id=source,
            target_id=store.lot_id(lot),
            mass_kg=packs.mass_kg * size * count / whole,
            brix=packs.brix,
            pack_ml=size,
            packs=count,
            reason=packs.reason,
        )
        for size, count in _together(packs.counted)
    ]


def _together(jars: Jars) -> list[tuple[float, int]]:
    """Jars with each size once, in the order they were typed."""
    counted: dict[float, int] = {}
    for size, count in jars:
        counted[size] = counted.get(size, 0) + count
    return list(counted.items())


def _delivered(batch: Batch, entry: Entry[Any], lines: standing.Slip, target: str) -> list[Flow]:
    """What woodlots delivered, and from there to where it is put."""
    flows = []
    for part in _parts(batch, entry, lines):
        delivered = Flow(
            source_id=None,
            target_id=store.delivery_id(batch.id, part.woodlot_id),
            mass_kg=part.mass_kg,
            brix=part.brix,
            reason="delivered",
        )
        put = replace(delivered, source_id=delivered.target_id, target_id=target, reason=_("taken in"))
        flows += [delivered, put]
    return flows


def _poured_on(source: str, target: str, facts: PutInFacts | TakeInFacts) -> Flow:
    """What went from one batch into another."""
    return Flow(
        source_id=source,
        target_id=target,
        mass_kg=facts.mass_kg,
        brix=facts.brix,
        reason=_("poured together"),
    )


def _added(
    db: Connection, batch: Batch, entry: Entry[Facts], facts: PutInFacts, lines: standing.Slip
) -> list[Flow]:
    """Put into the pan, or once it is drawn into the kettle: from a woodlot, another batch, or
    water."""
    draw = standing.drawn(lines)
    own = store.bulk_id if draw is not None and entry.at > draw.at else store.charge_id
    target = own(batch.id)
    if facts.from_batch_id:
        return [_poured_on(own(facts.from_batch_id), target, facts)]
    if facts.from_lot:
        return _opened_jars(db, facts, target)
    if facts.brix == 0:
        water = Flow(source_id=None, target_id=target, mass_kg=facts.mass_kg, brix=0.0, reason="water")
        return [water]
    return _delivered(batch, entry, lines, target)


def _opened_jars(db: Connection, facts: PutInFacts | CookFacts, target: str) -> list[Flow]:
    """Jars of a lot opened into a kettle, or into a pot."""
    return [
        replace(jars, target_id=target, reason=store.OPENED) for jars in _jars(db, facts.from_lot, facts.jars)
    ]


def _jars(db: Connection, code: str, jars: Jars) -> list[Flow]:
    """Jars of a lot that leave it, each weighing what it weighed when it was packed.

    Raises:
        NotPacked: none of such a size was.
    """
    lot, flows = store.lot_id(code), []
    packed = {one.pack_ml: one for one in packings(db, lot)}
    for size, count in _together(jars):
        like = packed.get(size)
        if like is None or not like.packs:
            raise NotPacked(_("of lot {code} no packs of {size} were packed", code=code, size=bare(size)))
        mass = like.mass_kg / like.packs * count
        flows.append(replace(like, source_id=lot, target_id=None, mass_kg=mass, packs=count, reason=""))
    return flows


def packings(db: Connection, lot: str) -> list[Flow]:
    """What was packed into a lot, oldest first."""
    into = (one.flow for one in flowed.flows_into(db, lot))
    return [one for one in into if one.packs and one.source_id]


def _jars_moved(db: Connection, facts: TakenOutFacts | CameBackFacts) -> list[Flow]:
    """Jars that left the shelf or came back."""
    jars = _jars(db, facts.lot, facts.jars)
    if isinstance(facts, TakenOutFacts):
        whose = facts.woodlot_id or None
        return [replace(one, reason=facts.reason, for_woodlot_id=whose) for one in jars]
    back = [replace(one, source_id=None, target_id=one.source_id, reason=_("came back")) for one in jars]
    set_aside = [replace(one, reason=SET_ASIDE) for one in jars] if facts.complaint else []
    return [*back, *set_aside]

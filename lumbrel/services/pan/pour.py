"""Pouring one batch into another: two pans while they boil, or two kettles once they are drawn.

The line that counts stands on the slip it is poured into; the other slip has a line that says so.
"""

from sqlite3 import Connection
from typing import Any
from uuid import UUID, uuid5

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry, of_row, slip_of
from lumbrel.services.base.facts import AddedFacts, Facts, JarFacts, PouredFacts, StruckFacts, TakeInFacts
from lumbrel.services.base.form import Bounds, Form, NotFound
from lumbrel.services.base.line import Line
from lumbrel.services.base.standing import current, of_kind
from lumbrel.services.pan.board import board_of
from lumbrel.services.pan.draw import rate_seen
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.record.kept import write
from lumbrel.store import book, flow, flowed, kept, record
from lumbrel.store.record import Batch
from lumbrel.words import _, number

THE_OTHER = UUID("6c756d62-7265-6c00-8000-706f75726564")
"""From the id of the line where it was poured to that of the line where it came from."""
IMPOSSIBLE = 1.5
ALL_BUT = 0.98
"""Who pours nearly all is taken to pour all."""
MASS = Bounds("mass", "mass", 0.01, 5000, _("What was poured must weigh between 0.01 and 5000 kg."))


def others(context: BatchContext) -> list[Batch]:
    """The batches that could be poured into this one: on the fire as it is, or drawn as it is."""
    stations = ("filter", "colour", "jar") if context.drawn else ("pan",)
    found = {b.id: b for station in stations for b in kept.waiting(context.db, station)}
    found.pop(context.batch.id, None)
    return list(found.values())


def poured(form: Form, context: BatchContext) -> AddedFacts | None:
    """Another batch, or a part of it, poured into this one. Without a mass it is all of it."""
    given = form.text("from", _("Choose the batch that is poured in."))
    try:
        other = _before_it(contexts.load(context.db, given, context.now), context)
    except NotFound:
        form.errors["from"] = _("Choose one of the batches that are at hand.")
        return None
    refused = why_not(context, other)
    if refused:
        form.errors["from"] = refused
        return None
    mass = form.between(MASS, required=False)
    there_kg, brix = there(other)
    if form.errors:
        return None
    if mass is not None and mass > there_kg * IMPOSSIBLE:
        form.errors["mass"] = _(
            "Only about {there_kg} kg is there by the arithmetic.", there_kg=number(there_kg, 1)
        )
    elif mass is not None and mass > there_kg * 1.1:
        form.ask(
            "mass",
            _(
                "Only about {there_kg} kg is there by the arithmetic. Is that right?",
                there_kg=number(there_kg, 1),
            ),
        )
    boils = board_of(context).evidence.probe_now if context.drawn is None else None
    facts = AddedFacts(mass_kg=there_kg if mass is None else mass, brix=brix, from_batch_id=other.batch.id)
    return facts.model_copy(update={"temperature_c": boils.value}) if boils else facts


def _before_it(other: BatchContext, context: BatchContext) -> BatchContext:
    """The batch that is poured in; where that line is put right, as it was before it."""
    old = _other_line(context.db, context.corrects.id) if context.corrects else None
    return other.then(context.now, old) if old and old.about_id == other.batch.id else other


def why_not(context: BatchContext, other: BatchContext) -> str:
    """Why one batch cannot be poured into another; empty where it can."""
    if other.batch.id == context.batch.id:
        return _("A batch is not poured into itself.")
    if other.called_off or other.poured_away:
        return _("Nothing of {batch_code} is left to pour.", batch_code=other.batch.code)
    if (other.drawn is None) != (context.drawn is None):
        return _("Pan goes into pan and kettle into kettle: draw that one off first.")
    if context.poured_away or context.called_off:
        return _("This batch is gone; pour into another.")
    parcel = flow.bulk_id if context.drawn else flow.charge_id
    if flowed.comes_back(context.db, parcel(other.batch.id), parcel(context.batch.id)):
        return _(
            "Some of this batch is in {batch_code} already: poured back, nobody could say whose "
            "sugar is whose.",
            batch_code=other.batch.code,
        )
    return ""


def there(other: BatchContext) -> tuple[float, float]:
    """What is left of a batch, kg, and its Brix."""
    if other.drawn is None:
        board = board_of(other)
        if board.stands:
            return board.stands.mass_kg, board.stands.brix
        known = board.believed or board.joint
        return board.mass_kg, known.brix
    after = after_draw(other)
    packed = sum(e.facts.mass_kg for e in other.of_kind(JarFacts))
    return max(after.mass_kg - packed, 0.01), after.syrup_brix


def fixed(entry: Entry[AddedFacts]) -> str:
    """What a blend poured in is put right as a whole."""
    came = entry.facts.from_batch_id or entry.facts.from_lot
    blended = _("It was blended with others: strike it, and blend it anew.")
    return blended if came and not entry.typed.get("from") else ""


def store_other(
    db: Connection, entry: Entry[AddedFacts] | Entry[TakeInFacts], *, all_of_it: bool = False
) -> None:
    """Put the line on the slip that it came from; one that is corrected has its line there
    corrected, or struck.

    Args:
        all_of_it: whoever poured it says so; else by how much should be there.
    """
    old = _other_line(db, entry.supersedes) if entry.supersedes else None
    facts = entry.facts
    if not facts.from_batch_id:
        if old is not None:
            _strike_other(db, old, entry)
        return
    giver = record.batch_by(db, id=facts.from_batch_id)
    assert giver is not None
    other = contexts.of(db, giver, entry.noted_at)
    before = _before(other, old)
    kettle = bool(before.drawn) or getattr(facts, "from_stage", "charge") == "bulk"
    if before.drawn or not kettle:
        all_of_it = all_of_it or facts.mass_kg >= there(before)[0] * ALL_BUT
    rate = rate_seen(board_of(before)) if all_of_it and not kettle else None
    if old is not None and old.batch_id != giver.id:
        _strike_other(db, old, entry)
        old = None
    write(
        db,
        Entry(
            id=_other_id(entry.id),
            about_id=giver.id,
            at=entry.at,
            noted_at=entry.noted_at,
            facts=PouredFacts(
                stage="bulk" if kettle else "charge",
                into_batch_id=entry.batch_id,
                mass_kg=facts.mass_kg,
                brix=facts.brix,
                all_of_it=all_of_it,
                rate_kg_per_min=rate,
            ),
            supersedes=old.id if old else None,
            why=entry.why,
        ),
    )


def _before(other: BatchContext, old: Entry[Facts] | None) -> BatchContext:
    """A batch as it was without a line of its slip."""
    if old is None:
        return other
    other.entries[:] = [e for e in other.entries if e.id != old.id]
    return other


def undo_opening(db: Connection, off: Entry[Facts]) -> None:
    """A batch that was poured on from a boil-down's pan was called off: it is back in that pan."""
    for first in of_kind(current(slip_of(db, off.batch_id)), TakeInFacts):
        if first.facts.from_batch_id:
            undo_other(db, first, off)


def undo_other(db: Connection, old: Entry[Any], struck: Entry[Facts]) -> None:
    """The line was struck: so is the one where it came from."""
    other = _other_line(db, old.id)
    if other is not None:
        _strike_other(db, other, struck)


def _other_id(entry_id: str) -> str:
    return str(uuid5(THE_OTHER, entry_id))


def _other_line(db: Connection, entry_id: str) -> Entry[Facts] | None:
    row = book.by_id(db, _other_id(entry_id))
    return of_row(row) if row and not row.superseded else None


def _strike_other(db: Connection, old: Entry[Facts], because: Entry[Facts]) -> None:
    write(
        db,
        Entry(
            id=_other_id(because.id),
            about_id=old.batch_id,
            at=old.at,
            noted_at=because.noted_at,
            facts=StruckFacts(),
            supersedes=old.id,
            why=because.why,
        ),
    )


def words(context: BatchContext, entry: Entry[PouredFacts]) -> Line:
    """What was poured into another batch, as it stands on the slip."""
    facts = entry.facts
    into = record.batch_by(context.db, id=facts.into_batch_id)
    assert into is not None
    what = _("All of it") if facts.all_of_it else context.show(facts.mass_kg, "mass", 2)
    mass = context.show(facts.mass_kg, "mass", 2)
    return Line(
        entry,
        _("{what} poured into {into_code}", what=what, into_code=into.code),
        mass,
        number(facts.brix, 1),
    )


def rests(context: BatchContext, entry: Entry[PouredFacts]) -> str:
    """It is undone where it was poured."""
    into = record.batch_by(context.db, id=entry.facts.into_batch_id)
    assert into is not None
    return _(
        "It was poured into {into_code}: strike the line on that slip, and this one goes with it.",
        into_code=into.code,
    )

"""Opening a batch with what was taken in, and what the page for it needs."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection
from typing import Any, cast
from uuid import UUID, uuid4, uuid5

from lumbrel.services.base.entry import Entry, newest, of_row
from lumbrel.services.base.facts import FromTank, Learnt, Part, TakeInFacts
from lumbrel.services.base.felt import FELT_HEATS
from lumbrel.services.base.form import Form, kept_of, local_time
from lumbrel.services.pan.pour import store_other
from lumbrel.services.pan.rate import learnt_before
from lumbrel.services.record.opening import open_with
from lumbrel.services.take_in.bounds import finishers
from lumbrel.services.take_in.charge import Charge
from lumbrel.services.take_in.entries import read
from lumbrel.store import book, kept, record
from lumbrel.store.book import LineRow
from lumbrel.store.db import IdReused, transaction
from lumbrel.store.instruments import (
    HydrometerDetail,
    Instrument,
    RefractometerDetail,
    ThermometerDetail,
    instruments_of,
)
from lumbrel.store.kitchen import Kitchen, VesselRow, Woodlot, add_woodlot, load_kitchen, woodlots
from lumbrel.words import _

BATCHES = UUID("6c756d62-7265-6c00-8000-000000626174")
"""From the id of a take-in to that of its batch: sent again, it is the same batch."""


@dataclass(frozen=True, kw_only=True)
class TakeInPage:
    """What the take-in page needs."""

    vessels: list[VesselRow]
    busy: dict[str, str]
    """Vessel id to the code of the batch on the fire in it."""
    woodlots: list[Woodlot]
    refractometers: list[Instrument[RefractometerDetail]]
    hydrometers: list[Instrument[HydrometerDetail]]
    target_brix: float
    next_code: str
    charge: Charge | None = None
    why_not: str = ""
    """Why there is none, where something that was typed is in the way."""
    measures_density: bool = True
    """Whether anything that tells the Brix is owned."""
    measures_heat: bool = True
    """Whether a thermometer is owned."""
    first_boil: bool = False
    """Whether nothing was ever taken in here."""
    measure: str = "mass"
    """How what was taken in last was measured."""

    @property
    def felt_heats(self) -> list[tuple[str, str]]:
        """What a hand says of the heat of near-syrup where there is no thermometer: as typed, and in words."""
        return list(reversed(FELT_HEATS))


def page(db: Connection, now: datetime, fields: dict[str, str] | None = None) -> TakeInPage:
    """The take-in page, with the charge as far as what was typed allows."""
    kitchen = load_kitchen(db)
    preview, why_not = None, ""
    if fields:
        form = Form(fields, kitchen)
        taken = read(db, form, now)
        if taken and not form.errors:
            preview = taken[1]
        # What is still empty needs no words.
        why_not = next((text for name, text in form.errors.items() if form.given(name)), "")
    drops, stems = instruments_of(db, RefractometerDetail), instruments_of(db, HydrometerDetail)
    return TakeInPage(
        vessels=finishers(db),
        busy=_busy(db),
        woodlots=woodlots(db, retired=False),
        refractometers=drops,
        hydrometers=stems,
        target_brix=kitchen.target_brix,
        next_code=_next_code(db, kitchen, now),
        charge=preview,
        why_not=why_not,
        measures_density=bool(drops or stems),
        measures_heat=bool(instruments_of(db, ThermometerDetail)),
        first_boil=not record.any_batch(db),
        measure=_last_measure(db),
    )


def _last_measure(db: Connection) -> str:
    last = newest(db, TakeInFacts, limit=1)
    return last[0].facts.amount_by if last else "mass"


def _busy(db: Connection) -> dict[str, str]:
    """The vessels on the fire, each with the code of the batch in it."""
    return {b.vessel_id: b.code for b in kept.waiting(db, "pan")}


def _next_code(db: Connection, kitchen: Kitchen, now: datetime) -> str:
    return record.next_code(db, local_time(now, kitchen).year)


@dataclass(frozen=True, kw_only=True)
class Source:
    """Where a charge comes from, when it is not delivered: what tanks gave, and whose it is."""

    fields: dict[str, str]
    """What the form would say of it."""
    tanks: tuple[FromTank, ...]
    parts: tuple[Part, ...]
    brix_sigma: float | None
    """Where nobody measured its sugar."""
    from_batch_id: str = ""
    """The boil-down that it is poured on from."""
    from_stage: str = "charge"
    """Whether from its pan, all of it, or from what was drawn."""
    channels: int = 0
    """Of the continuous pan that it goes into."""
    setup: str = ""
    """Over what fire, of a boil-down that is lit."""
    fuel: str = ""

    def told(self) -> dict[str, Any]:
        """What of it the take-in's line keeps; of what it has nothing to say the line says nothing."""
        doubt = {"brix_sigma": self.brix_sigma} if self.brix_sigma else {}
        giver = {"from_batch_id": self.from_batch_id} if self.from_batch_id else {}
        stage = {"from_stage": self.from_stage} if self.from_stage != "charge" else {}
        runs = {"channels": self.channels} if self.channels else {}
        fire = {"setup": self.setup, "fuel": self.fuel} if self.setup else {}
        return {"tanks": self.tanks, "parts": self.parts} | doubt | giver | stage | runs | fire


def open_batch(
    db: Connection,
    now: datetime,
    fields: dict[str, str],
    learnt: Learnt | None = None,
    source: Callable[[Form], Source | None] | None = None,
) -> str:
    """Open a batch with what was taken in; returns its code. The same id twice opens one.

    Args:
        learnt: what another record's boils had taught, for one that is played again.
        source: looks in the same transaction where it comes from, and notes on the form what is wrong.

    Raises:
        BadInput: a field is wrong, the vessel is busy, or something must be asked.
    """
    # One transaction from the first look: two that come at once take turns.
    with transaction(db):
        form = Form(fields, load_kitchen(db))
        entry_id = form.client_id()
        sent_before = book.by_id(db, entry_id)
        if sent_before:
            return _opened_before(db, sent_before, fields)
        come = source(form) if source else None
        if source and come is None:
            form.check()
        if come:
            form.fields = {**form.fields, **come.fields}
        woodlot = _woodlot(db, form)
        # What it comes from is known by now; a new woodlot gets its name in the register below.
        form.fields = {**form.fields, "woodlot": woodlot.id}
        taken = read(db, form, now)
        _refuse_what_is_busy(db, form, come, fields.get("vessel", ""))
        form.check()
        assert taken is not None
        form.fields = fields
        facts = taken[0]
        if come:
            facts = facts.model_copy(update=come.told())
        ids = {part.woodlot_id or woodlot.id for part in facts.parts} or {woodlot.id}
        known = learnt or learnt_before(db, facts.vessel_id, ids, facts.sugar_kind, now)
        if known:
            facts = facts.model_copy(update={"learnt": known})
        code = _open(db, form, entry_id=entry_id, facts=facts, woodlot=woodlot, now=now)
        if facts.from_batch_id:
            _take_from_the_other(db, entry_id, facts)
        return code


def _refuse_what_is_busy(db: Connection, form: Form, come: Source | None, vessel: str) -> None:
    busy = _busy(db).get(vessel)
    if busy and not _stays(db, come, busy):
        form.errors["vessel"] = _(
            "Batch {busy} is still in it. Draw that off first, or note on its slip what was added.", busy=busy
        )


def _take_from_the_other(db: Connection, entry_id: str, facts: TakeInFacts) -> None:
    opened = book.by_id(db, entry_id)
    assert opened is not None
    line = cast("Entry[TakeInFacts]", of_row(opened))
    store_other(db, line, all_of_it=facts.from_stage == "charge")


def _stays(db: Connection, come: Source | None, code: str) -> bool:
    """Whether what is in a vessel stays in it, and goes on as the new batch."""
    batch = record.batch_by(db, code=code)
    return bool(come and come.channels and batch and batch.id == come.from_batch_id)


def _opened_before(db: Connection, sent: LineRow, fields: dict[str, str]) -> str:
    """The batch that a take-in opened when it was sent the first time.

    Raises:
        IdReused: something else was sent under its id.
    """
    owner = record.batch_by(db, id=sent.about_id)
    assert owner is not None
    if sent.kind != TakeInFacts.key() or sent.typed != kept_of(fields):
        raise IdReused(
            _(
                "Something else was written under this form's id; nothing was written now. Open the "
                "page anew and send it again."
            )
        )
    return owner.code


def _woodlot(db: Connection, form: Form) -> Woodlot:
    """The woodlot it comes from; a new one has no id yet."""
    known = woodlots(db)
    new_name = form.text("new_woodlot", limit=60)
    if new_name:
        same = next((w for w in known if w.name.lower() == new_name.lower()), None)
        return same or Woodlot("", new_name)
    chosen = form.choice("woodlot", [w.id for w in known], _("Choose the woodlot, or name a new one."))
    return next((w for w in known if w.id == chosen), Woodlot("", ""))


def _open(
    db: Connection, form: Form, entry_id: str, facts: TakeInFacts, woodlot: Woodlot, now: datetime
) -> str:
    kitchen = form.kitchen
    woodlot_id = woodlot.id
    if not woodlot_id:
        woodlot_id = str(uuid4())
        add_woodlot(db, Woodlot(woodlot_id, woodlot.name, facts.sugar_kind))
        first = facts.parts[0].model_copy(update={"woodlot_id": woodlot_id})
        facts = facts.model_copy(update={"parts": (first, *facts.parts[1:])})
    return open_with(
        db,
        form,
        facts,
        now,
        batch_id=str(uuid5(BATCHES, entry_id)),
        code=_next_code(db, kitchen, now),
        entry_id=entry_id,
        woodlot_id=woodlot_id,
        margin_brix=kitchen.draw_margin_brix,
    )

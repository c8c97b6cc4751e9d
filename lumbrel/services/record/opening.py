"""A batch is written with the line that opens it."""

from datetime import datetime
from sqlite3 import Connection

from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import CookFacts, TakeInFacts
from lumbrel.services.base.form import Form, kept_of
from lumbrel.services.record.kept import write
from lumbrel.store import record
from lumbrel.store.record import Batch


def open_with(
    db: Connection,
    form: Form,
    facts: TakeInFacts | CookFacts,
    now: datetime,
    *,
    batch_id: str,
    code: str,
    entry_id: str,
    woodlot_id: str,
    margin_brix: float,
) -> str:
    """Write a new batch and its first line; returns its code.

    Args:
        form: as it was sent, for what was typed and by whom.
        facts: of the opening line.
        now: when it is opened.
        margin_brix: how far ahead of the target it is to be drawn.
    """
    batch = Batch(
        id=batch_id,
        code=code,
        opened_at=now,
        woodlot_id=woodlot_id,
        vessel_id=facts.vessel_id,
        sugar_kind=facts.sugar_kind,
        target_brix=facts.target_brix,
        draw_margin_brix=margin_brix,
        methods=form.kitchen.methods,
    )
    record.add_batch(db, batch)
    entry = Entry(
        id=entry_id,
        about_id=batch.id,
        at=now,
        noted_at=now,
        facts=facts,
        typed=kept_of(form.fields),
        initials=form.text("initials", limit=8),
    )
    write(db, entry)
    return batch.code

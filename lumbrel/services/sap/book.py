"""The sap book: lines about trees, tanks and weather, written once and struck, never changed."""

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache
from sqlite3 import Connection

from lumbrel.services.base.facts import Facts
from lumbrel.services.base.form import Form, NotFound, kept_of
from lumbrel.services.sap.facts import SapFacts, StruckFacts, read_facts
from lumbrel.store import sap as store
from lumbrel.store.db import IdReused, transaction
from lumbrel.store.kitchen import load_kitchen
from lumbrel.store.sap import LineRow


@dataclass(frozen=True)
class About:
    """What a line is about."""

    woodlot_id: str | None = None
    tree_id: str | None = None
    tank_id: str | None = None


@dataclass(frozen=True, kw_only=True)
class SapLine:
    """A line of the sap book as services know it."""

    id: str
    at: datetime
    noted_at: datetime
    facts: SapFacts
    about: About
    typed: dict[str, str] = field(default_factory=dict)
    initials: str = ""


MOST_REMEMBERED = 20_000


@lru_cache(MOST_REMEMBERED)
def _facts(kind: str, version: int, text: str) -> SapFacts:
    """Facts by all that is stored of them: a page of many trees understands each line once."""
    return read_facts(kind, version, json.loads(text))


def of_row(row: LineRow) -> SapLine:
    """A row of the store as a line."""
    return SapLine(
        id=row.id,
        at=row.at,
        noted_at=row.noted_at,
        facts=_facts(row.kind, row.facts_version, row.facts_text),
        about=About(row.woodlot_id, row.tree_id, row.tank_id),
        typed=row.typed,
        initials=row.initials,
    )


@dataclass(frozen=True)
class Draft:
    """A line that is about to be written."""

    facts: Facts
    about: About
    at: datetime | None = None
    """When it was; the form's own time if left out."""


Reader = Callable[[Form, datetime], list[Draft]]
"""From a form and the line's moment to what it says; what is wrong is noted on the form."""


def write(
    db: Connection,
    fields: Mapping[str, str],
    now: datetime,
    read: Reader,
    after: Callable[[Form], None] | None = None,
) -> list[str]:
    """Write what a form says; sent again it writes nothing more.

    Args:
        read: in the transaction, so that two who come at once take turns.
        after: looks at the book as it then is, and notes on the form what must not be.
    Returns:
        The ids of its lines.
    Raises:
        BadInput: a field is wrong, or something must be asked.
        IdReused: something else was written under the form's id.
    """
    with transaction(db):
        form = Form(fields, load_kitchen(db))
        first = form.client_id()
        sent_before = store.line_by(db, first)
        if sent_before:
            if sent_before.typed != kept_of(fields):
                raise IdReused(
                    "Something else was written under this form's id; nothing was written now. "
                    "Open the page anew and send it again."
                )
            return [first]
        at = form.time_of_day("at", now)
        drafts = read(form, at)
        form.check()
        ids = []
        for number, draft in enumerate(drafts):
            ids.append(first if number == 0 else f"{first}-{number}")
            row = _row(draft, ids[-1], draft.at or at, now)
            store.add_line(db, _typed(row, form))
        if after is not None:
            after(form)
        form.check()
        return ids


def add(db: Connection, draft: Draft, line_id: str, now: datetime, form: Form) -> None:
    """Write one line in a transaction that is open, with what was typed for it."""
    store.add_line(db, _typed(_row(draft, line_id, draft.at or now, now), form))


def _row(draft: Draft, line_id: str, at: datetime, now: datetime) -> LineRow:
    return LineRow(
        id=line_id,
        kind=draft.facts.kind,
        at=at,
        noted_at=now,
        woodlot_id=draft.about.woodlot_id,
        tree_id=draft.about.tree_id,
        tank_id=draft.about.tank_id,
        facts=draft.facts.written(),
        facts_version=draft.facts.VERSION,
    )


def _typed(row: LineRow, form: Form) -> LineRow:
    return LineRow(
        **{
            **row.__dict__,
            "typed": kept_of(form.fields),
            "initials": form.text("initials", limit=8),
        }
    )


def line_of(db: Connection, line_id: str) -> SapLine:
    """A standing line by its id.

    Raises:
        NotFound: there is none, or it was struck.
    """
    row = store.line_by(db, line_id)
    if row is None or row.kind == store.STRUCK or store.is_struck(db, line_id):
        raise NotFound("There is no such line in the sap book, or it was struck already.")
    return of_row(row)


def strike(
    db: Connection,
    line_id: str,
    fields: Mapping[str, str],
    now: datetime,
    after: Callable[[Form], None],
) -> None:
    """Strike a line that was wrong; it stays in the book, struck. Sent again it does nothing.

    Args:
        after: as for `write`.
    Raises:
        BadInput: what came later rests on it.
        NotFound: there is no such line.
    """
    with transaction(db):
        form = Form(fields, load_kitchen(db))
        mine = form.client_id()
        if store.line_by(db, mine):
            return
        struck = line_of(db, line_id)
        row = LineRow(
            id=mine,
            kind=store.STRUCK,
            at=now,
            noted_at=now,
            woodlot_id=struck.about.woodlot_id,
            tree_id=struck.about.tree_id,
            tank_id=struck.about.tank_id,
            typed=kept_of(fields),
            facts=StruckFacts().written(),
            supersedes=line_id,
            why=form.text("why", limit=200),
            initials=form.text("initials", limit=8),
        )
        store.add_line(db, row)
        after(form)
        form.check()

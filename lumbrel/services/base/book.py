"""Lines about trees, tanks, woodlots, instruments and the air: written once, corrected or struck, never
changed. A slip's lines have more to them; see `services.record.slip`."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.services.base.entry import Entry, of_row
from lumbrel.services.base.facts import Facts, StruckFacts, UnreadFacts
from lumbrel.services.base.form import Form, NotFound, kept_of
from lumbrel.store import book as store
from lumbrel.store import sap
from lumbrel.store.book import What
from lumbrel.store.db import IdReused, transaction
from lumbrel.store.kitchen import load_kitchen
from lumbrel.words import _

BOOKKEEPING = ("supersedes", "why", "initials")
"""Fields that have a place of their own in a line."""
ALREADY = _(
    "Something else was written under this form's id; nothing was written now. Open the "
    "page anew and send it again."
)


@dataclass(frozen=True)
class Draft:
    """A line that is about to be written."""

    facts: Facts
    about: What
    about_id: str
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
    """Write what a form says; sent again it writes nothing more. A field `supersedes` names the line that
    its first one corrects, `why` the reason.

    Args:
        read: in the transaction, so that two who come at once take turns.
        after: looks at the book as it then is, and notes on the form what must not be.
    Returns:
        The ids of its lines.
    Raises:
        BadInput: a field is wrong, or something must be asked.
        NotFound: there is no such line to correct.
        IdReused: something else was written under the form's id.
    """
    with transaction(db):
        form = Form(fields, load_kitchen(db))
        first = form.client_id()
        if sent_before(db, first, fields):
            return [first]
        old = _to_correct(db, form)
        if old:
            _strike_beside(db, old.id, form, now)
            form.kitchen = load_kitchen(db)
        form.corrects_at = old.at if old else None
        at = form.time_of_day("at", now)
        drafts = read(form, at)
        form.check()
        if old and [draft.facts.kind for draft in drafts] != [old.kind]:
            raise NotFound(_("That is a line of another kind: it is struck, and this one written anew."))
        ids = [first, *(f"{first}-{number}" for number in range(1, len(drafts)))][: len(drafts)]
        for line_id, draft in zip(ids, drafts, strict=True):
            line = _line(draft, line_id, draft.at or at, now, form)
            corrects = old.id if old and line_id == first else None
            _put(db, replace(line, supersedes=corrects, why=form.text("why", limit=200)))
        if after is not None:
            after(form)
        form.check()
        return ids


def sent_before(db: Connection, line_id: str, fields: Mapping[str, str]) -> bool:
    """Whether a form was sent before.

    Raises:
        IdReused: its id was used for something else.
    """
    known = store.by_id(db, line_id)
    if known is None:
        return False
    typed = {name: text for name, text in known.typed.items() if name not in BOOKKEEPING}
    if typed != kept_of(fields, *BOOKKEEPING):
        raise IdReused(ALREADY)
    return True


def add(db: Connection, draft: Draft, line_id: str, now: datetime, form: Form) -> None:
    """Write one line in a transaction that is open, with what was typed for it."""
    _put(db, _line(draft, line_id, draft.at or now, now, form))


def note(db: Connection, draft: Draft, line_id: str, at: datetime) -> None:
    """Write a line that nobody typed, in a transaction that is open; the same id twice is one."""
    _put(db, _line(draft, line_id, at, at, Form({}, load_kitchen(db))))


def _line(draft: Draft, line_id: str, at: datetime, now: datetime, form: Form) -> Entry[Facts]:
    return Entry(
        id=line_id,
        about=draft.about,
        about_id=draft.about_id,
        at=at,
        noted_at=now,
        facts=draft.facts,
        typed=kept_of(form.fields, *BOOKKEEPING),
        initials=form.text("initials", limit=8),
    )


def _put(db: Connection, line: Entry[Facts]) -> None:
    """Put a line in the book, with what is kept of it; of what it strikes nothing is kept any more. What rests
    on it, by its moment, is followed up."""
    row = line.row()
    old = store.by_id(db, row.supersedes) if row.supersedes else None
    if not store.add(db, row):
        return
    if old:
        sap.drop(db, old.id)
    sap.keep(db, row)
    for told in _FOLLOWERS:
        if old:
            told(db, of_row(old))
        told(db, line)


def _strike_beside(db: Connection, line_id: str, form: Form, now: datetime) -> None:
    """Strike what a line brought with it, since that line is corrected or struck by a form."""
    for number, row in enumerate(store.standing_beside(db, line_id)):
        own = store.beside(form.client_id(), f"struck-{number}")
        line = _line(Draft(StruckFacts(), row.about, row.about_id), own, now, now, form)
        why = form.fields.get("why", "").strip()[:200]
        _put(db, replace(line, typed={}, supersedes=row.id, why=why))


Follower = Callable[[Connection, Entry[Facts]], None]
_FOLLOWERS: list[Follower] = []


def followed_by(follower: Follower) -> None:
    """Tell a room above of every line that is written, or that no longer stands, in its transaction."""
    _FOLLOWERS.append(follower)


def line_of(db: Connection, line_id: str) -> Entry[Facts]:
    """A standing line by its id, of the book but not of a slip.

    Raises:
        NotFound: there is none, or it was corrected or struck.
    """
    row = store.by_id(db, line_id)
    if row is None or row.about == "batch" or row.kind in store.ON_NO_LIST or row.superseded:
        raise NotFound(_("There is no such line, or it was corrected or struck already."))
    return of_row(row)


def _to_correct(db: Connection, form: Form) -> Entry[Facts] | None:
    wanted = form.corrects
    if not wanted:
        return None
    form.text("why", _("Say why it is corrected; the old line stays readable."), 200)
    return line_of(db, wanted)


@dataclass(frozen=True, kw_only=True)
class BookKind:
    """A kind of line about something else than a batch: how it is put into words, and what must hold when
    one is struck."""

    facts: type[Facts]
    words: Callable[[Connection, Any], str]
    """In one sentence's worth of words."""
    after: Callable[[Connection, datetime, Form], None] | None = None
    """Looks at the book once one is struck, and notes on the form (`why`) what must not be."""
    correct: Callable[[Connection, Any, Mapping[str, str], datetime], None] | None = None
    """Takes its form again, with `supersedes` in it. A kind without it is struck and written anew."""
    room: str = ""
    """Where the fields of its form are."""
    owners: Callable[[Any], bool] = lambda _line: False
    """Whether such a line is an owner's to strike."""


@dataclass(frozen=True)
class Shown:
    """A line of the book as its page shows it."""

    line: Entry[Facts]
    words: str
    kind: BookKind | None
    instead: Entry[Facts] | None
    """What corrects or strikes it."""


class Book:
    """All lines but those of slips.

    Args:
        kinds: the kinds of line that there are.
    """

    def __init__(self, kinds: Iterable[BookKind]) -> None:
        self._kinds = {kind.facts.key(): kind for kind in kinds}

    def said(self, db: Connection, line: Entry[Facts]) -> str:
        """What a line says, and of what."""
        if isinstance(line.facts, UnreadFacts):
            return _("a line of the kind “{kind}”, which this Lumbrel cannot read", kind=line.kind)
        return self._kinds[line.kind].words(db, line)

    def with_words(self, db: Connection, lines: Iterable[Entry[Facts]]) -> list[tuple[Entry[Facts], str]]:
        """Lines, each with what it says."""
        return [(line, self.said(db, line)) for line in lines]

    def shown(self, db: Connection, line_id: str) -> Shown:
        """A line, whatever became of it.

        Raises:
            NotFound: there is none.
        """
        row = store.by_id(db, line_id)
        if row is None or row.about == "batch" or row.kind in store.ON_NO_LIST:
            raise NotFound(_("There is no such line in the book."))
        line = of_row(row)
        later = store.superseding(db, line_id)
        known = None if isinstance(line.facts, UnreadFacts) else self._kinds[line.kind]
        return Shown(line, self.said(db, line), known, of_row(later) if later else None)

    def correct(self, db: Connection, line_id: str, fields: Mapping[str, str], now: datetime) -> None:
        """Correct a line: a new one supersedes it.

        Raises:
            BadInput: a field is wrong, or something must be asked.
            NotFound: there is no such line, or it is only struck.
        """
        shown = self.shown(db, line_id)
        if shown.kind is None or shown.kind.correct is None:
            raise NotFound(_("Such a line is not corrected: strike it, and write it anew."))
        shown.kind.correct(db, shown.line, {**fields, "supersedes": line_id}, now)

    def strike(
        self, db: Connection, line_id: str, fields: Mapping[str, str], now: datetime
    ) -> Entry[Facts] | None:
        """Strike a line that was wrong; it stays in the book, struck. Sent again it does nothing.

        Returns:
            The line that was struck; None when it was sent before.
        Raises:
            BadInput: what came later rests on it.
            NotFound: there is no such line.
        """
        with transaction(db):
            form = Form(fields, load_kitchen(db))
            mine = form.client_id()
            if sent_before(db, mine, fields):
                return None
            struck = line_of(db, line_id)
            _strike_beside(db, line_id, form, now)
            draft = Draft(StruckFacts(), struck.about, struck.about_id)
            line = _line(draft, mine, now, now, form)
            _put(db, replace(line, supersedes=line_id, why=form.text("why", limit=200)))
            kind = self._kinds.get(struck.kind)
            if kind and kind.after:
                kind.after(db, now, form)
            form.check()
            return struck

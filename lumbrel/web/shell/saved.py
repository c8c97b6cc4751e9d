"""After a write that leaves its page as it was: one line that says what was saved, and undoes it."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection
from urllib.parse import quote, urlsplit

from fastapi.responses import RedirectResponse

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.book import line_of
from lumbrel.services.base.form import NotFound
from lumbrel.services.stations import book, slip
from lumbrel.store import record
from lumbrel.store.book import by_id
from lumbrel.words import _, joined

SAVED, BACK = "saved", "back"
"""The address's part that names the line, and the field that says where its undoing leads."""
TELLS_FOR = timedelta(minutes=15)
"""An address that is opened again later says nothing of it any more."""
UNDONE = _("undone at once")


@dataclass(frozen=True)
class Saved:
    """What was saved, when it was, and where it is undone."""

    words: str
    at: datetime
    undo: str
    why: str = UNDONE


def to(address: str, line_id: str) -> RedirectResponse:
    """On to a page that says which line was saved."""
    parts = urlsplit(address)
    query = f"{parts.query}&" if parts.query else ""
    if line_id:
        parts = parts._replace(query=f"{query}{SAVED}={quote(line_id, safe='')}")
    return RedirectResponse(parts.geturl(), 303)


def saved_of(db: Connection, line_id: str, now: datetime) -> Saved | None:
    """What a line says that was written a moment ago and stands; None of any other."""
    if not line_id:
        return None
    try:
        line = line_of(db, line_id)
    except NotFound:
        return _on_a_slip(db, line_id, now)
    undo = f"/line/{quote(line.id, safe='')}/strike"
    words = book.said(db, line)
    return Saved(words, line.at, undo) if now - line.noted_at <= TELLS_FOR else None


def _on_a_slip(db: Connection, line_id: str, now: datetime) -> Saved | None:
    row = by_id(db, line_id)
    if row is None or row.about != "batch" or now - row.noted_at > TELLS_FOR:
        return None
    batch = record.batch_by(db, id=row.about_id)
    assert batch is not None
    context = contexts.load(db, batch.code, now)
    standing = {entry.id for entry in context.current}
    line = next((one for one in slip.lines(context) if one.entry.id == line_id), None)
    if line is None or line_id not in standing:
        return None
    words = joined(", ", (part for part in (line.title, line.detail, line.value) if part))
    undo = f"/batch/{quote(batch.code)}/strike/{quote(line_id, safe='')}"
    return Saved(words, row.at, undo)

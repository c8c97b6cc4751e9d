"""What a route needs of a request: the record, the time, the fields of a form."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from hmac import compare_digest
from sqlite3 import Connection
from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry, last_about
from lumbrel.services.base.facts import Facts
from lumbrel.services.base.form import local_time
from lumbrel.services.probes.ears import Ears
from lumbrel.services.stations import book
from lumbrel.store.kitchen import load_kitchen
from lumbrel.web.shell.caller import TOKEN, Caller, caller_of
from lumbrel.web.shell.gate import NO_TOKEN
from lumbrel.web.shell.render import fragment, page
from lumbrel.web.shell.tongue import speak_as_here
from lumbrel.web.shell.workspace import WRITES, Workspace, workspace_of

MAX_FIELDS = 120
INITIALS = "initials"

LAST_NOTED = 12


@dataclass(frozen=True)
class Visit:
    """One request to a workspace: its record is open for as long as the request takes."""

    request: Request
    db: Connection
    now: datetime

    @property
    def workspace(self) -> Workspace:
        """The workspace it is about."""
        return workspace_of(self.request)

    @property
    def caller(self) -> Caller:
        """Who calls."""
        return caller_of(self.request.scope)

    @property
    def local(self) -> datetime:
        """The time in the kitchen."""
        return local_time(self.now, load_kitchen(self.db))

    def noted_of(self, about_id: str) -> list[tuple[Entry[Facts], str]]:
        """What was noted last of an instrument, a vessel, a tank, a tree or a woodlot, with its words."""
        return book.with_words(self.db, last_about(self.db, about_id, self.now, LAST_NOTED))

    @property
    def wants_part(self) -> bool:
        """Whether a page that is open asks for a piece of it."""
        return bool(self.request.query_params.get("part"))

    @property
    def upload(self) -> bytes:
        """The file that was sent; empty if none was."""
        return bytes(self.request.state.upload)

    def batch(self, code: str) -> BatchContext:
        """A batch as it stands now.

        Raises:
            NotFound: there is no such batch.
        """
        return contexts.load(self.db, code, self.now)

    def weight_kg(self, scale: str) -> float | None:
        """What a scale shows now; None while it says nothing, and in practice."""
        ears: Ears = self.request.app.state.ears
        return None if self.workspace.pan else ears.weight_kg(scale)

    def page(self, template: str, here: str, status: int = 200, **more: Any) -> HTMLResponse:
        """A whole page; `here` is the station or room it belongs to."""
        return page(self.request, self.db, template, here, status, **more)

    def fragment(self, template: str, **more: Any) -> HTMLResponse:
        """A piece of a page, for a page that is already open."""
        return fragment(self.request, self.db, template, **more)


async def typed_fields(request: Request) -> dict[str, str]:
    """The fields of a form as typed; a device's form is of a page that it opened itself."""
    form = await request.form(max_files=1, max_fields=MAX_FIELDS)
    sent = next((part for part in form.values() if not isinstance(part, str)), None)
    request.state.upload = await sent.read() if sent else b""
    if sent:
        await sent.close()
    fields = {_plain(name): _plain(v) for name, v in form.items() if isinstance(v, str)}
    request.state.typed = fields
    _require_token(request, fields)
    return fields


class NotSentFromHere(Exception):
    """A device's write without its token."""


def _require_token(request: Request, fields: dict[str, str]) -> None:
    """A form that a device sends is of a page that it opened itself; whose it is goes with it.

    Raises:
        NotSentFromHere: the token that was given with the page is missing or another one.
    """
    caller, given = caller_of(request.scope), fields.pop(TOKEN, "")
    if caller.here or request.method not in WRITES or request.url.path.startswith("/api/"):
        return
    if not caller.stranger:
        if not compare_digest(given.encode(), caller.token.encode()):
            raise NotSentFromHere(NO_TOKEN)
        fields.setdefault(INITIALS, caller.initials)


def local_address(to: str, otherwise: str = "/") -> str:
    """An address of this application; another one of it for anything else."""
    plain = to.startswith("/") and not to.startswith(("//", "/\\")) and to.isprintable()
    return to if plain and "\\" not in to and len(to) < 300 else otherwise


def _plain(text: str) -> str:
    """Text as it can be stored and shown: half a character is none."""
    return text.encode("utf-8", "replace").decode("utf-8").replace("\0", "")


Fields = Annotated[dict[str, str], Depends(typed_fields)]


def _visit(request: Request, fields: Fields) -> Iterator[Visit]:
    workspace = workspace_of(request)
    with workspace.open() as db:
        speak_as_here(request.scope, load_kitchen(db).language)
        yield Visit(request, db, workspace.settings.clock())


Here = Annotated[Visit, Depends(_visit)]

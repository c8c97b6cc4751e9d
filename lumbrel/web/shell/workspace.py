"""Which record a request is about: the kitchen's own, or the practice pan's."""

from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from sqlite3 import Connection

from fastapi import Request

from lumbrel.practice.run import PracticeRun
from lumbrel.services.base.cache import Cache
from lumbrel.services.base.progress import Errands
from lumbrel.store.links import Links
from lumbrel.web.shell.hub import Hub
from lumbrel.web.shell.settings import Settings
from lumbrel.words import _

PRACTICE_COOKIE = "practice"
AT, OWN = "at", "kitchen"
"""In the address of whatever writes: the workspace of the page it was sent from; the kitchen's own."""
WRITES = ("POST", "PUT", "PATCH", "DELETE")


class StaleWorkspace(Exception):
    """Something was sent to a practice pan that is over."""


@dataclass
class Workspace:
    """A record with its clock, what is kept between looks at it, and the task that tells its
    news."""

    settings: Settings
    cache: Cache = field(default_factory=Cache)
    errands: Errands = field(default_factory=Errands)
    key: str = ""
    """Empty for the kitchen's own; a browser in practice carries the other's key."""
    pan: PracticeRun | None = None

    @property
    def name(self) -> str:
        """As addresses name it."""
        return self.key or OWN

    def __post_init__(self) -> None:
        self.links = Links(self.settings.database, self.cache)
        self.hub = Hub(self.settings, self.links)

    def open(self) -> AbstractContextManager[Connection]:
        """Its record, for one look at it."""
        return self.links.lent()

    async def stop(self) -> None:
        """Tell no more news, and let go of the record."""
        await self.hub.stop()
        self.links.close()


def workspace_of(request: Request) -> Workspace:
    """The workspace a request belongs to. A page says in the address of what it sends which one it
    is of, so that one left open never writes into another; a look goes by the browser's cookie.

    Raises:
        StaleWorkspace: a practice pan that is over was written to.
    """
    practice: Workspace | None = request.app.state.practice
    own: Workspace = request.app.state.workspace
    key = request.query_params.get(AT) or request.cookies.get(PRACTICE_COOKIE) or OWN
    if practice and key == practice.key:
        return practice
    if key != OWN and request.method in WRITES:
        raise StaleWorkspace(
            _(
                "This page belongs to a practice pan that has ended. Nothing was written, least of "
                "all into the kitchen's own record."
            )
        )
    return own

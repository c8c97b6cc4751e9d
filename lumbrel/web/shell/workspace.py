"""Which record a request is about: the kitchen's own, or the practice pan's."""

from dataclasses import dataclass, field

from fastapi import Request

from lumbrel.practice.session import PracticePan
from lumbrel.services.base.cache import Cache
from lumbrel.web.shell.hub import Hub
from lumbrel.web.shell.settings import Settings

PRACTICE_COOKIE = "practice"


@dataclass
class Workspace:
    """A record with its clock, what is kept between looks at it, and the task that tells its
    news."""

    settings: Settings
    cache: Cache = field(default_factory=Cache)
    key: str = ""
    """Empty for the kitchen's own; a browser in practice carries the other's key."""
    pan: PracticePan | None = None

    def __post_init__(self) -> None:
        self.hub = Hub(self.settings, self.cache)


def workspace_of(request: Request) -> Workspace:
    """The workspace a request belongs to, by the browser's cookie."""
    practice: Workspace | None = request.app.state.practice
    if practice and request.cookies.get(PRACTICE_COOKIE) == practice.key:
        return practice
    own: Workspace = request.app.state.workspace
    return own

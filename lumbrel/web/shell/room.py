"""The routes of one room, each with the least role that it asks for: one for all that is read, one for all
that is written, and another where a route says so itself."""

from collections.abc import Callable
from typing import Any, TypeVar

from fastapi import APIRouter

from lumbrel.services.access.roles import FINISHER, LOOKER

READS = frozenset(("GET", "HEAD"))
E = TypeVar("E", bound=Callable[..., Any])
_LEAST = "least_role"


def least(role: str) -> Callable[[E], E]:
    """What a route asks for, where that is another than its room's.

    Args:
        role: a role, or who needs none: `MACHINE`, `PUBLIC`.
    """

    def marked(endpoint: E) -> E:
        setattr(endpoint, _LEAST, role)
        return endpoint

    return marked


def least_of(endpoint: Any) -> str:
    """What an endpoint asks for; empty where nothing says it, and so nobody from the network may."""
    return str(getattr(endpoint, _LEAST, ""))


class RoomRoutes(APIRouter):
    """A router whose every route has its least role.

    Args:
        reads: who may read, where a route does not say.
        writes: who may write, where a route does not say.
    """

    def __init__(self, *, reads: str = LOOKER, writes: str = FINISHER, **more: Any) -> None:
        super().__init__(**more)
        self._reads, self._writes = reads, writes

    def add_api_route(self, path: str, endpoint: Callable[..., Any], **more: Any) -> None:
        """Add a route, with its least role."""
        if not least_of(endpoint):
            reads = set(more.get("methods") or ("GET",)) <= READS
            least(self._reads if reads else self._writes)(endpoint)
        super().add_api_route(path, endpoint, **more)

"""Which record a request is about: the kitchen's own, or the practice pan's."""

from dataclasses import dataclass

from fastapi import Request

from lumbrel.practice.session import PracticePan
from lumbrel.web.live import Hub
from lumbrel.web.settings import Settings

PRACTICE_COOKIE = "practice"


@dataclass
class World:
    """A record with its clock, and the task that looks for its news."""

    settings: Settings
    hub: Hub
    key: str = ""
    """Empty for the kitchen's own; a browser in practice carries the other's key."""
    pan: PracticePan | None = None


def world_of(request: Request) -> World:
    """The world a request belongs to, by the browser's cookie."""
    practice: World | None = request.app.state.practice
    if practice and request.cookies.get(PRACTICE_COOKIE) == practice.key:
        return practice
    real: World = request.app.state.world
    return real

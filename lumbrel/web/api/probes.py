"""Probes over HTTP: samples in, single or in batches, with a device token."""

from collections.abc import Callable, Coroutine
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import Request
from fastapi.responses import Response
from fastapi.routing import APIRoute
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from lumbrel.services.probes import intake
from lumbrel.web.shell.answer import SpokenJSON
from lumbrel.web.shell.caller import PUBLIC
from lumbrel.web.shell.doorway import vouch_for
from lumbrel.web.shell.gate import door_of
from lumbrel.web.shell.request import Here
from lumbrel.web.shell.room import RoomRoutes, least
from lumbrel.web.shell.turnstile import Pace, Turnstile
from lumbrel.web.shell.workspace import workspace_of
from lumbrel.words import _, number

PER_SECOND, AT_ONCE = 20.0, 60
"""How often a probe of the network may send; each time up to ten thousand samples."""
TOO_OFTEN = _(
    "That is more than {PER_SECOND} times a second; nothing of it was kept. Send several "
    "samples at once, and these again in a second.",
    PER_SECOND=number(PER_SECOND, 0),
)
TOO_MANY = _("Too many wrong tokens from here. Try again in a minute, with the right one.")
NO_TOKEN = _("Send the probe's own token: make one on the thermometer's page.")


def _refusal(request: Request) -> SpokenJSON | None:
    """Whose token it is, noted on the request; or why nothing of it is read. Who has the right one is let
    through whatever others have tried; the others are counted by who they are, as the door knows it."""
    workspace = workspace_of(request)
    scheme, _any, token = request.headers.get("authorization", "").partition(" ")
    shelf = workspace.cache.shelf("turnstiles")
    with workspace.open() as db:
        probe_id = intake.holder(db, token.strip()) if scheme.lower() == "bearer" else None
    door = door_of(request.scope)
    if probe_id is not None:
        pace = shelf.get("paces", lambda: Pace(PER_SECOND, AT_ONCE))
        if door and not pace.may_come(probe_id):
            return _refused(429, "request", TOO_OFTEN, {"Retry-After": "1"})
        vouch_for(request.scope)
        request.state.probe_id = probe_id
        return None
    caller = door.origin(request.scope) if door else _("the machine itself")
    turnstile = shelf.get("probes", Turnstile)
    wait = turnstile.must_wait(caller)
    if wait:
        return _refused(429, "authorization", TOO_MANY, {"Retry-After": str(wait)})
    turnstile.wrong(caller)
    return _refused(401, "authorization", NO_TOKEN, {"WWW-Authenticate": "Bearer"})


def _refused(status: int, place: str, sentence: str, headers: dict[str, str]) -> SpokenJSON:
    answer = {"detail": [{"loc": [place], "msg": sentence}]}
    return SpokenJSON(answer, status, headers | {"Connection": "close"})


class TokenFirst(APIRoute):
    """A route that looks at the token before it reads anything of what is sent."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """The handler, behind the token."""
        take = super().get_route_handler()

        async def handler(request: Request) -> Response:
            return await run_in_threadpool(_refusal, request) or await take(request)

        return handler


router = RoomRoutes(prefix="/api", tags=["probes"], route_class=TokenFirst)


class SampleModel(BaseModel):
    """One temperature; without a time it is now."""

    model_config = ConfigDict(extra="forbid")

    temperature_c: float
    at: datetime | None = None


class SamplesModel(BaseModel):
    """What a probe sends."""

    model_config = ConfigDict(extra="forbid")

    samples: Annotated[list[SampleModel], Field(min_length=1, max_length=intake.MOST_AT_ONCE)]


class TakenModel(BaseModel):
    """What became of them. What is kept is in the record already; send the rest no more."""

    kept: int
    known: int
    refused: dict[str, int]


TOKEN = {"name": "authorization", "in": "header", "required": True, "schema": {"type": "string"}}


@router.post("/probes/samples", response_model=TakenModel, openapi_extra={"parameters": [TOKEN]})
@least(PUBLIC)
def samples(visit: Here, body: SamplesModel) -> TakenModel:
    """Take samples of the probe whose token this is: `Authorization: Bearer TOKEN`."""
    probe_id: str = visit.request.state.probe_id
    sent, no_moment = [], 0
    for sample in body.samples:
        try:
            sent.append(((sample.at or visit.now).astimezone(UTC), sample.temperature_c))
        except (OverflowError, ValueError):
            no_moment += 1
    taken = intake.take(visit.db, probe_id, sent, visit.now, no_moment=no_moment)
    visit.workspace.hub.wake()
    return TakenModel(kept=taken.kept, known=taken.known, refused=taken.refused)

"""Probes over HTTP: samples in, single or in batches, with a device token."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Header
from fastapi.responses import JSONResponse
from pydantic import BaseModel, ConfigDict, Field

from lumbrel.services.probes import intake
from lumbrel.web.shell.gate import door_of
from lumbrel.web.shell.request import Here
from lumbrel.web.shell.turnstile import Pace, Turnstile

router = APIRouter(prefix="/api", tags=["probes"])

PER_SECOND, AT_ONCE = 20.0, 60
"""How often a probe of the network may send; each time up to ten thousand samples."""
TOO_OFTEN = (
    f"That is more than {PER_SECOND:.0f} times a second; nothing of it was kept. Send several samples "
    "at once, and these again in a second."
)


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


@router.post("/probes/samples", response_model=TakenModel)
def samples(
    visit: Here,
    body: SamplesModel,
    authorization: Annotated[str, Header()] = "",
) -> TakenModel | JSONResponse:
    """Take samples of the probe whose token this is: `Authorization: Bearer TOKEN`."""
    caller = visit.request.client.host if visit.request.client else ""
    turnstile = visit.workspace.cache.shelf("turnstiles").get("probes", Turnstile)
    wait = turnstile.must_wait(caller)
    if wait:
        sentence = "Too many wrong tokens from here. Try again in a minute, with the right one."
        answer = {"detail": [{"loc": ["authorization"], "msg": sentence}]}
        return JSONResponse(answer, 429, {"Retry-After": str(wait)})
    scheme, _, token = authorization.partition(" ")
    probe_id = intake.holder(visit.db, token.strip()) if scheme.lower() == "bearer" else None
    if probe_id is None:
        turnstile.wrong(caller)
        sentence = "Send the probe's own token: make one on the thermometer's page."
        answer = {"detail": [{"loc": ["authorization"], "msg": sentence}]}
        return JSONResponse(answer, 401, {"WWW-Authenticate": "Bearer"})
    if door_of(visit.request.scope):
        paces = visit.workspace.cache.shelf("turnstiles")
        pace = paces.get("paces", lambda: Pace(PER_SECOND, AT_ONCE))
        if not pace.may_come(probe_id):
            answer = {"detail": [{"loc": ["request"], "msg": TOO_OFTEN}]}
            return JSONResponse(answer, 429, {"Retry-After": "1"})
    sent, no_moment = [], 0
    for sample in body.samples:
        try:
            sent.append(((sample.at or visit.now).astimezone(UTC), sample.temperature_c))
        except (OverflowError, ValueError):
            no_moment += 1
    taken = intake.take(visit.db, probe_id, sent, visit.now, no_moment=no_moment)
    visit.workspace.hub.wake()
    return TakenModel(kept=taken.kept, known=taken.known, refused=taken.refused)

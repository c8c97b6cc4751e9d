"""Probes over HTTP: samples in, single or in batches, with a device token."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Header, Request
from fastapi.responses import JSONResponse
from pydantic import BaseModel, ConfigDict, Field

from lumbrel.services import probe_intake
from lumbrel.web.request import Db, Now
from lumbrel.web.worlds import world_of

router = APIRouter(prefix="/api", tags=["probes"])


class SampleModel(BaseModel):
    """One temperature; without a time it is now."""

    model_config = ConfigDict(extra="forbid")

    temperature_c: float
    at: datetime | None = None


class SamplesModel(BaseModel):
    """What a probe sends."""

    model_config = ConfigDict(extra="forbid")

    samples: Annotated[list[SampleModel], Field(min_length=1, max_length=probe_intake.MOST_AT_ONCE)]


class TakenModel(BaseModel):
    """What became of them. What is kept is in the record already; send the rest no more."""

    kept: int
    known: int
    refused: dict[str, int]


@router.post("/probes/samples", response_model=TakenModel)
def samples(
    request: Request,
    db: Db,
    now: Now,
    body: SamplesModel,
    authorization: Annotated[str, Header()] = "",
) -> TakenModel | JSONResponse:
    """Take samples of the probe whose token this is: `Authorization: Bearer TOKEN`."""
    scheme, _, token = authorization.partition(" ")
    probe_id = probe_intake.holder(db, token.strip()) if scheme.lower() == "bearer" else None
    if probe_id is None:
        sentence = "Send the probe's own token: make one on the thermometer's page."
        answer = {"detail": [{"loc": ["authorization"], "msg": sentence}]}
        return JSONResponse(answer, 401, {"WWW-Authenticate": "Bearer"})
    sent = [((s.at or now).astimezone(UTC), s.temperature_c) for s in body.samples]
    taken = probe_intake.take(db, probe_id, sent, now)
    world_of(request).hub.wake()
    return TakenModel(kept=taken.kept, known=taken.known, refused=taken.refused)

"""What an open page listens to, and answering an alarm."""

import asyncio
from collections.abc import AsyncIterator

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response, StreamingResponse

from lumbrel.services import alarms
from lumbrel.web.live import STANDSTILL_SECONDS
from lumbrel.web.request import Db, Fields, Now, hub_of

router = APIRouter()


@router.get("/live/{code}")
@router.get("/live")
async def stream(request: Request, code: str = "") -> StreamingResponse:
    """News as server-sent events: of one batch, or of every alarm."""
    hub = hub_of(request)
    ear = hub.listen(code[:20])

    async def events() -> AsyncIterator[str]:
        try:
            while True:
                try:
                    news = await asyncio.wait_for(ear.get(), STANDSTILL_SECONDS)
                except TimeoutError:
                    yield ": still here\n\n"
                    continue
                if not news:
                    return
                yield f"data: {news}\n\n"
        finally:
            hub.leave(code[:20], ear)

    return StreamingResponse(events(), media_type="text/event-stream")


@router.post("/alarms/{alarm_id}/answer")
def answer(request: Request, db: Db, now: Now, alarm_id: int, fields: Fields) -> Response:
    """Answer an alarm; again is harmless."""
    found = alarms.acknowledge(db, alarm_id, fields.get("by", ""), now)
    return JSONResponse({"answered": found.id})

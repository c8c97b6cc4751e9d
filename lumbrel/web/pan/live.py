"""What an open page listens to, and answering an alarm."""

import asyncio
from collections.abc import AsyncIterator
from sqlite3 import OperationalError

from fastapi import Request
from fastapi.responses import Response, StreamingResponse

from lumbrel.services.base.form import NotFound
from lumbrel.services.pan import alarms
from lumbrel.store.disk import disk_of
from lumbrel.web.shell.answer import SpokenJSON
from lumbrel.web.shell.caller import caller_of
from lumbrel.web.shell.gate import door_of
from lumbrel.web.shell.hub import STANDSTILL_SECONDS
from lumbrel.web.shell.request import Fields, Here
from lumbrel.web.shell.room import RoomRoutes
from lumbrel.web.shell.streams import HERE
from lumbrel.web.shell.workspace import workspace_of
from lumbrel.words import _

router = RoomRoutes()
LONGEST_CODE = 20
TRY_AGAIN_MS = 700
"""A page whose connection broke tries again that soon."""
MOST_ALARMS = 2**63


@router.get("/live/{code}")
@router.get("/live")
async def stream(request: Request, code: str = "") -> StreamingResponse:
    """News as server-sent events: of one batch, or of every alarm."""
    hub, channel = workspace_of(request).hub, code[:LONGEST_CODE]
    caller, door = caller_of(request.scope), door_of(request.scope)

    def is_out() -> bool:
        """Whether the device was put out meanwhile."""
        device = caller.device
        return bool(device and door and not door.doorkeeper.is_in(device.id))

    queue, streams = hub.listen(channel), request.app.state.streams
    whose = caller.device.id if caller.device else HERE
    streams.join(whose, queue)

    async def events() -> AsyncIterator[str]:
        try:
            yield f"retry: {TRY_AGAIN_MS}\n\n"
            while True:
                try:
                    news = await asyncio.wait_for(queue.get(), STANDSTILL_SECONDS)
                except TimeoutError:
                    if is_out():
                        return
                    yield "event: still\ndata: here\n\n"
                    continue
                if not news or is_out():
                    return
                yield f"data: {news}\n\n"
        finally:
            hub.leave(channel, queue)
            streams.leave(whose, queue)

    # Once it has ended nothing follows on it: it makes room at once.
    closing = {"Connection": "close"}
    return StreamingResponse(events(), media_type="text/event-stream", headers=closing)


@router.post("/alarms/{alarm_id}/answer")
def answer(visit: Here, alarm_id: int, fields: Fields) -> Response:
    """Answer an alarm; again is harmless."""
    if visit.workspace.hub.unrecorded.answer(alarm_id):
        visit.workspace.hub.wake()
        return SpokenJSON({"answered": alarm_id, "before_by": ""})
    if not 0 < alarm_id < MOST_ALARMS:
        raise NotFound(_("There is no such alarm."))
    by = fields.get("by", "").strip() or visit.caller.initials
    try:
        found = alarms.acknowledge(visit.db, alarm_id, by, visit.now)
    except OperationalError:
        if not disk_of(visit.workspace.settings.database).is_full:
            raise
        visit.workspace.hub.unrecorded.hush(alarm_id)
        return SpokenJSON({"answered": alarm_id, "before_by": ""})
    finally:
        visit.workspace.hub.wake()
    before = found.acknowledged_by if found.acknowledged_at else ""
    return SpokenJSON({"answered": found.id, "before_by": before})

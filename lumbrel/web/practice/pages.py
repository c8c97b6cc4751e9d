"""The practice pan: start one, look at its instruments, change its speed, hear the debrief."""

import random
import re
import secrets
from collections.abc import Callable
from typing import Annotated

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from lumbrel.practice import pot_debrief
from lumbrel.practice.debrief import debrief
from lumbrel.practice.faults import FAULTS, POT_FAULTS
from lumbrel.practice.pot import PracticePot
from lumbrel.practice.run import SPEEDS, PracticeRun
from lumbrel.practice.session import PracticePan
from lumbrel.services.access.roles import LOOKER
from lumbrel.services.base.form import NotFound
from lumbrel.web.shell.errors import way_back
from lumbrel.web.shell.request import Fields, Here
from lumbrel.web.shell.room import RoomRoutes, least
from lumbrel.web.shell.settings import Settings
from lumbrel.web.shell.workspace import PRACTICE_COOKIE, Workspace, workspace_of
from lumbrel.words import _, joined

router = RoomRoutes(prefix="/practice")
HIDES = 2
SEED = re.compile(r"[0-9]{1,9}")
LEAST_REFRESH_S = 0.5


@router.get("")
def show(visit: Here) -> HTMLResponse:
    """What it is, and how to begin."""
    return visit.page("practice/start.html", "practice", faults=FAULTS, pot_faults=POT_FAULTS, speeds=SPEEDS)


@router.post("/start")
async def start(request: Request, fields: Fields) -> Response:
    """Light a new practice pan; one that ran before is given up."""
    speed = int(fields.get("speed", "")) if fields.get("speed", "") in map(str, SPEEDS) else 20
    kind: type[PracticePot | PracticePan] = PracticePot if fields.get("what") == "pot" else PracticePan
    known = [fault.key for fault in (POT_FAULTS if kind is PracticePot else FAULTS)]
    picked = [key for key in known if fields.get(key)]
    if fields.get("surprise", "1") == "1":
        picked = random.sample(sorted(known), HIDES)
    given = fields.get("seed", "")
    seed = int(given) if SEED.fullmatch(given) else random.randrange(10**6)
    # One at a time: whoever presses twice gives up the first pan, and none is left behind.
    async with request.app.state.practice_door:
        return await _started(request, lambda: kind(speed, picked, seed))


async def _started(request: Request, make: Callable[[], PracticeRun]) -> Response:
    await _give_up(request)
    pan = await run_in_threadpool(make)
    own: Workspace = request.app.state.workspace
    settings = Settings(
        database=pan.database,
        clock=pan.clock,
        allowed_hosts=own.settings.allowed_hosts,
        refresh_seconds=max(own.settings.refresh_seconds, LEAST_REFRESH_S),
    )
    workspace = Workspace(settings, key=f"p{secrets.token_hex(6)}", pan=pan)
    await workspace.hub.start()
    pan.start()
    request.app.state.practice = workspace
    answer = RedirectResponse(pan.home, 303)
    answer.set_cookie(PRACTICE_COOKIE, workspace.key, httponly=True, samesite="strict")
    return answer


async def _give_up(request: Request) -> None:
    old: Workspace | None = request.app.state.practice
    request.app.state.practice = None
    if old and old.pan:
        await old.stop()
        await run_in_threadpool(old.pan.stop)


@router.post("/leave")
@least(LOOKER)
async def leave(request: Request) -> Response:
    """Back to the kitchen; the practice record is forgotten."""
    async with request.app.state.practice_door:
        await _give_up(request)
    answer = RedirectResponse("/", 303)
    answer.delete_cookie(PRACTICE_COOKIE)
    return answer


def _running(request: Request) -> PracticeRun:
    pan = workspace_of(request).pan
    if pan is None:
        raise NotFound(_("No practice pan is on: begin one first."))
    return pan


Running = Annotated[PracticeRun, Depends(_running)]


@router.post("/speed/{times}")
def speed(request: Request, pan: Running, times: int) -> Response:
    """Run as many times faster."""
    if times not in SPEEDS:
        raise NotFound(_("It runs at {map} times.", map=joined(", ", map(str, SPEEDS))))
    pan.clock.run_at(times)
    return RedirectResponse(way_back(request, pan.home).partition("/slip/")[0], 303)


@router.get("/look/{at_what}")
def look(visit: Here, pan: Running, at_what: str) -> HTMLResponse:
    """What an instrument shows now."""
    if at_what not in {what for what, _any in pan.looks}:
        raise NotFound(
            _("Look at one of these: {value}.", value=joined(", ", (words for _, words in pan.looks)))
        )
    seen = pan.look(at_what)
    if visit.wants_part:
        return visit.fragment("practice/look.html", seen=seen)
    return visit.page("practice/looked.html", "pan", seen=seen, home=pan.home)


@router.get("/debrief")
def told(visit: Here, pan: Running) -> HTMLResponse:
    """The plain account of what came of it."""
    if isinstance(pan, PracticePot):
        account = pot_debrief.debrief(visit.db, pan, visit.now)
        return visit.page("practice/pot_debrief.html", "candy", told=account)
    assert isinstance(pan, PracticePan)
    return visit.page("practice/debrief.html", "pan", told=debrief(visit.db, pan, visit.now))

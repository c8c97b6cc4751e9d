"""News for the pages that are open: one look at the record serves them all."""

import asyncio
import contextlib
import json
import logging
from collections import defaultdict
from contextlib import suppress
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from starlette.concurrency import run_in_threadpool

from lumbrel.core.errors import OutOfRange
from lumbrel.services import alarms, pan
from lumbrel.services import context as contexts
from lumbrel.services.memo import slip_state
from lumbrel.services.pan import CALL_WORDS, Board
from lumbrel.store import alarms as alarm_store
from lumbrel.store import batches
from lumbrel.store import day as day_store
from lumbrel.store.db import opened
from lumbrel.web.settings import Settings
from lumbrel.web.shower import Shower

LOG = logging.getLogger("lumbrel.live")
LOOK_SECONDS = 0.1
STANDSTILL_SECONDS = 5.0
"""Without any news a page hears this often that it still shows the truth."""
ALL = ""
"""The channel of pages that show no pan: they hear alarms only."""


class Hub:
    """Looks at the record and tells every open page what changed.

    One task looks ten times a second, cheaply; a batch is computed anew only when its probe or
    its slip has news, or the clock has moved on by `refresh_seconds`.
    """

    def __init__(self, settings: Settings) -> None:
        self._settings = settings
        self._ears: dict[str, set[asyncio.Queue[str]]] = defaultdict(set)
        self._states: dict[str, tuple[Any, ...]] = {}
        self._last: dict[str, str] = {}
        self._task: asyncio.Task[None] | None = None
        self._ended = False
        self._ringing: tuple[tuple[int, ...], list[dict[str, Any]]] = ((), [])

    async def start(self) -> None:
        """Begin to look, unless live pages are off."""
        if self._settings.refresh_seconds > 0:
            self._task = asyncio.create_task(self._run())

    async def stop(self) -> None:
        """Stop looking, and let every page go."""
        if self._task:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task
            self._task = None
        self._ended = True
        for ears in self._ears.values():
            for ear in ears:
                if not ear.full():
                    ear.put_nowait("")

    def listen(self, code: str) -> asyncio.Queue[str]:
        """A queue that hears a batch's news from now on, its last news first."""
        ear: asyncio.Queue[str] = asyncio.Queue(maxsize=100)
        self._ears[code].add(ear)
        self._states.pop(code, None)
        if self._ended:
            ear.put_nowait("")
        return ear

    def leave(self, code: str, ear: asyncio.Queue[str]) -> None:
        """Hear no more."""
        self._ears[code].discard(ear)

    async def _run(self) -> None:
        while True:
            try:
                changed = await run_in_threadpool(self._look_once)
            except Exception:  # the next look may fare better; pages must not go deaf
                LOG.exception("a look at the record failed")
                changed = []
            for code, news in changed:
                for ear in list(self._ears[code]):
                    if not ear.full():
                        ear.put_nowait(news)
            await asyncio.sleep(LOOK_SECONDS)

    def _look_once(self) -> list[tuple[str, str]]:
        """One look. The connection is opened and closed by the thread that uses it: a task that
        is cancelled must never close it under a thread that is still reading."""
        with opened(self._settings.database) as db:
            return self._look(db)

    def _look(self, db: Connection) -> list[tuple[str, str]]:
        """What changed since the last look, for each channel that somebody listens to, and for
        each batch on the fire: its alarms ring whether or not a page is open."""
        now = self._settings.clock()
        changed = []
        on_fire = [batch.code for batch in batches.batches_at(db, ("take_in",), "draw")]
        tick = int(now.timestamp() / max(self._settings.refresh_seconds, 0.2))
        for code in dict.fromkeys([*on_fire, *(c for c, ears in self._ears.items() if c and ears)]):
            context = contexts.load(db, code, now)
            probe = context.probe
            sample = day_store.latest_sample(db, probe.id, now) if probe else None
            watched = bool(self._ears[code])
            every = tick if watched else tick // 5
            state = (
                slip_state(db),
                sample.at if sample else None,
                every,
                len(alarm_store.ringing(db)),
            )
            if self._states.get(code) == state:
                continue
            self._states[code] = state
            with suppress(OutOfRange):
                board = pan.board_of(context)
                alarms.watch(db, board)
                if watched:
                    rings = self._rings(db, now)
                    changed.append((code, json.dumps(news_of(board, rings), ensure_ascii=False)))
        if self._ears[ALL]:
            rings = self._rings(db, now)
            said = json.dumps({"alarms": rings}, ensure_ascii=False)
            if self._last.get(ALL) != said or tick % 5 == 0:
                self._last[ALL] = said
                changed.append((ALL, said))
        return changed

    def _rings(self, db: Connection, now: datetime) -> list[dict[str, Any]]:
        """What rings, put into words once for as long as it is the same."""
        ids = tuple(alarm.id for alarm in alarm_store.ringing(db))
        if ids != self._ringing[0]:
            self._ringing = (ids, ring_news(db, now))
        return self._ringing[1]


def ring_news(db: Connection, now: datetime) -> list[dict[str, Any]]:
    """Every alarm that rings, in words for the whole screen."""
    found = []
    for alarm in alarm_store.ringing(db):
        batch = batches.batch_by(db, id=alarm.batch_id)
        if batch is None:
            continue
        context = contexts.of(db, batch, now)
        found.append(
            {
                "id": alarm.id, "kind": alarm.kind, "words": alarm.words, "code": batch.code,
                "headline": alarms.HEADLINES.get(alarm.kind, alarm.kind),
                "where": context.vessel.name, "at": context.clock(alarm.raised_at),
            }
        )  # fmt: skip
    return found


def news_of(board: Board, rings: list[dict[str, Any]]) -> dict[str, Any]:
    """A board's figures as the page shows them, and what rings."""
    context, show = board.context, Shower(board.context.kitchen)
    seen, heating = board.evidence, board.heating_minutes
    left = board.minutes_left + heating
    probe = seen.probe_now
    return {
        "code": context.batch.code, "entries": len(context.entries),
        "clock": show.clock(context.now, seconds=True), "call": board.verdict.call.value,
        "headline": "Heating up" if heating > 0 else CALL_WORDS[board.verdict.call],
        "brix": f"{board.believed.brix:.1f}" if board.believed else "?",
        "minutes": f"{left:.0f}" if left < 1000 else "–",
        "probe": show(probe.value, "temperature") if probe else "",
        "sample": probe.at.isoformat() if probe else "",
        "alarms": rings,
    }  # fmt: skip

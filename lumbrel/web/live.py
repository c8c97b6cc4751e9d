"""News for the pages that are open: one look at the record serves them all."""

import asyncio
import contextlib
import json
import logging
from collections import defaultdict
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime, timedelta
from sqlite3 import Connection
from typing import Any

from starlette.concurrency import run_in_threadpool

from lumbrel.core.errors import OutOfRange
from lumbrel.services import alarms, pan
from lumbrel.services import context as contexts
from lumbrel.services.memo import slip_state
from lumbrel.services.pan import CALL_WORDS, Board
from lumbrel.store import alarms as alarm_store
from lumbrel.store import record
from lumbrel.store import samples as samples_store
from lumbrel.store.db import connect, opened
from lumbrel.store.instruments import instruments
from lumbrel.web.settings import Settings
from lumbrel.web.shower import Shower

LOG = logging.getLogger("lumbrel.live")
LOOK_SECONDS = 0.1
SPEAKS = timedelta(seconds=3)
STANDSTILL_SECONDS = 5.0
"""Without any news a page hears this often that it still shows the truth."""
ALL = ""
"""The channel of pages that show no pan: they hear alarms only."""


class Hub:
    """Looks at the record and tells every open page what changed.

    One task looks ten times a second, cheaply, and at once when woken; a batch is computed anew
    only when its probe or its slip has news, or the clock has moved on by `refresh_seconds`.
    """

    def __init__(self, settings: Settings) -> None:
        self._settings = settings
        self._ears: dict[str, set[asyncio.Queue[str]]] = defaultdict(set)
        self._states: dict[str, tuple[Any, ...]] = {}
        self._task: asyncio.Task[None] | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._awake = asyncio.Event()
        self._keeper: Connection | None = None
        self._ended = False
        self._ringing: tuple[tuple[int, ...], list[dict[str, Any]]] = ((), [])

    async def start(self) -> None:
        """Begin to look, unless live pages are off."""
        if self._settings.refresh_seconds > 0:
            # Held open and never used: when the last connection closes, the whole log is written
            # back, and with a connection for each request that would be all the time.
            self._keeper = connect(self._settings.database)
            self._keeper.execute("SELECT max(rowid) FROM entry").fetchone()
            self._loop = asyncio.get_running_loop()
            self._task = asyncio.create_task(self._run())

    def wake(self) -> None:
        """Look at once, not at the next turn; from any thread."""
        if self._loop:
            self._loop.call_soon_threadsafe(self._awake.set)

    async def stop(self) -> None:
        """Stop looking, and let every page go."""
        self._loop = None
        if self._task:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task
            self._task = None
        if self._keeper:
            self._keeper.close()
            self._keeper = None
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
        loop = asyncio.get_running_loop()

        def tell(code: str, news: str) -> None:
            loop.call_soon_threadsafe(self._tell, code, news)

        while True:
            self._awake.clear()
            try:
                await run_in_threadpool(self._look_once, tell)
            except Exception:  # the next look may fare better; pages must not go deaf
                LOG.exception("a look at the record failed")
            with suppress(TimeoutError):
                await asyncio.wait_for(self._awake.wait(), LOOK_SECONDS)

    def _tell(self, code: str, news: str) -> None:
        for ear in list(self._ears[code]):
            if not ear.full():
                ear.put_nowait(news)

    def _look_once(self, tell: Callable[[str, str], None]) -> None:
        """One look. The connection is opened and closed by the thread that uses it: a task that
        is cancelled must never close it under a thread that is still reading."""
        with opened(self._settings.database) as db:
            self._look(db, tell)

    def _look(self, db: Connection, tell: Callable[[str, str], None]) -> None:
        """Tell what changed since the last look, for each channel that somebody listens to, and
        look after each batch on the fire: its alarms ring whether or not a page is open."""
        now = self._settings.clock()
        tick = int(now.timestamp() / max(self._settings.refresh_seconds, 0.2))
        common = (slip_state(db), len(alarm_store.ringing(db)))
        standing = {i.vessel_id: i.id for i in instruments(db, "thermometer") if i.vessel_id}
        on_fire = record.batches_at(db, ("take_in",), "draw")
        others = {c for c, ears in self._ears.items() if c and ears} - {b.code for b in on_fire}
        for batch in [*on_fire, *(b for c in others if (b := record.batch_by(db, code=c)))]:
            watched = bool(self._ears[batch.code])
            probe = standing.get(batch.vessel_id)
            sample = samples_store.latest_sample(db, probe, now) if probe else None
            # A probe that speaks is the clock of its page; without one the minutes still pass.
            speaks = sample is not None and now - sample.at < SPEAKS
            every = tick // 5 if speaks or not watched else tick
            state = (*common, sample.at if sample else None, every)
            if self._states.get(batch.code) == state:
                continue
            self._states[batch.code] = state
            with suppress(OutOfRange):
                board = pan.board_of(contexts.of(db, batch, now))
                alarms.watch(db, board)
                if watched:
                    news = news_of(board, self._rings(db, now))
                    tell(batch.code, json.dumps(news, ensure_ascii=False))
        if self._ears[ALL] and self._states.get(ALL) != (*common, tick // 5):
            self._states[ALL] = (*common, tick // 5)
            tell(ALL, json.dumps({"alarms": self._rings(db, now)}, ensure_ascii=False))

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
        batch = record.batch_by(db, id=alarm.batch_id)
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

"""News for the pages that are open: one look at the record serves them all."""

import asyncio
import logging
from collections import defaultdict
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime, timedelta
from sqlite3 import Connection
from typing import Any

from starlette.concurrency import run_in_threadpool

from lumbrel.core.errors import OutOfRange
from lumbrel.services.base import batch as contexts
from lumbrel.services.candy import alarms as candy_alarms
from lumbrel.services.candy.pot import pot_of
from lumbrel.services.candy.station import LONG_AGO
from lumbrel.services.pan import alarms
from lumbrel.services.pan.board import board_now
from lumbrel.services.sap import alarms as sap_alarms
from lumbrel.services.stations import waiting
from lumbrel.store import alarms as alarm_store
from lumbrel.store import record
from lumbrel.store import samples as samples_store
from lumbrel.store.alarms import Alarm
from lumbrel.store.book import written_so_far
from lumbrel.store.db import connect
from lumbrel.store.instruments import ThermometerDetail, instruments_of
from lumbrel.store.kitchen import load_kitchen
from lumbrel.store.links import Links
from lumbrel.store.record import Batch
from lumbrel.web.shell.news import NOTHING_MORE, News, answered_news, cook_news, news_of, ring_news
from lumbrel.web.shell.settings import Settings
from lumbrel.web.shell.unrecorded import Unrecorded
from lumbrel.words import CANADA, language_of, speaking

LOG = logging.getLogger("lumbrel.live")
LOOK_SECONDS = 0.1
SPEAKS = timedelta(seconds=3)
LEAST_TICK_SECONDS = 0.2
LONGEST_LOOK_SECONDS = 5.0
SLOWER = 5
"""A page whose probe speaks, or that nobody looks at, is computed so many times less often."""
ANSWERED_FOR = timedelta(seconds=20)
"""Whoever was away for a moment still hears who answered."""
STANDSTILL_SECONDS = 5.0
"""Without any news a page hears this often that it still shows the truth."""
ALL = ""
"""The channel of pages that show no pan: they hear alarms only."""


class Hub:
    """Looks at the record and tells every open page what changed.

    One task asks ten times a second whether anything was written at all, which costs next to
    nothing, and at once when woken. Only then, or when the clock has moved on, does it look; a batch
    is computed anew only when its probe or its slip has news, or the clock has moved on by
    `refresh_seconds`.
    """

    def __init__(self, settings: Settings, links: Links) -> None:
        self._settings, self._links = settings, links
        self._listeners: dict[str, set[asyncio.Queue[News]]] = defaultdict(set)
        self._states: dict[str, tuple[Any, ...]] = {}
        self._task: asyncio.Task[None] | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._awake = asyncio.Event()
        self._keeper: Connection | None = None
        self._ended = False
        self._asked = False
        """Somebody new listens, and wants to hear how it stands."""
        self._looked = (-1, 0.0)
        """What was written by the last look, and when that was."""
        self.unrecorded = Unrecorded()
        self._ringing: tuple[tuple[int, ...], list[dict[str, Any]]] = ((), [])
        self._answered: list[tuple[datetime, dict[str, Any]]] = []
        """What rang and was answered a moment ago, so that every screen can say by whom."""

    async def start(self) -> None:
        """Begin to look, unless live pages are off."""
        if self._settings.refresh_seconds > 0:
            # Held open and never used: when the last connection closes, the whole log is written
            # back, and with a connection for each request that would be all the time.
            # It also tells whether anybody wrote.
            self._keeper = connect(self._settings.database)
            self._keeper.execute("SELECT max(seq) FROM line").fetchone()
            self._looked = (-1, 0.0)
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
            # The look under way is in a thread, which no cancelling reaches: it ends by itself.
            self._ended = True
            self._awake.set()
            done, _ = await asyncio.wait({self._task}, timeout=LONGEST_LOOK_SECONDS)
            if not done:
                self._task.cancel()
            self._task = None
        if self._keeper:
            self._keeper.close()
            self._keeper = None
        self._ended = True
        for queues in self._listeners.values():
            for queue in queues:
                if not queue.full():
                    queue.put_nowait(NOTHING_MORE)

    def listen(self, code: str) -> asyncio.Queue[News]:
        """A queue that hears a batch's news from now on, its last news first."""
        queue: asyncio.Queue[News] = asyncio.Queue(maxsize=100)
        self._listeners[code].add(queue)
        self._states.pop(code, None)
        self._asked = True
        if self._ended:
            queue.put_nowait(NOTHING_MORE)
        return queue

    def leave(self, code: str, queue: asyncio.Queue[News]) -> None:
        """Hear no more."""
        self._listeners[code].discard(queue)

    async def _run(self) -> None:
        loop = asyncio.get_running_loop()

        def tell(code: str, news: News) -> None:
            loop.call_soon_threadsafe(self._tell, code, news)

        while not self._ended:
            self._awake.clear()
            try:
                if self._something_is_new(loop.time()):
                    await run_in_threadpool(self._look_once, tell)
            except Exception:  # the next look may fare better; pages must not go deaf
                LOG.exception("a look at the record failed")
            with suppress(TimeoutError):
                await asyncio.wait_for(self._awake.wait(), LOOK_SECONDS)

    def _something_is_new(self, second: float) -> bool:
        """Whether anybody wrote since the last look, or it is so long ago that the minutes that
        pass are news themselves."""
        assert self._keeper is not None
        written = self._keeper.execute("PRAGMA data_version").fetchone()[0]
        last_written, last_second = self._looked
        every = max(self._settings.refresh_seconds, LEAST_TICK_SECONDS)
        if not any(self._listeners.values()):
            every *= SLOWER
        if written == last_written and not self._asked and second - last_second < every:
            return False
        self._asked = False
        self._looked = (written, second)
        return True

    def _tell(self, code: str, news: News) -> None:
        for queue in list(self._listeners[code]):
            if not queue.full():
                queue.put_nowait(news)

    def _look_once(self, tell: Callable[[str, News], None]) -> None:
        """One look. The connection is lent to the thread that uses it: a task that
        is cancelled must never close it under a thread that is still reading."""
        # In the kitchen's language: what its pages need next is then at hand in it.
        with self._links.lent() as db, speaking(language_of(load_kitchen(db).language) or CANADA):
            self._look(db, tell)

    def _look(self, db: Connection, tell: Callable[[str, News], None]) -> None:
        """Tell what changed since the last look, for each channel that somebody listens to, and
        look after each batch on the fire: its alarms ring whether or not a page is open."""
        now = self._settings.clock()
        tick = int(now.timestamp() / max(self._settings.refresh_seconds, LEAST_TICK_SECONDS))
        common = (written_so_far(db), len(self.all_ringing(db)))
        probes = instruments_of(db, ThermometerDetail)
        in_vessel = {i.vessel_id: i.id for i in probes if i.vessel_id}
        for batch in self._looked_after(db):
            probe = in_vessel.get(batch.vessel_id)
            sample = samples_store.latest_sample(db, probe, now) if probe else None
            # A probe that speaks is the clock of its page; without one the minutes still pass.
            speaks = sample is not None and now - sample.at < SPEAKS
            watched = bool(self._listeners[batch.code])
            every = tick // SLOWER if speaks or not watched else tick
            if self._changed(batch.code, (*common, sample.at if sample else None, every)):
                self._tell_of(db, batch, now, tell if watched else None)
        if self._listeners[ALL] and self._changed(ALL, (*common, tick // SLOWER)):
            tell(ALL, self._said(db, now))

    def _looked_after(self, db: Connection) -> list[Batch]:
        """What is on the fire, and what else somebody looks at."""
        waits = waiting(db)
        on_fire = [*waits["pan"], *(b for b in waits["candy"] if self._is_on(b))]
        known = {b.code for b in on_fire}
        others = [c for c, queues in self._listeners.items() if c and queues and c not in known]
        found = (record.batch_by(db, code=code) for code in others)
        return [*on_fire, *(batch for batch in found if batch)]

    def _is_on(self, cook: Batch) -> bool:
        """Whether a cook is still at it; one that nobody finished by the next day rings no more."""
        return self._settings.clock() - cook.opened_at < LONG_AGO

    def _changed(self, channel: str, state: tuple[Any, ...]) -> bool:
        """Whether a channel's state is another than at the last look."""
        if self._states.get(channel) == state:
            return False
        self._states[channel] = state
        return True

    def _tell_of(
        self, db: Connection, batch: Batch, now: datetime, tell: Callable[[str, News], None] | None
    ) -> None:
        """Ring a batch's alarms, and tell whoever watches it how it stands."""
        with suppress(OutOfRange):
            context = contexts.of(db, batch, now)
            if context.is_cook:
                pot = pot_of(context)
                self._call(batch, lambda: candy_alarms.watch(db, pot))
                if tell:
                    tell(batch.code, self._said(db, now, cook_news(pot)))
                return
            board = board_now(context)
            self._call(batch, lambda: alarms.watch(db, board), lambda: sap_alarms.watch(db, context))
            if tell:
                tell(batch.code, self._said(db, now, news_of(board)))

    def _call(self, batch: Batch, *watches: Callable[[], object]) -> None:
        """Raise what is due; where the record does not take it, it rings all the same."""
        unwritten: list[Alarm] = []
        for watch in watches:
            try:
                watch()
            except alarms.Unwritten as error:
                unwritten += error.alarms
                LOG.warning("alarms ring, but could not be written: %s", error.__cause__)
        if unwritten:
            self.unrecorded.keep(unwritten)
        else:
            self.unrecorded.written(batch.id)

    def all_ringing(self, db: Connection) -> list[Alarm]:
        """What rings, also where the record did not take it."""
        return self.unrecorded.ringing(alarm_store.ringing(db))

    def _said(self, db: Connection, now: datetime, news: dict[str, Any] | None = None) -> News:
        """News as it is sent: with what rings, and what was answered a moment ago."""
        rings = self._rings(db, now)
        self._answered = [(at, one) for at, one in self._answered if now - at < ANSWERED_FOR]
        lately = {"answered": [one for _, one in self._answered]} if self._answered else {}
        return News({**(news or {}), "alarms": rings, **lately})

    def _rings(self, db: Connection, now: datetime) -> list[dict[str, Any]]:
        """What rings, put into words once for as long as it is the same."""
        ringing = self.all_ringing(db)
        ids = tuple(alarm.id for alarm in ringing)
        if ids != self._ringing[0]:
            rang = self._ringing[1]
            self._ringing = (ids, ring_news(db, ringing, now))
            self._answered += [(now, answered_news(db, one)) for one in rang if one["id"] not in ids]
        return self._ringing[1]

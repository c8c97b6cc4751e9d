"""Tells the house how it stands while it is served, and notes what thermometers outdoors and in tanks measured; whoever
does not listen keeps nobody waiting."""

import logging
import threading
import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from datetime import datetime, timedelta
from pathlib import Path
from sqlite3 import Connection

from lumbrel.devices import webhook
from lumbrel.devices.broker import Broker
from lumbrel.services.kitchen import told
from lumbrel.services.probes.outside import broker_of
from lumbrel.services.sap import measured
from lumbrel.store import secrets, sources
from lumbrel.store.alarms import Alarm
from lumbrel.store.kitchen import load_kitchen
from lumbrel.words import CANADA, language_of, speaking

LOG = logging.getLogger("lumbrel.told")
WEBHOOK = "webhook"
TICK_S, STATES_S, NOTES_S = 1.0, 5.0, 600.0
TRIED_AGAIN_S = (5.0, 30.0, 120.0, 600.0, 1800.0)
TOO_OLD = timedelta(hours=6)
"""An alarm of so long ago is told to nobody any more."""
MOST_WAITING = 100


class Messenger(threading.Thread):
    """Tells one address, one message after another, as often as it takes.

    Args:
        secret: that it is signed with.
    """

    def __init__(self, address: str, secret: str, in_the_house: bool) -> None:
        super().__init__(name="webhook", daemon=True)
        self.address, self.secret, self.in_the_house = address, secret, in_the_house
        self.why = ""
        self._waiting: list[tuple[str, float, dict[str, object]]] = []
        """Key, since when, message."""
        self._news = threading.Condition()
        self._stopped = False

    def put(self, key: str, message: dict[str, object]) -> None:
        """One more to be told; where far too many wait the oldest goes."""
        with self._news:
            self._waiting.append((key, time.monotonic(), message))
            del self._waiting[:-MOST_WAITING]
            self._news.notify()

    def stop(self) -> None:
        """End it; what it waits for ends by itself."""
        with self._news:
            self._stopped = True
            self._news.notify()

    def run(self) -> None:
        """Until stopped."""
        tries = 0
        while True:
            with self._news:
                self._news.wait_for(lambda: self._waiting or self._stopped)
                if self._stopped:
                    return
                key, _since, message = self._waiting[0]
            try:
                webhook.tell(
                    self.address,
                    self.secret,
                    message,
                    key=key,
                    second=int(time.time()),
                    in_the_house=self.in_the_house,
                )
                self.why, tries = "", 0
            except OSError as error:
                self.why = error.args[0] if error.args else str(error)
                LOG.warning("%s was not told: %s", self.address, self.why)
                with self._news:
                    self._news.wait_for(lambda: self._stopped, TRIED_AGAIN_S[min(tries, 4)])
                tries, key = tries + 1, ""
            since = time.monotonic() - TOO_OLD.total_seconds()
            with self._news:
                self._waiting = [one for one in self._waiting if one[0] != key and one[1] > since]


class Herald(threading.Thread):
    """Looks each second at what rings, and now and then at how all stands.

    Args:
        record: lends the record for one look.
        path: where it lies, with its secrets beside it.
        clock: the kitchen's time.
        ringing: what rings, also where the record did not take it.
        broker: that is spoken with now.
    """

    def __init__(
        self,
        record: Callable[[], AbstractContextManager[Connection]],
        path: Path,
        clock: Callable[[], datetime],
        ringing: Callable[[Connection], list[Alarm]],
        broker: Callable[[], Broker | None],
    ) -> None:
        super().__init__(name="herald", daemon=True)
        self._record, self._path, self._clock = record, path, clock
        self._ringing, self._broker = ringing, broker
        self._stopped = threading.Event()
        self.messengers: dict[str, Messenger] = {}
        self._rang: dict[str, Alarm] = {}
        self._held: dict[str, str] = {}
        """What was said last at each topic."""
        self._came = (0, 0)
        self._states_at, self._noted_at = -STATES_S, -NOTES_S

    def stop(self) -> None:
        """End it, and all that it tells."""
        self._stopped.set()
        if self.is_alive():
            self.join(timeout=5)
        for one in self.messengers.values():
            one.stop()

    def run(self) -> None:
        """Until stopped."""
        while not self._stopped.wait(TICK_S):
            try:
                with self._record() as db, speaking(language_of(load_kitchen(db).language) or CANADA):
                    self.look(db)
            except Exception:  # the next look may fare better; the house must not go deaf
                LOG.exception("the house could not be told")

    def look(self, db: Connection) -> None:
        """Tell what is new."""
        if time.monotonic() - self._noted_at >= NOTES_S:
            self._noted_at = time.monotonic()
            measured.note(db, self._clock())
        ringing = self._ringing(db)
        self._tell_addresses(db, ringing)
        self._tell_broker(db, ringing)

    def _tell_addresses(self, db: Connection, ringing: list[Alarm]) -> None:
        named = {one.address: one for one in sources.outside(db, WEBHOOK)}
        secret = secrets.secret(self._path, WEBHOOK) if named else ""
        for address in [a for a in self.messengers if a not in named or self._is_other(named[a].detail, a)]:
            self.messengers.pop(address).stop()
        for address, one in named.items():
            if address not in self.messengers:
                messenger = Messenger(address, secret, bool(one.detail.get("in_the_house")))
                self.messengers[address] = messenger
                messenger.start()
        now = {_key(alarm): alarm for alarm in ringing}
        for key, alarm in now.items():
            if key not in self._rang and self._clock() - alarm.raised_at < TOO_OLD:
                self._put(db, key, alarm, "alarm.raised")
        for key, alarm in self._rang.items():
            if key not in now:
                self._put(db, f"{key}.answered", alarm, "alarm.answered")
        self._rang = now

    def _is_other(self, detail: dict[str, object], address: str) -> bool:
        return bool(detail.get("in_the_house")) != self.messengers[address].in_the_house

    def _put(self, db: Connection, key: str, alarm: Alarm, event: str) -> None:
        if self.messengers:
            message = told.event_of(db, alarm, event)
            for one in self.messengers.values():
                one.put(key, message)

    def _tell_broker(self, db: Connection, ringing: list[Alarm]) -> None:
        broker, known = self._broker(), broker_of(db)
        if broker is None or known is None or broker.why or not known.detail["tells"]:
            return
        if self._came != (id(broker), broker.came):
            self._held.clear()
            self._came, self._states_at = (id(broker), broker.came), -STATES_S
            broker.tell(told.ONLINE, told.HERE)
        said = told.rings(db, ringing)
        if time.monotonic() - self._states_at >= STATES_S:
            self._states_at = time.monotonic()
            said += told.states(db, self._clock())
            if prefix := known.detail["discovery"]:
                said += told.discovery(db, prefix)
        for one in said:
            if self._held.get(one.topic) != one.said and broker.tell(one.topic, one.said):
                self._held[one.topic] = one.said


def _key(alarm: Alarm) -> str:
    return f"{alarm.batch_id}.{alarm.kind}.{int(alarm.raised_at.timestamp() * 1000)}"

"""What is plugged into this machine, listened to while it is served: into the record where it is used as an instrument,
for a look at it where it is not yet."""

import threading
import time
from collections import deque
from collections.abc import Callable
from contextlib import AbstractContextManager, ExitStack
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.devices.lines import ProbeSample
from lumbrel.devices.wires import heard
from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.probes import intake
from lumbrel.services.probes.follow import follow, keep
from lumbrel.store import sources
from lumbrel.store.db import transaction
from lumbrel.store.instruments import Instrument, ThermometerDetail, instruments_of
from lumbrel.store.sources import Plug, Unit
from lumbrel.words import _

TICK_S, LOOKED_AT_S = 1.0, 20.0
"""What nobody looks at any more, and is no instrument, is let go after so long."""
AGAIN_S, SILENT_S = 2.0, 10.0
RISES_K, RISES_IN_S = 0.5, 12.0
A_ROOM_C = 45.0
"""A thermometer that lies about is not warmer: beyond that a line without a unit may be Fahrenheit."""
Where = tuple[str, str]
"""The wire, and the address on it."""


class Ear(threading.Thread):
    """One source, in a thread of its own.

    Args:
        where: what it listens to.
        record: opens the record.
        clock: the kitchen's time.
    """

    def __init__(
        self,
        where: Where,
        record: Callable[[], AbstractContextManager[Connection]],
        clock: Callable[[], datetime],
    ) -> None:
        super().__init__(name=f"ear {where[1]}", daemon=True)
        self.where = where
        self.plug: Plug | None = None
        self._record, self._clock = record, clock
        self.stopped = threading.Event()
        self.heard: deque[tuple[float, ProbeSample]] = deque(maxlen=600)
        self.why, self.unreadable = "", 0
        self._last = clock()
        self._links = ExitStack()
        self._db: Connection | None = None

    def run(self) -> None:
        """Until stopped."""
        with self._links:
            source = heard()[self.where[0]].at(self.where[1], self.stopped)
            follow(source, self._take, self.stopped, self._broke, AGAIN_S)

    def _take(self, sample: ProbeSample | None) -> None:
        plug = self.plug
        if sample is None:
            self.unreadable += 1
        else:
            if plug and plug.unit == "F" and not sample.has_unit:
                sample = replace(sample, celsius=(sample.celsius - 32) / 1.8)
            self.heard.append((time.monotonic(), sample))
            self.why = ""
        if plug:
            if self._db is None:
                self._db = self._links.enter_context(self._record())
            keep(self._db, plug.instrument_id, sample, self._moment)

    def _moment(self) -> datetime:
        """Now; two lines are never of one moment."""
        self._last = max(self._clock(), self._last + timedelta(milliseconds=1))
        return self._last

    def _broke(self, why: str) -> None:
        self.why = why

    def stop(self) -> None:
        """End it, and wait for it."""
        self.stopped.set()
        if self.is_alive():
            self.join(timeout=5)


@dataclass(frozen=True, kw_only=True)
class SourceSeen:
    """A source as its row shows it.

    Attributes:
        celsius: what it showed last, while that is fresh.
        rises: whether it rose lately, as it does in a hand.
        has_unit: whether its lines name their unit.
        said: what is wrong with it; empty while it speaks.
    """

    where: Where
    name: str
    used_as: str
    unit: Unit
    celsius: float | None
    rises: bool
    has_unit: bool
    said: str

    @property
    def doubtful(self) -> bool:
        """Whether its unit must be said: it is warmer than what lies about."""
        return not self.has_unit and (self.celsius is None or self.celsius > A_ROOM_C)


class Ears:
    """All sources of a record that is served.

    Args:
        record: opens it, for a thread of its own.
        clock: the kitchen's time.
    """

    def __init__(
        self, record: Callable[[], AbstractContextManager[Connection]], clock: Callable[[], datetime]
    ) -> None:
        self._record, self._clock = record, clock
        self._ears: dict[Where, Ear] = {}
        self._names: dict[Where, str] = {}
        self._looked_at = -LOOKED_AT_S
        self._lock = threading.Lock()
        self._stopped = threading.Event()
        self._thread = threading.Thread(target=self._run, name="ears", daemon=True)

    def start(self) -> None:
        """Listen to what is used; other things once somebody looks."""
        with self._record() as db:
            for plug in sources.plugs(db):
                self._hear((plug.wire, plug.address), plug)
        self._thread.start()

    def stop(self) -> None:
        """End all of them."""
        self._stopped.set()
        if self._thread.is_alive():
            self._thread.join(timeout=5)
        with self._lock:
            ears, self._ears = list(self._ears.values()), {}
        for ear in ears:
            ear.stopped.set()
        for ear in ears:
            ear.stop()

    def _run(self) -> None:
        while not self._stopped.wait(TICK_S):
            if time.monotonic() - self._looked_at > LOOKED_AT_S:
                self._let_go(lambda ear: ear.plug is None)
            # What no one foresaw ends one ear, and not for good.
            for ear in self._let_go(lambda ear: not ear.is_alive()):
                self._hear(ear.where, ear.plug)

    def _hear(self, where: Where, plug: Plug | None = None) -> None:
        with self._lock:
            ear = self._ears.get(where)
            if ear is None and not self._stopped.is_set():
                ear = self._ears[where] = Ear(where, self._record, self._clock)
                ear.plug = plug
                ear.start()
            elif ear is not None and plug is not None:
                ear.plug = plug

    def _let_go(self, which: Callable[[Ear], bool]) -> list[Ear]:
        with self._lock:
            gone = [ear for ear in self._ears.values() if which(ear)]
            for ear in gone:
                del self._ears[ear.where]
        for ear in gone:
            ear.stop()
        return gone

    def look(self, db: Connection) -> list[SourceSeen]:
        """All that is plugged in or used, as it stands; what was just plugged in is listened to from here on."""
        self._looked_at = time.monotonic()
        there = {(wire, one.address): one.name for wire, way in heard().items() for one in way.nearby()}
        self._names |= there
        used = {(plug.wire, plug.address) for plug in sources.plugs(db)}
        self._let_go(lambda ear: ear.where not in there and ear.where not in used)
        for where in there:
            self._hear(where)
        names = {one.id: one.name for one in instruments_of(db, ThermometerDetail)}
        with self._lock:
            ears = list(self._ears.values())
        return [self._seen(ear, names) for ear in sorted(ears, key=lambda ear: (ear.plug is None, ear.where))]

    def _seen(self, ear: Ear, names: dict[str, str]) -> SourceSeen:
        now, plug, readings = time.monotonic(), ear.plug, list(ear.heard)
        fresh = [sample.celsius for at, sample in readings if now - at <= RISES_IN_S]
        last = readings[-1][1] if readings and now - readings[-1][0] <= SILENT_S else None
        noise = ear.why or (_("It sends, but nothing that is a temperature.") if ear.unreadable else "")
        return SourceSeen(
            where=ear.where,
            name=plug.name if plug else self._names.get(ear.where, ear.where[1]),
            used_as=names.get(plug.instrument_id, "") if plug else "",
            unit=plug.unit if plug else "C",
            celsius=last.celsius if last else None,
            rises=bool(fresh) and fresh[-1] - min(fresh) >= RISES_K,
            has_unit=last.has_unit if last else True,
            said="" if last else noise or _("It says nothing yet."),
        )

    def use(self, db: Connection, form: Form, now: datetime) -> Instrument[ThermometerDetail]:
        """Use a source as a thermometer.

        Raises:
            BadInput: its unit must be chosen.
            NotFound: no such source, or no such thermometer.
        """
        where = (form.text("wire"), form.text("address"))
        seen = next((one for one in self.look(db) if one.where == where), None)
        if seen is None:
            raise NotFound(_("That is not plugged in any more."))
        intake.require_thermometer(db, form.text("instrument"))
        unit: Unit = "F" if form.text("unit") == "F" else "C"
        if seen.doubtful and form.text("unit") not in ("C", "F"):
            raise BadInput({"unit": _("Its lines name no unit. Choose °C or °F.")})
        plug = Plug(
            wire=where[0],
            address=where[1],
            name=seen.name,
            unit=unit,
            instrument_id=form.text("instrument"),
            since=now,
        )
        with transaction(db):
            sources.plug_in(db, plug)
        with self._lock:
            for ear in self._ears.values():
                if ear.plug and ear.plug.instrument_id == plug.instrument_id:
                    ear.plug = None
        self._hear(where, plug)
        return next(one for one in instruments_of(db, ThermometerDetail) if one.id == plug.instrument_id)

    def leave(self, db: Connection, form: Form) -> None:
        """Use a source no more; it is looked at still."""
        where = (form.text("wire"), form.text("address"))
        with transaction(db):
            sources.unplug(db, *where)
        with self._lock:
            if where in self._ears:
                self._ears[where].plug = None

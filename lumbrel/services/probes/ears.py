"""What is plugged into this machine or speaks to it, listened to while it is served: into the record where it is used
as an instrument, for a look at it where it is not yet."""

import threading
import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from datetime import datetime
from sqlite3 import Connection

from lumbrel.devices.broker import Broker, BrokerAt
from lumbrel.devices.measured import MASS
from lumbrel.devices.wires import Listened, heard
from lumbrel.services.base.form import Form, NotFound
from lumbrel.services.probes import uses
from lumbrel.services.probes.ear import Ear, SourceSeen, Used, Where
from lumbrel.services.probes.intake import MEASURES
from lumbrel.store import sources
from lumbrel.store.db import transaction
from lumbrel.store.instruments import Detail, Instrument, ThermometerDetail, instruments
from lumbrel.store.sources import Plug
from lumbrel.words import _

TICK_S, LOOKED_AT_S = 1.0, 20.0
"""What nobody looks at any more, and is no instrument, is let go after so long."""
WEIGHED_OVER_S = 2.5
KEPT_EVERY_S = {"thermometer": 30.0, "barometer": 60.0, "scale": 5.0}
"""So often a sample is kept of what is not at the pan; of a thermometer there each is."""
MQTT = "mqtt"


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
        self.broker: Broker | None = None

    def start(self) -> None:
        """Listen to what is used; other things once somebody looks."""
        with self._record() as db:
            self._listen(db)
        self._thread.start()

    def speak_with(self, at: BrokerAt | None, will: tuple[str, str] | None = None) -> None:
        """Speak with another broker, or with none."""
        old, self.broker = self.broker, Broker(at, will) if at else None
        if self.broker:
            self.broker.start()
        if old:
            old.stop()
        self._let_go(lambda ear: ear.where[0] == MQTT)
        if self.broker:
            with self._record() as db:
                self._listen(db)

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
        if self.broker:
            self.broker.stop()

    def _run(self) -> None:
        while not self._stopped.wait(TICK_S):
            if time.monotonic() - self._looked_at > LOOKED_AT_S:
                self._let_go(lambda ear: not ear.used)
            # What no one foresaw ends one ear, and not for good.
            for ear in self._let_go(lambda ear: not ear.is_alive()):
                self._hear(ear.where, ear.used)

    def _ways(self) -> dict[str, Listened]:
        return heard() | ({MQTT: self.broker.listened} if self.broker else {})

    def _listen(self, db: Connection) -> None:
        """Listen to all that is used, each as it is used now."""
        kept = {one.id: _kept_every_s(one) for one in instruments(db)}
        used: dict[Where, dict[str, Used]] = {}
        for plug in sources.plugs(db):
            one = Used(plug, kept.get(plug.instrument_id, 0.0))
            used.setdefault((plug.wire, plug.address), {})[plug.quantity] = one
        with self._lock:
            for ear in self._ears.values():
                ear.used = used.get(ear.where, {})
        for where, each in used.items():
            self._hear(where, each)

    def _hear(self, where: Where, used: dict[str, Used] | None = None) -> None:
        way = self._ways().get(where[0])
        with self._lock:
            if way is None or where in self._ears or self._stopped.is_set():
                return
            ear = self._ears[where] = Ear(where, way, self._record, self._clock)
            ear.used = used or {}
            ear.start()

    def _let_go(self, which: Callable[[Ear], bool]) -> list[Ear]:
        with self._lock:
            gone = [ear for ear in self._ears.values() if which(ear)]
            for ear in gone:
                del self._ears[ear.where]
        for ear in gone:
            ear.stop()
        return gone

    def look(self, db: Connection) -> list[SourceSeen]:
        """All that is plugged in, used, or heard of the broker, as it stands; what was just plugged in is listened to
        from here on."""
        self._looked_at = time.monotonic()
        there: dict[Where, str] = {}
        for wire, way in self._ways().items():
            named = [one.address for one in sources.outside(db, wire)]
            there |= {(wire, one.address): one.name for one in way.nearby(named)}
        self._names |= there
        used = {(plug.wire, plug.address) for plug in sources.plugs(db)}
        self._let_go(lambda ear: ear.where not in there and ear.where not in used)
        for where in there:
            if where[0] != MQTT:
                self._hear(where)
        names = {one.id: one.name for one in instruments(db)}
        with self._lock:
            ears = list(self._ears.values())
        seen = [
            row
            for ear in sorted(ears, key=lambda ear: ear.where)
            for row in ear.rows(self._names.get(ear.where, ear.where[1]), names)
        ]
        return sorted(seen, key=lambda row: not row.used_as) + self._of_the_broker(used)

    def _of_the_broker(self, used: set[Where]) -> list[SourceSeen]:
        """What is heard of the broker and used as nothing yet."""
        rows = []
        for address, sample in self.broker.topics() if self.broker else ():
            value = sample.values[0]
            if (MQTT, address) not in used:
                rows.append(
                    SourceSeen(
                        where=(MQTT, address),
                        quantity=value.quantity,
                        name=self._names.get((MQTT, address), address),
                        used_as="",
                        value=value,
                        inside=value.inside() if value.unit else None,
                    )
                )
        return rows

    def weight_kg(self, instrument_id: str) -> float | None:
        """What a scale shows, kg, over a moment; None while it says nothing."""
        with self._lock:
            ears = [ear for ear in self._ears.values() if MASS in ear.used]
        for ear in ears:
            plug, since = ear.used[MASS].plug, time.monotonic() - WEIGHED_OVER_S
            told = [sample.of(MASS, plug.unit) for at, sample in list(ear.heard) if at >= since]
            known = [kg for kg in told if kg is not None]
            if plug.instrument_id == instrument_id and known:
                return sum(known) / len(known)
        return None

    def use(self, db: Connection, form: Form, now: datetime) -> Instrument[Detail]:
        """Use a source as an instrument.

        Raises:
            BadInput: its unit must be chosen, or it measures something else.
            NotFound: no such source, or no such use.
        """
        where = (form.text("wire"), form.text("address"))
        of_it = [one for one in self.look(db) if one.where == where]
        seen = next((one for one in of_it if one.quantity == form.text("quantity")), None)
        seen = seen or next(iter(of_it), None)
        if seen is None:
            raise NotFound(_("That is not plugged in any more."))
        with transaction(db):
            one = uses.instrument_of(db, form.text("instrument"), now)
            quantity = MEASURES[one.kind]
            plug = Plug(
                wire=where[0],
                address=where[1],
                quantity=quantity,
                name=seen.name,
                unit=uses.unit_for(quantity, seen.value, form.text("unit")),
                instrument_id=one.id,
                since=now,
            )
            sources.plug_in(db, plug)
        self._listen(db)
        return one

    def leave(self, db: Connection, form: Form) -> None:
        """Use a source no more; it is looked at still."""
        with transaction(db):
            sources.unplug(db, form.text("wire"), form.text("address"), form.text("quantity"))
        self._listen(db)


def _kept_every_s(one: Instrument[Detail]) -> float:
    at_the_pan = isinstance(one.detail, ThermometerDetail) and not (one.detail.outdoors or one.detail.tank_id)
    return 0.0 if at_the_pan else KEPT_EVERY_S.get(one.kind, 0.0)

"""One source that is listened to, and how it looks."""

import threading
import time
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, ExitStack
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import isfinite
from sqlite3 import Connection

from lumbrel.devices.lines import ProbeSample
from lumbrel.devices.measured import TEMPERATURE, Value
from lumbrel.devices.wires import Listened
from lumbrel.services.base.form import NotFound
from lumbrel.services.probes import uses
from lumbrel.services.probes.follow import follow, keep
from lumbrel.store.sources import Plug
from lumbrel.words import _

AGAIN_S = 2.0
RISES_K, RISES_IN_S = 0.5, 12.0
Where = tuple[str, str]
"""The wire, and the address on it."""


@dataclass(frozen=True, kw_only=True)
class SourceSeen:
    """What a source tells of one thing, as its row shows it.

    Attributes:
        value: what it showed last, while that is fresh.
        inside: the same in degC, Pa or kg, where its unit is known.
        rises: whether it rose lately, as it does in a hand.
        said: what is wrong with it; empty while it speaks.
    """

    where: Where
    quantity: str
    name: str
    used_as: str
    value: Value | None
    inside: float | None
    rises: bool = False
    steady: bool = True
    said: str = ""

    @property
    def doubtful(self) -> bool:
        """Whether its unit must be said: it is warmer than what lies about."""
        return not self.used_as and uses.doubtful(self.value)


@dataclass
class Used:
    """A source in use, how often it is kept, and when it was kept last."""

    plug: Plug
    every_s: float
    kept_at: float = -1e9


class Ear(threading.Thread):
    """One source, in a thread of its own.

    Args:
        where: what it listens to.
        way: how its wire is listened to.
        record: opens the record.
        clock: the kitchen's time.
    """

    def __init__(
        self,
        where: Where,
        way: Listened,
        record: Callable[[], AbstractContextManager[Connection]],
        clock: Callable[[], datetime],
    ) -> None:
        super().__init__(name=f"ear {where[1]}", daemon=True)
        self.where, self.way = where, way
        self.used: dict[str, Used] = {}
        """By what it measures."""
        self._record, self._clock = record, clock
        self.stopped = threading.Event()
        self.heard: deque[tuple[float, ProbeSample]] = deque(maxlen=600)
        self.why, self.noise = "", False
        self._last = clock()
        self._links = ExitStack()
        self._db: Connection | None = None

    def run(self) -> None:
        """Until stopped."""
        with self._links:
            follow(self.way.at(self.where[1], self.stopped), self._take, self.stopped, self._broke, AGAIN_S)

    def _take(self, sample: ProbeSample | None) -> None:
        now = time.monotonic()
        self.noise = sample is None
        if sample is not None and all(isfinite(one.number) for one in sample.values):
            self.heard.append((now, sample))
            self.why = ""
        for quantity, used in list(self.used.items()):
            value = sample.of(quantity, used.plug.unit) if sample else None
            if (sample and value is None) or now - used.kept_at < used.every_s:
                continue
            used.kept_at = now
            if self._db is None:
                self._db = self._links.enter_context(self._record())
            try:
                keep(self._db, used.plug.instrument_id, sample, self._moment, value)
            except NotFound:  # it was retired
                self.used = {of: one for of, one in self.used.items() if of != quantity}

    def _moment(self) -> datetime:
        """Now; two lines are never of one moment."""
        self._last = max(self._clock(), self._last + timedelta(milliseconds=1))
        return self._last

    def _broke(self, why: str) -> None:
        self.why = why

    @property
    def last(self) -> ProbeSample | None:
        """What it said last, while that is fresh."""
        at, sample = self.heard[-1] if self.heard else (0.0, None)
        return sample if sample and time.monotonic() - at <= self.way.silent_s else None

    @property
    def said(self) -> str:
        """Why it says nothing."""
        noise = _("It sends, but nothing that can be read.") if self.noise else ""
        return self.why or noise or _("It says nothing yet.")

    def rises(self, unit: str) -> bool:
        """Whether its temperature rose lately.

        Args:
            unit: of lines that name none.
        """
        since = time.monotonic() - RISES_IN_S
        each = [sample.of(TEMPERATURE, unit) for at, sample in list(self.heard) if at >= since]
        course = [celsius for celsius in each if celsius is not None]
        return bool(course) and course[-1] - min(course) >= RISES_K

    def stop(self) -> None:
        """End it, and wait for it."""
        self.stopped.set()
        if self.is_alive():
            self.join(timeout=5)

    def rows(self, name: str, names: dict[str, str]) -> Iterator[SourceSeen]:
        """A row for each thing that it tells of.

        Args:
            name: what it calls itself.
            names: of instruments, by their ids.
        """
        told = {value.quantity: value for value in self.last.values} if self.last else {}
        heard = [quantity for quantity in told if quantity or not self.used]
        for quantity in dict.fromkeys([*self.used, *heard]) or {"": None}:
            used = self.used.get(quantity)
            if used is None:
                yield self._row(quantity, told.get(quantity), name)
            else:
                is_it = names.get(used.plug.instrument_id, "")
                yield self._row(
                    quantity, told.get(quantity, told.get("")), used.plug.name, is_it, used.plug.unit
                )

    def _row(
        self, quantity: str, value: Value | None, name: str, used_as: str = "", unit: str = ""
    ) -> SourceSeen:
        last = self.last
        return SourceSeen(
            where=self.where,
            quantity=quantity,
            name=name,
            used_as=used_as,
            value=value,
            inside=last.of(quantity, unit) if last and quantity else None,
            rises=quantity in ("", TEMPERATURE) and self.rises(unit or "C"),
            steady=last is None or last.steady,
            said="" if value and not self.noise else self.said,
        )

"""What a kitchen's machine wants: its record, disk, clock, ports, backups and sources, each with what to do."""

import contextlib
import os
import socket
import sqlite3
import stat
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import NamedTuple

from cryptography import x509

from lumbrel.devices.wires import heard
from lumbrel.services.access.certificates import AUTHORITY
from lumbrel.services.kitchen.elsewhere import said_of
from lumbrel.services.kitchen.safekeeping import automatic
from lumbrel.services.probes.outside import broker_at
from lumbrel.store import safe, sources
from lumbrel.store.db import moment
from lumbrel.store.disk import disk_of
from lumbrel.store.elsewhere import second_folder
from lumbrel.store.kitchen import load_kitchen
from lumbrel.words import _, number

A_DAY, OLD_BACKUP = timedelta(days=1), timedelta(days=2)
ENDS_SOON = timedelta(days=30)
EARLIEST = 2024
"""A clock before this year has never been set."""
WAITS_S = 2.0


class Finding(NamedTuple):
    """Something that was looked at, and what is wrong with it and to be done; nothing where all is well."""

    what: str
    wrong: str


@dataclass(frozen=True, kw_only=True)
class Machine:
    """Where a kitchen is.

    Args:
        data: its folder.
        record: in it.
        port: where it answers.
        now: by this machine's clock.
    """

    data: Path
    record: Path
    port: int
    now: datetime

    def findings(self) -> Iterator[Finding]:
        """One after the other, as they are looked at."""
        looked_at: tuple[tuple[str, Callable[[], str]], ...] = (
            (_("record"), self._record),
            (_("disk"), lambda: disk_of(self.record).said),
            (_("folder"), self._folder),
            (_("clock"), self._clock),
            (_("time zone"), self._time_zone),
            (_("port"), self._port),
            (_("certificate"), self._certificate),
            (_("sources"), self._sources),
            (_("broker"), self._broker),
            (_("backups"), self._backups),
        )
        # Without a record there is nothing else to look at.
        for what, look in looked_at if self.record.exists() else looked_at[:1]:
            try:
                yield Finding(what, look())
            except (OSError, sqlite3.Error, ValueError) as error:
                yield Finding(what, _("It cannot be looked at: {error}.", error=error))

    def _record(self) -> str:
        return " ".join(safe.problems(self.record))

    def _read(self) -> contextlib.closing[sqlite3.Connection]:
        db = safe.only_read(self.record)
        db.row_factory = sqlite3.Row
        return contextlib.closing(db)

    def _folder(self) -> str:
        if not os.access(self.data, os.W_OK | os.X_OK):
            return _("This user may not write into {folder}.", folder=self.data)
        if stat.S_IMODE(self.data.stat().st_mode) & 0o077:
            return _("Others may look into {folder}: chmod 700 closes it.", folder=self.data)
        return ""

    def _clock(self) -> str:
        if self.now.year < EARLIEST:
            return _("It is {day} by this machine: set its clock.", day=f"{self.now:%Y-%m-%d}")
        with self._read() as db:
            newest = db.execute("SELECT max(noted_at) AS at FROM line").fetchone()["at"]
        if newest and moment(newest) > self.now + A_DAY:
            return _(
                "The record has a line of {day}, which is to come: set the clock.",
                day=f"{moment(newest):%Y-%m-%d}",
            )
        return ""

    def _time_zone(self) -> str:
        with self._read() as db:
            zone = load_kitchen(db).time_zone
        return "" if zone else _("None is set: choose it on the kitchen’s page.")

    def _port(self) -> str:
        with socket.socket() as wire:
            wire.settimeout(WAITS_S)
            if wire.connect_ex(("127.0.0.1", self.port)):
                return ""
            wire.sendall(b"GET /healthz HTTP/1.0\r\nHost: 127.0.0.1\r\n\r\n")
            answer = b""
            with contextlib.suppress(TimeoutError):
                answer = wire.recv(2000)
        if b" 200 " in answer[:20]:
            return ""
        return _("Another program answers at {port}: choose another with --port.", port=self.port)

    def _certificate(self) -> str:
        file = self.data / "access" / AUTHORITY
        if not file.exists():
            return ""
        ends = x509.load_pem_x509_certificate(file.read_bytes()).not_valid_after_utc
        if ends - self.now > ENDS_SOON:
            return ""
        return _(
            "It ends on {day}; a new one is made then, and devices must trust it anew.",
            day=f"{ends:%Y-%m-%d}",
        )

    def _sources(self) -> str:
        with self._read() as db:
            used = sources.plugs(db) if safe.has_table(db, "outside") else []
        there = {(wire, one.address) for wire, way in heard().items() for one in way.nearby(())}
        of_here = ("serial", "onewire")
        gone = [p.name for p in used if p.wire in of_here and (p.wire, p.address) not in there]
        return _("Not plugged in: {names}.", names=", ".join(gone)) if gone else ""

    def _broker(self) -> str:
        with self._read() as db:
            at = broker_at(db, self.record) if safe.has_table(db, "outside") else None
        if at is None:
            return ""
        try:
            socket.create_connection((at.host, at.port), WAITS_S).close()
        except OSError as error:
            return _("The broker is not reached: {why}.", why=error.strerror or error)
        return ""

    def _backups(self) -> str:
        with self._read() as db:
            second = second_folder(db) if safe.has_table(db, "elsewhere") else None
        if wrong := said_of(second, self.now):
            return wrong
        kept = automatic(self.data / "backups")
        if not kept.days:
            return _("None was made yet: one is made each day while Lumbrel serves.")
        age = self.now.date() - datetime.fromisoformat(kept.days[0]).date()
        if age > OLD_BACKUP:
            days = number(age.days, 0)
            return _(
                "The newest is {days} days old. Let Lumbrel serve, or run lumbrel backup FILE.", days=days
            )
        return ""

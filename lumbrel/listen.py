"""Listening to a probe that speaks in lines: from the wire into the record, for as long as it runs."""

import logging
import sqlite3
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from sqlite3 import Connection

from lumbrel.devices.lines import ProbeSample
from lumbrel.devices.protocols import ProbeSource
from lumbrel.services.probes import intake
from lumbrel.services.record.kept import ready
from lumbrel.store.db import opened
from lumbrel.words import _

FIRST_PAUSE_S, LONGEST_PAUSE_S = 1.0, 30.0
TRIES, PAUSE_S = 20, 1.0
"""So often a sample is brought to a locked record, each try waiting some seconds by itself."""
LOG = logging.getLogger("lumbrel.listen")


def listen(
    database: Path,
    probe_id: str,
    source: ProbeSource,
    stop: threading.Event,
    now: Callable[[], datetime] = lambda: datetime.now(UTC),
) -> None:
    """Take a probe's samples until stopped; a stream that breaks is opened again.

    Args:
        database: the record.
        probe_id: the registered thermometer they belong to.
        source: the probe.
        stop: set it to end; noticed at the next line or pause.
        now: the kitchen's time.
    Raises:
        NotFound: there is no such thermometer.
    """
    pause = FIRST_PAUSE_S
    with opened(database) as db:
        ready(db)
        intake.require_thermometer(db, probe_id)
        while not stop.is_set():
            began = time.monotonic()
            try:
                for sample in source.samples():
                    _keep(db, probe_id, sample, now)
                    if stop.is_set():
                        return
                said = _("it ended")
            except OSError as error:
                said = str(error) or type(error).__name__
            pause = FIRST_PAUSE_S if time.monotonic() - began > 60 else min(pause * 2, LONGEST_PAUSE_S)
            LOG.warning("the probe's stream broke (%s); again in %.0f s", said, pause)
            stop.wait(pause)


def _keep(db: Connection, probe_id: str, sample: ProbeSample | None, now: Callable[[], datetime]) -> None:
    """Take one sample into the record. While the record is locked it is tried again; one that cannot
    be kept is counted where that is possible, and the reading goes on."""
    for attempt in range(TRIES):
        try:
            if sample is None:
                intake.note_unreadable(db, probe_id, 1, now())
            else:
                _take(db, probe_id, sample, now())
            return
        except sqlite3.OperationalError as error:
            LOG.warning("a sample waits for the record (%s), try %d", error, attempt + 1)
            time.sleep(PAUSE_S)
    LOG.error("a sample was given up: the record was locked for too long")


def _take(db: Connection, probe_id: str, sample: ProbeSample, now: datetime) -> None:
    try:
        at = (sample.at or now).astimezone(UTC)
    except (OverflowError, ValueError):
        intake.take(db, probe_id, [], now, no_moment=1)
        return
    intake.take(db, probe_id, [(at, sample.celsius)], now)

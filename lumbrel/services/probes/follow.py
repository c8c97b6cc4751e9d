"""From a probe's stream into the record, for as long as it runs."""

import logging
import sqlite3
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime
from sqlite3 import Connection

from lumbrel.devices.lines import ProbeSample
from lumbrel.devices.protocols import ProbeSource
from lumbrel.services.probes import intake
from lumbrel.words import _

FIRST_PAUSE_S, LONGEST_PAUSE_S, HELD_S = 1.0, 30.0, 60.0
TRIES, PAUSE_S = 20, 1.0
"""So often a sample is brought to a locked record, each try waiting some seconds by itself."""
LOG = logging.getLogger("lumbrel.listen")


def follow(
    source: ProbeSource,
    take: Callable[[ProbeSample | None], None],
    stop: threading.Event,
    broke: Callable[[str], None] = lambda why: None,
    longest_s: float = LONGEST_PAUSE_S,
) -> None:
    """Take a source's samples until stopped; a stream that breaks is opened again.

    Args:
        source: a probe.
        take: what becomes of each; None is one that could not be read.
        stop: set it to end; noticed at the next line or pause.
        broke: told why a stream ended.
        longest_s: between two tries, seconds.
    """
    pause = FIRST_PAUSE_S / 2
    while not stop.is_set():
        began = time.monotonic()
        try:
            for sample in source.samples():
                take(sample)
                if stop.is_set():
                    return
            said = _("it ended")
        except OSError as error:
            said = str(error) or type(error).__name__
        if stop.is_set():
            return
        pause = FIRST_PAUSE_S if time.monotonic() - began > HELD_S else min(pause * 2, longest_s)
        broke(said)
        LOG.warning("the probe's stream broke (%s); again in %.0f s", said, pause)
        stop.wait(pause)


def keep(
    db: Connection,
    probe_id: str,
    sample: ProbeSample | None,
    now: Callable[[], datetime],
    value: float | None = None,
) -> None:
    """Take one sample into the record. While the record is locked it is tried again; one that cannot
    be kept is counted where that is possible, and the reading goes on.

    Args:
        value: of all that it tells; else its temperature.
    """
    if sample is not None and value is None and (value := sample.celsius) is None:
        sample = None
    for attempt in range(TRIES):
        try:
            if sample is None or value is None:
                intake.note_unreadable(db, probe_id, 1, now())
            else:
                _take(db, probe_id, sample.at, value, now())
            return
        except sqlite3.OperationalError as error:
            LOG.warning("a sample waits for the record (%s), try %d", error, attempt + 1)
            time.sleep(PAUSE_S)
    LOG.error("a sample was given up: the record was locked for too long")


def _take(db: Connection, probe_id: str, told_at: datetime | None, value: float, now: datetime) -> None:
    try:
        at = (told_at or now).astimezone(UTC)
    except (OverflowError, ValueError):
        intake.take(db, probe_id, [], now, no_moment=1)
        return
    intake.take(db, probe_id, [(at, value)], now)

"""Listening to a probe that speaks in lines, for a command."""

import threading
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from lumbrel.devices.protocols import ProbeSource
from lumbrel.services.probes import intake
from lumbrel.services.probes.follow import follow, keep
from lumbrel.services.record.kept import ready
from lumbrel.store.db import opened


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
    with opened(database) as db:
        ready(db)
        intake.measured_by(db, probe_id)
        follow(source, lambda sample: keep(db, probe_id, sample, now), stop)

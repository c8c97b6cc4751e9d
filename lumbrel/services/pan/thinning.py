"""Samples of seasons that are over become one mean a minute, a few hours at a time.

Before that, what each run told of its batch is kept, so that an old board says what it said.
Barometers are left as they are: they send seldom, and every boil of their day rests on them.
"""

from datetime import UTC, datetime, timedelta
from sqlite3 import Connection

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.form import local_time
from lumbrel.services.pan.probe_points import told_of
from lumbrel.store import kept
from lumbrel.store import samples as samples_store
from lumbrel.store.db import transaction
from lumbrel.store.instruments import Instrument, ThermometerDetail, instruments, with_detail
from lumbrel.store.kitchen import load_kitchen

AT_ONCE = timedelta(hours=6)
MOST_BATCHES = 50


def season_began(db: Connection, now: datetime) -> datetime:
    """When the season of a moment began: with its year, in the kitchen."""
    local = local_time(now, load_kitchen(db))
    return local.replace(month=1, day=1, hour=0, minute=0, second=0, microsecond=0, fold=0).astimezone(UTC)


def thin_a_little(db: Connection, now: datetime) -> int:
    """One step: some hours of one probe's samples from before this season; how many became means,
    0 when there are none left."""
    before = season_began(db, now)
    for one in instruments(db, retired=True):
        probe = with_detail(one, ThermometerDetail)
        if probe is None:
            continue
        first = samples_store.first_to_thin(db, probe.id, before)
        if first is None:
            continue
        until = min(first + AT_ONCE, before)
        with transaction(db):
            _keep_runs(db, probe, first, until, now)
            return max(samples_store.thin(db, probe.id, first, until), 1)
    return 0


def _keep_runs(
    db: Connection, probe: Instrument[ThermometerDetail], since: datetime, until: datetime, now: datetime
) -> None:
    """Keep what the probe told of every batch that boiled in its vessel then."""
    if probe.vessel_id is None:
        return
    for batch in kept.in_vessel(db, probe.vessel_id, since - timedelta(days=1), until, MOST_BATCHES):
        context = contexts.of(db, batch, now)
        left = context.left_at
        if left is None or left < since or context.probe != probe:
            continue
        _keep_run(context, probe, left)


def _keep_run(context: BatchContext, probe: Instrument[ThermometerDetail], until: datetime) -> None:
    told = told_of(context, probe.id, until)
    samples_store.keep_run(context.db, context.batch.id, probe.id, until, told.written())

"""What a probe said over a run, in so many points: kept between looks, so that a new sample costs
the same after eight hours as after one minute."""

import json
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from operator import itemgetter
from sqlite3 import Connection
from typing import NamedTuple

from lumbrel.core.pan.probe_trace import Fall, ProbeTrace, TracePoint
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.cache import cache_of, record_key
from lumbrel.services.day.pressure import pressure_by
from lumbrel.services.day.thermometers import DEFAULT_BOIL_BY
from lumbrel.store import samples as samples_store
from lumbrel.store.db import EPOCH, milliseconds, of_milliseconds
from lumbrel.store.kitchen import Kitchen
from lumbrel.store.samples import Sample

LATE = timedelta(seconds=30)
"""A sample that arrives so late still finds its place; one that is later is kept in the record
only."""
MOST_RUNS = 64
AIR_STEP_S = 30.0
"""The pressure is looked up so often: air does not move faster."""


class RunPoint(NamedTuple):
    """A while of a run: when, what the probe showed, the pressure then."""

    at: datetime
    shown_c: float
    samples: int
    pressure_pa: float | None
    begins: datetime
    ends: datetime
    spread_k: float
    """Between the least and the most of its samples."""


class RunTold(NamedTuple):
    """What a probe's run told of a batch: its points, and the newest sample."""

    points: list[RunPoint]
    newest: Sample | None
    since: datetime
    rises: Sequence[tuple[float, float]] = ()
    """When it first showed so much, in steps: seconds since then, and values."""
    means: Sequence[tuple[int, float]] = ()
    """Of its newest quarters of a minute: which, counted from then on, and what it showed."""
    falls: Sequence[Fall] = ()
    """When it left the boil, in seconds since then."""

    def first_at(self, shown_c: float) -> datetime | None:
        """When it first showed so much."""
        i = bisect_left(self.rises, shown_c, key=itemgetter(1))
        return self.since + timedelta(seconds=self.rises[i][0]) if i < len(self.rises) else None

    def written(self) -> str:
        """As the record keeps it, before the samples are thinned."""
        points = [
            [
                milliseconds(p.at) + (p.at.microsecond % 1000) / 1000,
                p.shown_c,
                p.samples,
                p.pressure_pa,
                milliseconds(p.begins),
                milliseconds(p.ends),
                p.spread_k,
            ]
            for p in self.points
        ]
        newest = [milliseconds(self.newest.at), self.newest.value] if self.newest else None
        since = milliseconds(self.since)
        told = {"points": points, "newest": newest, "since": since, "rises": list(self.rises)}
        return json.dumps(told | {"means": list(self.means), "falls": list(self.falls)})

    @classmethod
    def read(cls, written: str) -> "RunTold":
        """From the record."""
        kept = json.loads(written)
        points = [
            RunPoint(
                at=EPOCH + timedelta(milliseconds=at),
                shown_c=shown,
                samples=samples,
                pressure_pa=pressure,
                begins=of_milliseconds(begins),
                ends=of_milliseconds(ends),
                spread_k=spread,
            )
            for at, shown, samples, pressure, begins, ends, spread in kept["points"]
        ]
        newest = kept["newest"]
        since = of_milliseconds(kept["since"]) if "since" in kept else points[0].at
        # Runs that were kept before this was noted tell it by their points.
        by_points = [((p.at - since).total_seconds(), p.shown_c) for p in points]
        return cls(
            points,
            Sample(of_milliseconds(newest[0]), newest[1]) if newest else None,
            since,
            rises=kept.get("rises", by_points),
            means=[(step, value) for step, value in kept.get("means", ())],
            falls=[Fall(*fall) for fall in kept.get("falls", ())],
        )


def run_told(
    db: Connection,
    kitchen: Kitchen,
    batch_id: str,
    probe_id: str,
    *,
    since: datetime,
    until: datetime,
    boil_by: str,
) -> RunTold:
    """What a probe's run tells of a batch between two moments: from its samples, or as it was kept
    before they were thinned."""
    kept = samples_store.kept_run(db, batch_id, probe_id, until)
    if kept is not None:
        return RunTold.read(kept)
    points, trace = _points_of(db, kitchen, probe_id, since=since, until=until, boil_by=boil_by)
    newest = samples_store.latest_sample(db, probe_id, until)
    rises, means, falls = trace
    return RunTold(points, newest, since, rises=rises, means=means, falls=falls)


def told_of(context: BatchContext, probe_id: str, until: datetime) -> RunTold:
    """What a probe's run tells of a batch from its take-in on."""
    return run_told(
        context.db,
        context.kitchen,
        context.batch.id,
        probe_id,
        since=context.taken_in.at,
        until=until,
        boil_by=context.batch.methods.get("boil_by", DEFAULT_BOIL_BY),
    )


@dataclass
class _Run:
    trace: ProbeTrace = field(default_factory=ProbeTrace)
    last: datetime | None = None
    recent: set[datetime] = field(default_factory=set)
    pressures: dict[float, float | None] = field(default_factory=dict)
    points: dict[tuple[TracePoint, float | None], RunPoint] = field(default_factory=dict)


Rises = list[tuple[float, float]]
Means = list[tuple[int, float]]
Falls = list[Fall]


def _points_of(
    db: Connection,
    kitchen: Kitchen,
    probe_id: str,
    *,
    since: datetime,
    until: datetime,
    boil_by: str,
) -> tuple[list[RunPoint], tuple[Rises, Means, Falls]]:
    key = (record_key(db), probe_id, since, boil_by)
    shelf = cache_of(db).shelf("runs", MOST_RUNS)
    with shelf.lock:
        run = shelf.get(key, _Run)
        if run.last is not None and run.last > until:
            shelf.drop(key)
            run = shelf.get(key, _Run)
        _read_on(db, run, probe_id, since, until)
        points = run.trace.points()
        air = [AIR_STEP_S * round(p.second / AIR_STEP_S) for p in points]
        known = {
            second: run.pressures[second]
            if second in run.pressures
            else _pressure(db, kitchen, since + timedelta(seconds=second), boil_by)
            for second in air
        }
        run.pressures = known
        of_trace = (run.trace.rises(), run.trace.means(), run.trace.falls())
        # Most of them are what they were a sample ago.
        run.points = {
            key: run.points.get(key) or _point(since, *key)
            for key in ((p, known[second]) for p, second in zip(points, air, strict=True))
        }
        return list(run.points.values()), of_trace


def _point(since: datetime, point: TracePoint, pressure_pa: float | None) -> RunPoint:
    return RunPoint(
        at=since + timedelta(seconds=point.second),
        shown_c=point.value,
        samples=point.samples,
        pressure_pa=pressure_pa,
        begins=since + timedelta(seconds=point.begins),
        ends=since + timedelta(seconds=point.ends),
        spread_k=point.spread,
    )


def _read_on(db: Connection, run: _Run, probe_id: str, since: datetime, until: datetime) -> None:
    """Take in what arrived since the last look, late ones included."""
    start = since if run.last is None else max(since, run.last - LATE)
    for sample in samples_store.samples(db, probe_id, start, until):
        if sample.at in run.recent:
            continue
        run.recent.add(sample.at)
        run.trace.add((sample.at - since).total_seconds(), sample.value)
        run.last = sample.at if run.last is None else max(run.last, sample.at)
    if run.last is not None and len(run.recent) > 600:
        run.recent = {at for at in run.recent if at >= run.last - LATE}


def _pressure(db: Connection, kitchen: Kitchen, at: datetime, boil_by: str) -> float | None:
    found = pressure_by(db, kitchen, at, boil_by)
    return found.pa if found else None

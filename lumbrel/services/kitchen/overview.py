"""The kitchen as it stands: the vessels, what waits, the season."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection
from typing import NamedTuple

from lumbrel.core.bench.hydrometer import COLD_CUP_C
from lumbrel.services.base import batch as contexts
from lumbrel.services.base import standing
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    CheckedFacts,
    DrawnFacts,
    HydrometerFacts,
    JarFacts,
    ReadingFacts,
    RefractometerFacts,
)
from lumbrel.services.base.form import local_time
from lumbrel.services.day.ladder import DayCheck, today
from lumbrel.services.day.pressure import Pressure
from lumbrel.services.jar.kettle import NEXT_DAY
from lumbrel.services.pan.board import Board, boards
from lumbrel.services.shelf.lots import of_season
from lumbrel.services.stations import waiting
from lumbrel.services.take_in.near_syrup import WAITS_AT
from lumbrel.store import kept, kept_lots
from lumbrel.store import samples as samples_store
from lumbrel.store.db import once
from lumbrel.store.instruments import BarometerDetail, instruments_of
from lumbrel.store.kept_lots import LotRow
from lumbrel.store.kitchen import Kitchen, VesselRow, load_kitchen, vessels
from lumbrel.store.record import Batch
from lumbrel.words import _

PROVE_FROM, PROVE_UNTIL = timedelta(hours=10), timedelta(days=3)
LAST_DRAWS = 40
TREND_OVER = timedelta(hours=3)


class _Due(NamedTuple):
    """What of a drawn batch is still to be done, by its lines alone."""

    left_at: datetime | None
    """When syrup that nobody has checked cold left the fire."""
    packed_at: datetime | None
    """When jars were filled last that nobody has looked at since."""


def _due_of(db: Connection, batch: Batch, now: datetime) -> _Due:
    known = once(db, _("what is due"), lambda: dict[str, _Due]())
    if batch.id not in known:
        slip = contexts.of(db, batch, now)
        read = slip.of_kind(HydrometerFacts, RefractometerFacts)
        # Syrup was drawn of it: no confection, and not near-syrup that is finished elsewhere.
        syrup = slip.of_kind(DrawnFacts) and not standing.is_near_syrup(slip.current)
        left = slip.left_at if syrup else None
        if left and any(_is_cold(e) and e.at > left for e in read):
            left = None
        packed = slip.last(JarFacts)
        looked_at = slip.of_kind(CheckedFacts)
        known[batch.id] = _Due(left, packed.at if packed and not looked_at else None)
    return known[batch.id]


def due_cold_checks(db: Connection, now: datetime) -> list[Batch]:
    """Batches drawn half a day to three days ago whose density nobody has checked cold yet."""
    drawn = kept.drawn_between(db, now - PROVE_UNTIL, now - PROVE_FROM, LAST_DRAWS)
    return sorted((b for b in drawn if _due_of(db, b, now).left_at), key=lambda b: b.opened_at)


def due_next_day(db: Connection, now: datetime) -> list[Batch]:
    """Batches jarred half a day to a week ago whose lids nobody has looked at yet."""
    found = []
    for batch in kept.drawn_between(db, now - LIDS_UNTIL, now - NEXT_DAY, LAST_DRAWS):
        packed_at = _due_of(db, batch, now).packed_at
        if packed_at and now - packed_at >= NEXT_DAY:
            found.append(batch)
    return sorted(found, key=lambda b: b.opened_at)


LIDS_UNTIL = timedelta(days=7)


def _is_cold(entry: Entry[ReadingFacts]) -> bool:
    low, high = COLD_CUP_C
    facts = entry.facts
    if isinstance(facts, HydrometerFacts):
        return low <= facts.cup_c <= high
    return isinstance(facts, RefractometerFacts) and low <= facts.sample_c <= high


@dataclass(frozen=True, kw_only=True)
class Overview:
    """The kitchen's first page."""

    now: datetime
    kitchen: Kitchen
    empty: bool
    pressure: Pressure | None
    today: DayCheck
    live: list[Board]
    free: list[VesselRow]
    queue: dict[str, list[Batch]]
    """By station, the batches that wait for it."""
    season: int
    lots: list[LotRow]
    """Of this season, oldest first."""
    volume_l: float
    """Syrup of this season on the shelf."""
    jar_count: int
    cold_checks: list[Batch]
    """Draws to be checked cold, at room temperature."""
    next_day: list[Batch]
    """Jars whose lids and clarity are to be looked at."""
    trend: float | None
    """Change of pressure over three hours, Pa; None without a barometer."""


def overview(db: Connection, now: datetime) -> Overview:
    """The kitchen as it stands at a moment."""
    queue = waiting(db) | {WAITS_AT: kept.waiting(db, WAITS_AT)}
    kitchen = load_kitchen(db)
    season = local_time(now, kitchen).year
    summed = kept_lots.shelf_sum(db, season)
    every = vessels(db)
    busy = {batch.vessel_id for place in ("pan", "candy") for batch in queue[place]}
    day = today(db, now)
    return Overview(
        now=now,
        kitchen=kitchen,
        empty=not every,
        pressure=day.pressure,
        today=day,
        live=boards(db, queue["pan"], now),
        free=[v for v in every if v.id not in busy],
        queue=queue,
        season=season,
        lots=of_season(db, season),
        volume_l=summed.volume_ml / 1000,
        jar_count=summed.jars,
        cold_checks=due_cold_checks(db, now),
        next_day=due_next_day(db, now),
        trend=barometer_trend_pa(db, now),
    )


def barometer_trend_pa(db: Connection, now: datetime) -> float | None:
    """Change of pressure over the last three hours, Pa; None without a barometer."""
    for barometer in instruments_of(db, BarometerDetail):
        newest = samples_store.latest_sample(db, barometer.id, now)
        before = samples_store.latest_sample(db, barometer.id, now - TREND_OVER)
        if newest and before:
            return newest.value - before.value
    return None

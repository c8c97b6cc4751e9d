"""The kitchen as it stands: the vessels, what waits, the season."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.bench.hydrometer import COLD_CUP_C
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import Entry, current_lines
from lumbrel.services.base.facts import (
    DrawFacts,
    HydrometerFacts,
    ReadingFacts,
    RefractometerFacts,
)
from lumbrel.services.day.ladder import Day, today
from lumbrel.services.day.pressure import Pressure
from lumbrel.services.pan.board import Board, boards
from lumbrel.services.shelf.lots import Lot, find
from lumbrel.services.stations import waiting
from lumbrel.store import record
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import BarometerDetail, instruments_of
from lumbrel.store.kitchen import Kitchen, VesselRow, load_kitchen, vessels
from lumbrel.store.record import Batch

PROVE_FROM, PROVE_UNTIL = timedelta(hours=10), timedelta(days=3)
LAST_DRAWS = 40
TREND_OVER = timedelta(hours=3)


def due_cold_checks(db: Connection, now: datetime) -> list[Batch]:
    """Batches drawn half a day to three days ago whose density nobody has checked cold yet."""
    found = []
    for draw in current_lines(db, DrawFacts, limit=LAST_DRAWS):
        if not PROVE_FROM <= now - draw.at <= PROVE_UNTIL:
            continue
        batch = record.batch_by(db, id=draw.batch_id)
        assert batch is not None
        slip = contexts.of(db, batch, now)
        read = slip.of_kind(HydrometerFacts, RefractometerFacts)
        if not any(_is_cold(e) and e.at > draw.at for e in read):
            found.append(batch)
    return sorted(found, key=lambda b: b.opened_at)


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
    today: Day
    live: list[Board]
    free: list[VesselRow]
    queue: dict[str, list[Batch]]
    """By station, the batches that wait for it."""
    lots: list[Lot]
    cold_checks: list[Batch]
    """Draws to be checked cold, at room temperature."""
    trend: float | None
    """Change of pressure over three hours, Pa; None without a barometer."""

    @property
    def volume_l(self) -> float:
        """Syrup on the shelf."""
        return sum(lot.volume_l for lot in self.lots)

    @property
    def jar_count(self) -> int:
        """Jars on the shelf."""
        return sum(lot.jar_count for lot in self.lots)


def overview(db: Connection, now: datetime) -> Overview:
    """The kitchen as it stands at a moment."""
    queue = waiting(db)
    every = vessels(db)
    busy = {batch.vessel_id for batch in queue["pan"]}
    day = today(db, now)
    return Overview(
        now=now,
        kitchen=load_kitchen(db),
        empty=not every,
        pressure=day.pressure,
        today=day,
        live=boards(db, queue["pan"], now),
        free=[v for v in every if v.id not in busy],
        queue=queue,
        lots=find(db).lots,
        cold_checks=due_cold_checks(db, now),
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

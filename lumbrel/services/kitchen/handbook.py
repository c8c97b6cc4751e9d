"""The user's own numbers that stand in the help: as their thermometer shows them, in their units, today."""

from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.target import FOAM_ABOVE_WATER_K
from lumbrel.services.bench.curves import hydrometer_of
from lumbrel.services.day.ladder import DayCheck, Rung, today
from lumbrel.services.pan.rate import Rate, learned_rate
from lumbrel.services.stations import STATIONS
from lumbrel.store.instruments import Detail, HydrometerDetail, Instrument, instruments, with_detail
from lumbrel.store.kitchen import VesselRow, vessels
from lumbrel.words import _

HELPED = (*(station.key for station in STATIONS), "kitchen")
"""The rooms that have a half page, in working order."""
TITLES = {station.key: station.title for station in STATIONS} | {"kitchen": _("The kitchen")}
HOT_CUP_C = 88.0
"""A cup as it is usually read, soon after it was filled."""


@dataclass(frozen=True, kw_only=True)
class StemMark:
    """Where a stem of this kitchen floats in finished syrup, in a hot cup and in a cold one."""

    name: str
    hot_brix: float
    cold_brix: float


@dataclass(frozen=True, kw_only=True)
class Own:
    """What of this kitchen stands in its help."""

    day: DayCheck
    glass: str
    """The thermometer whose marks they are; empty for a true one."""
    foam_shown_c: float | None
    stems: list[StemMark]
    vessels: list[tuple[VesselRow, Rate]]
    instruments: list[Instrument[Detail]]
    hot_cup_c: float = HOT_CUP_C
    room_c: float = 20.0

    def rung(self, key: str) -> Rung | None:
        """A mark of the heat ladder by its key; None while no pressure is known."""
        return next((rung for rung in self.day.rungs if rung.key == key), None)

    @property
    def finish(self) -> Rung | None:
        """Where syrup is done."""
        return next((rung for rung in self.day.rungs if rung.rank == "finish"), None)

    @property
    def strain(self) -> Rung | None:
        """Where it is strained once, while thin."""
        return self.rung("pre-filter")

    @property
    def confections(self) -> list[Rung]:
        """Where confections are poured."""
        return [rung for rung in self.day.rungs if rung.rank == "candy"]


def own(db: Connection, now: datetime) -> Own:
    """This kitchen's numbers as they stand now."""
    day = today(db, now)
    known = instruments(db)
    foam = None
    if day.pressure and day.chosen:
        true = day.pressure.boil_c + FOAM_ABOVE_WATER_K
        foam = day.chosen.calibration.indicated_c(true)
    return Own(
        day=day,
        glass=day.chosen.instrument.name if day.chosen else "",
        foam_shown_c=foam,
        stems=_stems(db, known, day.kitchen.target_brix, now),
        vessels=[(v, learned_rate(db, v, now)) for v in vessels(db)],
        instruments=known,
    )


def _stems(
    db: Connection, known: list[Instrument[Detail]], target_brix: float, now: datetime
) -> list[StemMark]:
    found = []
    for one in known:
        stem_of = with_detail(one, HydrometerDetail)
        if stem_of is None:
            continue
        # A stem that has no mark for this target says nothing here.
        with suppress(OutOfRange):
            stem = hydrometer_of(db, stem_of, now)
            hot, cold = (stem.mark(target_brix, at) for at in (HOT_CUP_C, 20.0))
            found.append(StemMark(name=one.name, hot_brix=hot, cold_brix=cold))
    return found

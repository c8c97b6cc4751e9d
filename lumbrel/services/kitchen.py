"""The kitchen as it stands: the line of stations, the vessels, what waits, the season."""

from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from sqlite3 import Connection
from zoneinfo import ZoneInfo

from lumbrel.core.bench.hydrometer import COLD_CUP_C
from lumbrel.core.errors import OutOfRange
from lumbrel.core.units import KINDS, show
from lumbrel.services import context as contexts
from lumbrel.services import day, pan, shelf
from lumbrel.services.air import Pressure, pressure_at
from lumbrel.services.alarms import NEAR_MINUTES
from lumbrel.services.typed import Form
from lumbrel.store import record
from lumbrel.store import samples as samples_store
from lumbrel.store.db import transaction
from lumbrel.store.instruments import instruments
from lumbrel.store.kitchen import Kitchen, VesselRow, load_kitchen, save_kitchen, vessels
from lumbrel.store.record import Batch

PROVE_FROM, PROVE_UNTIL = timedelta(hours=10), timedelta(days=3)


@dataclass(frozen=True)
class Waiting:
    """Batches waiting at the stations after the pan, oldest first."""

    pan: list[Batch]
    filter: list[Batch]
    colour: list[Batch]
    jar: list[Batch]


def waiting(db: Connection) -> Waiting:
    """Where each unfinished batch stands."""
    return Waiting(
        record.batches_at(db, ("take_in",), "draw"),
        record.batches_at(db, ("draw",), "filter"),
        record.batches_at(db, ("draw", "filter"), "colour"),
        record.batches_at(db, ("draw", "filter", "colour"), "jar"),
    )


def to_prove(db: Connection, now: datetime) -> list[Batch]:
    """Batches drawn half a day to three days ago whose density nobody has proved cold yet."""
    found = []
    for draw in record.standing_of_kind(db, "draw", limit=40):
        age = now - draw.at
        if not PROVE_FROM <= age <= PROVE_UNTIL:
            continue
        batch = record.batch_by(db, id=draw.batch_id)
        assert batch is not None
        slip = contexts.of(db, batch, now)
        if not any(
            _is_cold(e) and e.at > draw.at for e in slip.of_kind("hydrometer", "refractometer")
        ):
            found.append(batch)
    return sorted(found, key=lambda b: b.opened_at)


def _is_cold(entry: record.Entry) -> bool:
    low, high = COLD_CUP_C
    return low <= float(entry.facts.get("cup_c") or entry.facts.get("sample_c") or 0) <= high


@dataclass(frozen=True)
class Station:
    """One station of the line: its state in a few words, and where pressing it leads."""

    key: str
    name: str
    state: str
    href: str
    done: bool = False
    idle: bool = False


def line(db: Connection, now: datetime) -> list[Station]:
    """The line across the top, every station with its live state."""
    kitchen = load_kitchen(db)
    pressure = pressure_at(db, kitchen, now)
    unit = kitchen.units.get("temperature", "C")
    queue = waiting(db)
    boil = "set the day"
    if pressure:
        boil = f"{show(pressure.boil_c, 'temperature', unit)} today"
    live = _boards(db, queue, now)
    pan_state = "cold"
    if live:
        first = min(live, key=lambda b: b.minutes_left)
        shown = f"{first.believed.brix:.1f}" if first.believed else "disagree"
        pan_state = f"{shown} · {first.minutes_left:.0f} min"
        if first.heating_minutes > 0:
            pan_state = f"{first.context.vessel.name} heating"
    jars = sum(lot.jar_count for lot in shelf.find(db).lots)
    free = [v for v in vessels(db) if v.purpose == "finisher"]
    free_count = len(free) - len(queue.pan)

    def at(step: str, waits: list[Batch]) -> str:
        return f"/{step}/{waits[0].code}" if waits else f"/{step}"

    def count(waits: list[Batch]) -> str:
        return f"{len(waits)} waiting" if waits else ""

    return [
        Station("day", "Day check", boil, "/day", done=pressure is not None),
        Station("take-in", "Take in", f"{free_count} free" if free else "no vessel", "/take-in"),
        Station("pan", "Pan", pan_state, f"/pan/{live[0].context.batch.code}" if live else "/pan", idle=not live),
        Station("filter", "Filter", count(queue.filter), at("filter", queue.filter), idle=not queue.filter),
        Station("colour", "Colour", count(queue.colour), at("colour", queue.colour), idle=not queue.colour),
        Station("jar", "Jar", count(queue.jar), at("jar", queue.jar), idle=not queue.jar),
        Station("candy", "Candy", "plan a boil", "/candy", idle=True),
        Station("shelf", "Shelf", f"{jars} jars" if jars else "empty", "/shelf", idle=not jars),
    ]  # fmt: skip


def _boards(db: Connection, queue: Waiting, now: datetime) -> list[pan.Board]:
    """Boards of all that is on the fire. One that cannot be computed says so on its own page;
    it must not take every other page with it."""
    boards = []
    for batch in queue.pan:
        with suppress(OutOfRange):
            boards.append(pan.board_of(contexts.of(db, batch, now)))
    return boards


@dataclass(frozen=True)
class Overview:
    """The kitchen's first page."""

    now: datetime
    kitchen: Kitchen
    empty: bool
    pressure: Pressure | None
    today: day.Day
    live: list[pan.Board]
    free: list[VesselRow]
    queue: Waiting
    lots: list[shelf.Lot]
    prove: list[Batch]
    """Draws to be proved cold, at room temperature."""
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
    busy = {batch.vessel_id for batch in queue.pan}
    today = day.today(db, now)
    return Overview(
        now, load_kitchen(db), not every, today.pressure, today,
        _boards(db, queue, now),
        [v for v in every if v.id not in busy], queue, shelf.find(db).lots,
        to_prove(db, now), barometer_trend_pa(db, now),
    )  # fmt: skip


def save_settings(db: Connection, fields: dict[str, str]) -> None:
    """Name, elevation, target, draw margin, time zone and units.

    Raises:
        BadInput: a field is wrong.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    name = form.text("name", "Give the kitchen a name; it stands on the labels.", 80)
    elevation = form.between(
        "elevation", "elevation", -430, 5000,
        "Elevation must lie between −430 and 5000 m (−1410 and 16 400 ft).", required=False,
    )  # fmt: skip
    target = form.between(
        "target", "brix", 66.0, 68.9,
        "The target lies between 66.0, the usual legal floor, and 68.9, above which crystals form.",
    )  # fmt: skip
    margin = form.between("margin", "brix", 0, 5, "The draw margin lies between 0 and 5 Brix.")
    zone = form.text("time_zone", limit=60)
    try:
        ZoneInfo(zone or "UTC")
    except (KeyError, ValueError, OSError):
        form.errors["time_zone"] = (
            "Type a zone as Europe/Vienna or America/Toronto, or leave it empty."
        )
    ahead = form.between(
        "near_minutes", "minutes", 0, 60, "A call ahead lies between 0 (none) and 60 minutes.",
        required=False,
    )  # fmt: skip
    ahead_k = form.between(
        "near_k", "difference", 0, 10, "A call ahead lies between 0 (none) and 10 K (18 °F).",
        required=False,
    )  # fmt: skip
    units = {}
    for kind in kitchen.units:
        allowed = [unit.key for unit in KINDS[kind].units]
        units[kind] = form.choice(f"unit_{kind}", allowed, f"Choose {' or '.join(allowed)}.")
    form.check()
    assert target is not None and margin is not None
    settings = replace(
        kitchen, name=name, elevation_m=elevation, time_zone=zone, target_brix=target,
        draw_margin_brix=margin, units=units, both_units=form.ticked("both_units"),
        alarms={
            "near_minutes": NEAR_MINUTES if ahead is None else ahead, "near_k": ahead_k or 0.0,
        },
    )  # fmt: skip
    with transaction(db):
        save_kitchen(db, settings)


def barometer_trend_pa(db: Connection, now: datetime) -> float | None:
    """Change of pressure over the last three hours, Pa; None without a barometer."""
    for barometer in instruments(db, "barometer"):
        newest = samples_store.latest_sample(db, barometer.id, now)
        before = samples_store.latest_sample(db, barometer.id, now - timedelta(hours=3))
        if newest and before:
            return newest.value - before.value
    return None

"""The kitchen as it stands: the line of stations, the vessels, what waits, the season."""

from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from sqlite3 import Connection, IntegrityError
from zoneinfo import ZoneInfo

from lumbrel.core.bench.hydrometer import COLD_CUP_C, SIXTY_F_C
from lumbrel.core.errors import OutOfRange
from lumbrel.core.finishing.vessel import Vessel
from lumbrel.core.units import KINDS, show
from lumbrel.services import context as contexts
from lumbrel.services import day, pan, shelf
from lumbrel.services.air import Pressure, pressure_at
from lumbrel.services.instruments import as_made
from lumbrel.services.typed import BadInput, Form
from lumbrel.store import batches
from lumbrel.store import day as day_store
from lumbrel.store.batches import Batch
from lumbrel.store.db import transaction
from lumbrel.store.kitchen import (
    Instrument,
    Kitchen,
    VesselRow,
    Woodlot,
    add_instrument,
    add_vessel,
    add_woodlot,
    instruments,
    load_kitchen,
    save_kitchen,
    vessels,
    woodlots,
)

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
        batches.batches_at(db, ("take_in",), "draw"),
        batches.batches_at(db, ("draw",), "filter"),
        batches.batches_at(db, ("draw", "filter"), "colour"),
        batches.batches_at(db, ("draw", "filter", "colour"), "jar"),
    )


def to_prove(db: Connection, now: datetime) -> list[Batch]:
    """Batches drawn half a day to three days ago whose density nobody has proved cold yet."""
    found = []
    for draw in batches.standing_of_kind(db, "draw", limit=40):
        age = now - draw.at
        if not PROVE_FROM <= age <= PROVE_UNTIL:
            continue
        batch = batches.batch_by(db, id=draw.batch_id)
        assert batch is not None
        slip = contexts.of(db, batch, now)
        if not any(
            _is_cold(e) and e.at > draw.at for e in slip.of_kind("hydrometer", "refractometer")
        ):
            found.append(batch)
    return sorted(found, key=lambda b: b.opened_at)


def _is_cold(entry: batches.Entry) -> bool:
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


@dataclass(frozen=True)
class Register:
    """What is registered in the kitchen."""

    kitchen: Kitchen
    vessels: list[VesselRow]
    woodlots: list[Woodlot]
    instruments: list[Instrument]


def register(db: Connection) -> Register:
    """Everything registered."""
    return Register(load_kitchen(db), vessels(db), woodlots(db), instruments(db, retired=True))


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
    units = {}
    for kind in kitchen.units:
        allowed = [unit.key for unit in KINDS[kind].units]
        units[kind] = form.choice(f"unit_{kind}", allowed, f"Choose {' or '.join(allowed)}.")
    form.check()
    assert target is not None and margin is not None
    with transaction(db):
        save_kitchen(db, Kitchen(name, elevation, zone, target, margin, units))


def add_to_kitchen(db: Connection, what: str, fields: dict[str, str]) -> None:
    """Register a vessel, woodlot, thermometer, hydrometer or refractometer.

    Raises:
        BadInput: a field is wrong, or the name is taken.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    name = form.text("name", "Give it a name you would call it by.", 60)
    try:
        with transaction(db):
            if what == "vessel":
                _add_vessel(db, form, name)
            elif what == "woodlot":
                kind = form.choice(
                    "sugar_kind", ["maple", "walnut", "birch"], "Choose maple, walnut or birch."
                )
                form.check()
                add_woodlot(db, Woodlot(form.client_id(), name, kind))
            else:
                detail = _detail(form, what)
                form.check()
                add_instrument(db, Instrument(form.client_id(), what, name, detail))
    except IntegrityError:
        raise BadInput({"name": f"There is a {what} called {name} already."}) from None


def _add_vessel(db: Connection, form: Form, name: str) -> None:
    shape = form.choice("shape", ["rectangular", "round"], "Choose rectangular or round.")
    purpose = form.choice("purpose", ["finisher", "candy"], "Say what it is for.")
    names = ("length", "width") if shape == "rectangular" else ("diameter",)
    sizes = [
        form.between(n, "depth", 20, 10_000, "A size lies between 20 mm and 10 m.") for n in names
    ]
    form.check()
    inner = tuple(size for size in sizes if size is not None)
    try:
        Vessel(shape, inner)
    except OutOfRange as error:
        raise BadInput({"shape": error.sentence}) from error
    add_vessel(db, VesselRow(form.client_id(), name, shape, inner, purpose))


def _detail(form: Form, what: str) -> dict[str, object]:
    if what == "thermometer":
        sorts = ["digital", "dial", "glass"]
        return {"sort": form.choice("sort", sorts, "Choose digital, dial or glass.")}
    low = form.between("low", "brix", 0, 85, "The scale begins between 0 and 85 Brix.")
    high = form.between("high", "brix", 1, 90, "The scale ends between 1 and 90 Brix.")
    if low is not None and high is not None and low >= high:
        form.errors["high"] = "The scale must end above where it begins."
    if what == "refractometer":
        return {
            "range_low_brix": low, "range_high_brix": high,
            "compensated": form.ticked("compensated"),
        }  # fmt: skip
    if what != "hydrometer":
        raise BadInput({"name": "Choose a thermometer, hydrometer or refractometer."})
    true_at = form.between(
        "true_at", "temperature", 0, 40, "A scale is true between 0 and 40 °C; 60 °F is usual.",
        required=False,
    )  # fmt: skip
    glass = form.choice("glass", ["soda-lime", "borosilicate"], "Choose the glass.")
    detail: dict[str, object] = {
        "scale_low_brix": low, "scale_high_brix": high, "glass": glass,
        "calibration_temperature_c": SIXTY_F_C if true_at is None else true_at,
    }  # fmt: skip
    if form.given("mark_reading") or form.given("mark_at"):
        detail["hot_mark"] = _hot_mark(form, detail)
    return detail


def _hot_mark(form: Form, detail: dict[str, object]) -> dict[str, float]:
    """A mark printed for hot syrup; it bends the stem's curve until its own pairs do."""
    reading = form.between(
        "mark_reading", "brix", 40, 75, "A hot mark stands between 40 and 75 Brix."
    )
    at = form.between(
        "mark_at", "temperature", 50, 100,
        "A hot mark is for 50 to 100 °C (122 to 212 °F), 211 °F usually.",
    )  # fmt: skip
    true = form.between(
        "mark_true", "brix", 60, 70, "The density it marks lies between 60 and 70 Brix.",
        required=form.given("mark_true"),
    )  # fmt: skip
    form.check()
    assert reading is not None and at is not None
    mark = {"reading_brix": reading, "temperature_c": at, "true_brix": true or 66.9}
    try:
        as_made(Instrument("", "hydrometer", "", {**detail, "hot_mark": mark}))
    except OutOfRange as error:
        raise BadInput({"mark_reading": error.sentence}) from error
    return mark


EXAMPLE_VESSELS = (
    VesselRow("finisher-1", "Finisher 1", "rectangular", (600.0, 400.0)),
    VesselRow("finisher-2", "Finisher 2", "round", (450.0,)),
    VesselRow("candy-pot", "Candy pot", "round", (280.0,), "candy"),
)
EXAMPLE_WOODLOTS = (
    Woodlot("upper-fold", "Upper Fold"),
    Woodlot("tern-lot", "Tern Lot"),
    Woodlot("north-kiln", "North Kiln"),
    Woodlot("old-quarry", "Old Quarry"),
    Woodlot("birch-row", "Birch Row", "birch"),
)
EXAMPLE_INSTRUMENTS = (
    Instrument("probe-1", "thermometer", "Probe 1", {"sort": "digital"}, "finisher-1"),
    Instrument("dial-a", "thermometer", "Dial A", {"sort": "dial"}),
    Instrument(
        "long-stem", "hydrometer", "Long stem",
        {"scale_low_brix": 45.0, "scale_high_brix": 75.0, "glass": "soda-lime",
         "calibration_temperature_c": SIXTY_F_C},
    ),
    Instrument(
        "hand-prism", "refractometer", "Hand prism",
        {"range_low_brix": 0.0, "range_high_brix": 80.0, "compensated": False},
    ),
)  # fmt: skip
EXAMPLE_ELEVATION_M = 418.0


def load_example(db: Connection) -> None:
    """Equip an empty kitchen with the example's vessels, woodlots and instruments."""
    with transaction(db):
        kitchen = load_kitchen(db)
        save_kitchen(
            db,
            replace(kitchen, name="Cinderpool Finishing Kitchen", elevation_m=EXAMPLE_ELEVATION_M),
        )
        for vessel in EXAMPLE_VESSELS:
            add_vessel(db, vessel)
        for woodlot in EXAMPLE_WOODLOTS:
            add_woodlot(db, woodlot)
        for instrument in EXAMPLE_INSTRUMENTS:
            add_instrument(db, instrument)


def barometer_trend_pa(db: Connection, now: datetime) -> float | None:
    """Change of pressure over the last three hours, Pa; None without a barometer."""
    for barometer in instruments(db, "barometer"):
        newest = day_store.latest_sample(db, barometer.id, now)
        before = day_store.latest_sample(db, barometer.id, now - timedelta(hours=3))
        if newest and before:
            return newest.value - before.value
    return None

"""The kitchen itself: its settings, vessels and woodlots."""

import json
from dataclasses import dataclass, field, replace
from datetime import datetime
from sqlite3 import Connection
from typing import Any

from lumbrel.store import book
from lumbrel.store.book import KITCHEN
from lumbrel.store.db import moment, once
from lumbrel.store.registered import Notes, change, in_force, register, states
from lumbrel.store.rows import cell, columns_of, insert, mapper
from lumbrel.store.zone import machine_zone

DEFAULT_UNITS = {
    "temperature": "C",
    "difference": "C",
    "pressure": "hPa",
    "elevation": "m",
    "depth": "mm",
    "mass": "kg",
    "piece": "g",
    "volume": "L",
    "jar": "ml",
    "girth": "cm",
    "clock": "24",
    "paper": "A4",
    "language": "",
}


@dataclass(frozen=True, kw_only=True)
class Kitchen:
    """Settings of the kitchen. `units` maps a kind of quantity to the unit it is shown in;
    `methods` a question the trade disagrees on to the method chosen, where it is not the default."""

    name: str = "My kitchen"
    elevation_m: float | None = None
    time_zone: str = ""
    target_brix: float = 66.9
    draw_margin_brix: float = 0.0
    units: dict[str, str] = field(default_factory=lambda: dict(DEFAULT_UNITS))
    both_units: bool = False
    methods: dict[str, str] = field(default_factory=dict)
    alarms: dict[str, float] = field(default_factory=dict)
    toll_percent: float = 0.0
    """What of the syrup made from a woodlot's sap the kitchen keeps."""
    labels: dict[str, str] = field(default_factory=dict)
    """How its labels look, as it was typed."""
    logo: str = ""
    """As a data address."""
    sap: dict[str, str] = field(default_factory=dict)
    """How trees are tapped here, as it was typed."""
    elevations: tuple[tuple[datetime, float], ...] = ()
    """Elevations, zones and tolls as they were noted, oldest first; read, never written."""
    zones: tuple[tuple[datetime, str], ...] = ()
    tolls: tuple[tuple[datetime, float], ...] = ()

    @property
    def clock(self) -> str:
        """The key of the clock that is read here."""
        return self.units.get("clock", "")

    @property
    def language(self) -> str:
        """The key of the language that is spoken here; empty where nobody chose one."""
        return self.units.get("language", "")

    def elevation_at(self, at: datetime) -> float | None:
        """The elevation in force at a moment, m; before the first was noted, that one."""
        return in_force(self.elevations, at, self.elevation_m)

    def zone_at(self, at: datetime) -> str:
        """The time zone in force at a moment; before the first was noted, that one."""
        return in_force(self.zones, at, self.time_zone)

    def toll_at(self, at: datetime) -> float:
        """The kitchen's share in force at a moment, percent; before the first was noted, that one."""
        return in_force(self.tolls, at, self.toll_percent)


SETTINGS = (
    "name",
    "elevation_m",
    "time_zone",
    "target_brix",
    "draw_margin_brix",
    "units",
    "both_units",
    "methods",
    "alarms",
    "toll_percent",
    "labels",
    "logo",
    "sap",
)
"""What of a kitchen is set, by its columns; each change is a dated note besides."""
DATED = ("elevation_m", "time_zone", "toll_percent")
"""Those that what was written earlier rests on, as they were then."""


@dataclass(frozen=True, kw_only=True)
class VesselRow:
    """A vessel as registered."""

    id: str
    name: str
    shape: str
    sizes_mm: tuple[float, ...]
    purpose: str = "finisher"
    carry_over_fraction: float = 0.005
    fire: str = ""
    """What it stands on; empty where nobody said."""
    history: Notes["VesselRow"] = field(default=(), compare=False, repr=False)
    """What it was registered as before, by since when; read, never written."""

    def as_of(self, at: datetime) -> "VesselRow":
        """As it was registered at a moment."""
        return replace(in_force(self.history, at, self), history=self.history)


@dataclass(frozen=True)
class Woodlot:
    """Where near-syrup comes from."""

    id: str
    name: str
    sugar_kind: str = "maple"
    retired: bool = False


def load_kitchen(db: Connection) -> Kitchen:
    """The settings, or the defaults of an empty kitchen."""
    return once(db, "kitchen", lambda: _load(db))


def _load(db: Connection) -> Kitchen:
    row = db.execute("SELECT * FROM kitchen").fetchone()
    if row is None:
        return Kitchen()
    return Kitchen(
        name=row["name"],
        elevation_m=row["elevation_m"],
        time_zone=row["time_zone"],
        target_brix=row["target_brix"],
        draw_margin_brix=row["draw_margin_brix"],
        units={**DEFAULT_UNITS, **json.loads(row["units"])},
        both_units=bool(row["both_units"]),
        methods=json.loads(row["methods"]),
        alarms=json.loads(row["alarms"]),
        toll_percent=row["toll_percent"],
        labels=json.loads(row["labels"]),
        logo=row["logo"],
        sap=json.loads(row["sap"]),
        elevations=_noted(db, "elevation_m"),
        zones=_noted(db, "time_zone"),
        tolls=_noted(db, "toll_percent"),
    )


SETTING = "setting"
_SET = f"""SELECT at, facts FROM line
    WHERE kind = 'setting' AND facts ->> 'name' = ? AND {book.STANDS} ORDER BY seq"""


def _noted(db: Connection, name: str) -> tuple[tuple[datetime, Any], ...]:
    """What was noted of a setting and since when it holds, in the order it was noted."""
    rows = db.execute(_SET, (name,))
    known = ((moment(row["at"]), json.loads(row["facts"])["value"]) for row in rows)
    return tuple((at, value) for at, value in known if value not in (None, ""))


def save_kitchen(
    db: Connection,
    kitchen: Kitchen,
    noted_at: datetime,
    since: datetime | None = None,
    initials: str = "",
    brought_by: str = "",
) -> None:
    """Write the settings: each that is another than before is noted, and holds from `since` on
    (from when it was noted, if that is left out); the kitchen's row is what holds now.

    Args:
        brought_by: the line whose form they were typed in, with which they are struck.
    """
    if not kitchen.time_zone:
        # Where the kitchen is, is said once: on another machine its lines keep their hours.
        kitchen = replace(kitchen, time_zone=machine_zone())
    known = db.execute("SELECT * FROM kitchen").fetchone()
    for name in SETTINGS:
        value = getattr(kitchen, name)
        if known is None or cell(value) != known[name] or _held_another(db, name, value, since):
            book.note(
                db,
                kind=SETTING,
                about=KITCHEN,
                about_id=KITCHEN,
                at=since or noted_at,
                noted_at=noted_at,
                facts={"name": name, "value": value},
                initials=initials,
                own_id=book.beside(brought_by, name) if brought_by else "",
            )
    hold_settings(db)


def _held_another(db: Connection, name: str, value: Any, since: datetime | None) -> bool:
    """Whether what is said to have been so for longer was otherwise by what was noted of that time."""
    if since is None or name not in DATED or value in (None, ""):
        return False
    noted = _noted(db, name)
    moments = (since, *(at for at, _ in noted if at > since))
    return {in_force(noted, at, None) for at in moments} != {value}


def hold_settings(db: Connection) -> None:
    """Bring the kitchen's row to what was set last."""
    rows = {name: db.execute(_SET, (name,)).fetchall() for name in SETTINGS}
    if not any(rows.values()):
        return
    held = columns_of(Kitchen(), but=("elevations", "zones", "tolls"))
    for name, noted in rows.items():
        if noted:
            held[name] = cell(json.loads(noted[-1]["facts"])["value"])
    db.execute("DELETE FROM kitchen")
    insert(db, "kitchen", {"only": 1, **held})


def first_set(db: Connection) -> datetime | None:
    """When the kitchen was set up: all its settings were noted then."""
    row = db.execute("SELECT noted_at FROM line WHERE kind = 'setting' ORDER BY seq LIMIT 1")
    found = row.fetchone()
    return moment(found["noted_at"]) if found else None


def add_vessel(db: Connection, vessel: VesselRow) -> None:
    """Register a vessel; the same id twice is written once.

    Raises:
        IdReused: the id is another vessel's.
    """
    row = columns_of(vessel, but=("history",))
    register(db, "vessel", row, ("name", "shape", "sizes_mm", "purpose"))


def vessels(db: Connection) -> list[VesselRow]:
    """All vessels, in the order they were registered."""
    return list(once(db, "vessels", lambda: _vessels(db)))


def _vessels(db: Connection) -> list[VesselRow]:
    changed = states(db, "vessel")
    found = []
    for row in db.execute("SELECT * FROM vessel ORDER BY rowid"):
        now = _vessel(dict(row))
        # What was noted before vessels had a fire had none.
        before = dict(row) | {"fire": ""}
        past = ((since, _vessel(before | state)) for since, state in changed.get(now.id, ()))
        found.append(replace(now, history=tuple(past)))
    return found


_vessel = mapper(VesselRow, but=("history",))


def change_vessel(
    db: Connection, vessel: VesselRow, since: datetime, noted_at: datetime, initials: str = ""
) -> None:
    """Register a vessel anew, from a moment on; what it was is kept.

    Raises:
        sqlite3.IntegrityError: the name is another one's.
    """
    after = {
        "name": vessel.name,
        "shape": vessel.shape,
        "sizes_mm": json.dumps(vessel.sizes_mm),
        "fire": vessel.fire,
    }
    change(db, "vessel", vessel.id, after, since=since, noted_at=noted_at, initials=initials)


def add_woodlot(db: Connection, woodlot: Woodlot) -> None:
    """Register a woodlot; the same id twice is written once.

    Raises:
        IdReused: the id is another woodlot's.
    """
    row = {"id": woodlot.id, "name": woodlot.name, "sugar_kind": woodlot.sugar_kind}
    register(db, "woodlot", row, ("name", "sugar_kind"))


_woodlot = mapper(Woodlot)


def woodlots(db: Connection, retired: bool = True) -> list[Woodlot]:
    """Woodlots in the order they were registered, those out of use included or not."""
    every = once(db, "woodlots", lambda: [*map(_woodlot, db.execute("SELECT * FROM woodlot ORDER BY rowid"))])
    return [one for one in every if retired or not one.retired]

"""The kitchen itself: its settings, vessels and woodlots."""

import json
from dataclasses import dataclass, field
from sqlite3 import Connection, Row

DEFAULT_UNITS = {
    "temperature": "C",
    "difference": "C",
    "pressure": "hPa",
    "elevation": "m",
    "depth": "mm",
    "mass": "kg",
    "volume": "L",
    "jar": "ml",
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


@dataclass(frozen=True, kw_only=True)
class VesselRow:
    """A vessel as registered."""

    id: str
    name: str
    shape: str
    sizes_mm: tuple[float, ...]
    purpose: str = "finisher"
    carry_over_fraction: float = 0.005


@dataclass(frozen=True)
class Woodlot:
    """Where near-syrup comes from."""

    id: str
    name: str
    sugar_kind: str = "maple"


def load_kitchen(db: Connection) -> Kitchen:
    """The settings, or the defaults of an empty kitchen."""
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
    )


def save_kitchen(db: Connection, kitchen: Kitchen) -> None:
    """Write the settings."""
    db.execute(
        """INSERT INTO kitchen VALUES (1, ?, ?, ?, ?, ?, ?, ?, ?, ?)
           ON CONFLICT (only) DO UPDATE SET name = excluded.name,
               elevation_m = excluded.elevation_m, time_zone = excluded.time_zone,
               target_brix = excluded.target_brix,
               draw_margin_brix = excluded.draw_margin_brix, units = excluded.units,
               both_units = excluded.both_units, methods = excluded.methods,
               alarms = excluded.alarms""",
        (
            kitchen.name,
            kitchen.elevation_m,
            kitchen.time_zone,
            kitchen.target_brix,
            kitchen.draw_margin_brix,
            json.dumps(kitchen.units),
            kitchen.both_units,
            json.dumps(kitchen.methods),
            json.dumps(kitchen.alarms),
        ),
    )


def add_vessel(db: Connection, vessel: VesselRow) -> None:
    """Register a vessel; the same id twice is written once."""
    db.execute(
        "INSERT INTO vessel VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (id) DO NOTHING",
        (
            vessel.id,
            vessel.name,
            vessel.shape,
            json.dumps(vessel.sizes_mm),
            vessel.purpose,
            vessel.carry_over_fraction,
        ),
    )


def vessels(db: Connection) -> list[VesselRow]:
    """All vessels, in the order they were registered."""
    return [_vessel(row) for row in db.execute("SELECT * FROM vessel ORDER BY rowid")]


def _vessel(row: Row) -> VesselRow:
    return VesselRow(
        id=row["id"],
        name=row["name"],
        shape=row["shape"],
        sizes_mm=tuple(json.loads(row["sizes_mm"])),
        purpose=row["purpose"],
        carry_over_fraction=row["carry_over_fraction"],
    )


def add_woodlot(db: Connection, woodlot: Woodlot) -> None:
    """Register a woodlot; the same id twice is written once."""
    db.execute(
        "INSERT INTO woodlot VALUES (?, ?, ?) ON CONFLICT (id) DO NOTHING",
        (woodlot.id, woodlot.name, woodlot.sugar_kind),
    )


def woodlots(db: Connection) -> list[Woodlot]:
    """All woodlots, in the order they were registered."""
    rows = db.execute("SELECT * FROM woodlot ORDER BY rowid")
    return [Woodlot(row["id"], row["name"], row["sugar_kind"]) for row in rows]

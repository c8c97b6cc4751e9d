"""What stands in the tanks: how much, how dense, how old, and by when it must be boiled."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from math import cos, pi
from sqlite3 import Connection

from lumbrel.core.sap import keeping, sap
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import Facts
from lumbrel.services.base.form import NotFound, local_time
from lumbrel.store import sap as store
from lumbrel.store.kitchen import Kitchen
from lumbrel.store.sap import Tank
from lumbrel.store.sap_weather import WeatherDay
from lumbrel.words import _

PLACES = {"outside": _("outside in the shade"), "snow": _("in snow or ice"), "inside": _("inside")}
INSIDE_C, SNOW_C = 12.0, 0.5
NOTHING_L = 0.05


@dataclass(kw_only=True)
class Content:
    """What stands in a tank."""

    mass_kg: float = 0.0
    solids_kg: float = 0.0
    variance: float = 0.0
    """Of the solids, kg2."""
    used: float = 0.0
    at: datetime = datetime(1, 1, 1, tzinfo=UTC)
    oldest: datetime | None = None
    by_woodlot: dict[str, tuple[float, float]] = field(default_factory=dict)
    """kg of sap and of solids."""
    warm_c: float | None = None
    cloudy: bool = False

    @property
    def litres(self) -> float:
        """As sap is measured."""
        return sap.litres(self.mass_kg, self.brix) if self.mass_kg > 0 else 0.0

    @property
    def brix(self) -> float:
        return 100 * self.solids_kg / self.mass_kg if self.mass_kg > 0 else 0.0

    @property
    def sigma_brix(self) -> float:
        return float(100 * self.variance**0.5 / self.mass_kg) if self.mass_kg > 0 else 0.0

    def add(self, other: "Content") -> None:
        """Pour sap of the same moment in."""
        self.used = keeping.mixed([(self.litres, self.used), (other.litres, other.used)])
        self.mass_kg += other.mass_kg
        self.solids_kg += other.solids_kg
        self.variance += other.variance
        for woodlot, (mass, solids) in other.by_woodlot.items():
            had = self.by_woodlot.get(woodlot, (0.0, 0.0))
            self.by_woodlot[woodlot] = (had[0] + mass, had[1] + solids)
        known = [at for at in (self.oldest, other.oldest) if at]
        self.oldest = min(known, default=None)
        self.cloudy = self.cloudy or other.cloudy

    def take(self, mass_kg: float) -> "Content":
        """Take some of it; of each woodlot's the same share."""
        share = min(mass_kg / self.mass_kg, 1.0) if self.mass_kg > 0 else 0.0
        taken = Content(
            mass_kg=self.mass_kg * share,
            solids_kg=self.solids_kg * share,
            variance=self.variance * share**2,
            used=self.used,
            at=self.at,
            oldest=self.oldest,
            by_woodlot={w: (m * share, s * share) for w, (m, s) in self.by_woodlot.items()},
            cloudy=self.cloudy,
        )
        self.mass_kg -= taken.mass_kg
        self.solids_kg -= taken.solids_kg
        self.variance *= (1 - share) ** 2
        self.by_woodlot = {w: (m * (1 - share), s * (1 - share)) for w, (m, s) in self.by_woodlot.items()}
        if self.litres < NOTHING_L:
            self.mass_kg = self.solids_kg = self.variance = self.used = 0.0
            self.by_woodlot, self.oldest, self.cloudy = {}, None, False
        return taken


@dataclass(frozen=True)
class TankStep:
    """Something that happened to a tank, and what stood in it afterwards."""

    at: datetime
    words: str
    litres: float
    line: Entry[Facts] | None = None
    batch: str = ""


@dataclass(frozen=True, kw_only=True)
class TankView:
    """A tank as its page and the overview show it."""

    tank: Tank
    content: Content
    steps: tuple[TankStep, ...]
    boil_by: datetime | None
    """None for an empty tank, and for sap that keeps for longer than ten days."""
    warm_c: float
    warm_by: str
    over: float = 0.0
    """So many litres more left than were there."""
    gone: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    """What left it this season but for a pan, by reason (ice too): litres, and kg of sugar."""
    spilled_over: float = 0.0

    @property
    def drawn_to_l(self) -> float:
        """How high its picture goes: a tank's to its brim, pails' to a third more than is in them."""
        return self.tank.capacity_l if self.tank.bounded else max(self.content.litres * 4 / 3, 50.0)

    @property
    def empty(self) -> bool:
        """Whether nothing stands in it."""
        return self.content.litres < NOTHING_L


def tank_of(db: Connection, tank_id: str) -> Tank:
    """A tank by its id.

    Raises:
        NotFound: there is none.
    """
    found = next((t for t in store.tanks(db) if t.id == tank_id), None)
    if found is None:
        raise NotFound(_("There is no such tank; the sap page lists all."))
    return found


class Outside:
    """How warm it is outside, by the nights and days that are known."""

    def __init__(self, kitchen: Kitchen, days: Mapping[date, WeatherDay]) -> None:
        self._kitchen, self._days = kitchen, days

    def temperature_c(self, at: datetime) -> float | None:
        """At a moment: coldest about six in the morning, warmest about three; None where nobody knows."""
        local = local_time(at, self._kitchen)
        known = self._days.get(local.date())
        if known is None:
            return None
        middle, half = (known.night_c + known.day_c) / 2, (known.day_c - known.night_c) / 2
        return middle + half * cos(2 * pi * (local.hour + local.minute / 60 - 15) / 24)

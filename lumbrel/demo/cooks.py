"""The season's cooks: confections made of its lots in the candy pot, and one that is cooling now."""

import random
from collections.abc import Callable
from datetime import datetime, timedelta
from sqlite3 import Connection
from typing import NamedTuple
from uuid import NAMESPACE_OID, uuid5

from lumbrel.core.physics import water
from lumbrel.services.base import batch as contexts
from lumbrel.services.candy import begin
from lumbrel.services.candy.pot import pot_of
from lumbrel.services.day.checks import boiled
from lumbrel.services.stations import slip
from lumbrel.store import kept_lots
from lumbrel.store.db import transaction
from lumbrel.worlds.pan import Departures
from lumbrel.worlds.pot import HarshCandyPot

TAP_C = 9.0
"""Cream cools in the sink with the tap running."""
SEED, GLASS, OFFSET_K = 1771, "dial-a", -0.9
READ_EVERY_S, COOL_EVERY_S = 150, 240
Pressure = Callable[[datetime], float]


class DemoCook(NamedTuple):
    """One cook: when, what, for how much, where it cools, how far past its mark, and its scores."""

    at: str
    piece: str
    wanted: dict[str, str]
    bath: str
    over_k: float
    scores: dict[str, str]


COOKS = (
    DemoCook(
        at="2026-03-16 13:00",
        piece="moulded-sugar-soft",
        wanted={"by": "pieces", "pieces": "80", "each": "25 g"},
        bath="bench",
        over_k=-0.9,
        scores={"texture": "-1", "grain": "4", "taste": "5"},
    ),
    DemoCook(
        at="2026-03-21 12:30",
        piece="moulded-sugar-soft",
        wanted={"by": "pieces", "pieces": "80", "each": "25 g"},
        bath="bench",
        over_k=0.2,
        scores={"texture": "0", "grain": "4", "taste": "5"},
    ),
    DemoCook(
        at="2026-03-26 14:00",
        piece="cream",
        wanted={"by": "jars", "jars": "12", "jar": "125 ml"},
        bath="water",
        over_k=0.1,
        scores={"texture": "0", "grain": "5", "taste": "5"},
    ),
    DemoCook(
        at="2026-04-01 13:20",
        piece="granulated-sugar",
        wanted={"by": "syrup", "syrup": "3 kg", "each": "250 g"},
        bath="bench",
        over_k=0.4,
        scores={"texture": "0", "taste": "4"},
    ),
    DemoCook(
        at="2026-04-07 12:40",
        piece="moulded-sugar-firm",
        wanted={"by": "pieces", "pieces": "60", "each": "20 g"},
        bath="bench",
        over_k=1.6,
        scores={"texture": "1", "grain": "3", "taste": "4", "flaw": "hard"},
    ),
    DemoCook(
        at="2026-04-12 15:10",
        piece="cream",
        wanted={"by": "jars", "jars": "10", "jar": "125 ml"},
        bath="water",
        over_k=-0.3,
        scores={"texture": "0", "grain": "4", "taste": "4"},
    ),
)
NOW = DemoCook(
    at="",
    piece="cream",
    wanted={"by": "jars", "jars": "12", "jar": "125 ml"},
    bath="water",
    over_k=0.1,
    scores={},
)
COOLS_SINCE, BOILS_FOR = timedelta(minutes=9), timedelta(minutes=18)


def play(db: Connection, pressure_pa: Pressure, now: datetime) -> None:
    """Play every cook of the season, and one that has come off the fire some minutes ago."""
    rng = random.Random(SEED)
    for i, cook in enumerate(COOKS):
        begun = datetime.fromisoformat(f"{cook.at}+00:00")
        _Play(db, rng, cook, i, pressure_pa(begun)).whole(begun)
    last = _Play(db, rng, NOW, len(COOKS), pressure_pa(now))
    last.until_it_cools(now - COOLS_SINCE - BOILS_FOR, now)


class _Play:
    def __init__(
        self, db: Connection, rng: random.Random, cook: DemoCook, number: int, pressure_pa: float
    ) -> None:
        self.db, self.rng, self.cook, self.pressure_pa = db, rng, cook, pressure_pa
        self.number = number
        self.code = ""
        self.pot: HarshCandyPot | None = None

    def _id(self, what: str, at: datetime) -> str:
        return str(uuid5(NAMESPACE_OID, f"cook {self.number} {what} {at.isoformat()}"))

    def _put(self, kind: str, at: datetime, **fields: str) -> None:
        sent = {"id": self._id(kind, at), "kind_confirmed": "1", "pot_confirmed": "1", **fields}
        slip.put(self.db, self.code, kind, sent, at)

    def _test_boil(self, at: datetime) -> None:
        shown = round(water.boiling_point_c(self.pressure_pa) + OFFSET_K, 1)
        with transaction(self.db):
            boiled(
                self.db,
                self._id("test boil", at),
                GLASS,
                at,
                reading_c=shown,
                pressure_pa=self.pressure_pa,
            )

    def _fields(self, at: datetime) -> dict[str, str]:
        lots = [
            row
            for row in kept_lots.newest_lots(self.db, limit=60)
            if not row.confection
            and not row.for_processing
            and row.sugar_kind == "maple"
            and row.jars >= 8
            and row.packed_at < at
            and row.grade in ("Golden", "Amber", "Dark")
        ]
        lot = lots[self.number % 3]
        return {
            "id": self._id("begin", at),
            "piece": self.cook.piece,
            "lot": lot.code,
            "pot": "14 L",
            "bath": self.cook.bath,
            "vessel": "candy-pot",
            "thermometer": GLASS,
            **self.cook.wanted,
        }

    def _light(self, at: datetime) -> HarshCandyPot:
        if self.cook.at:
            # On the last day the dial was in boiling water in the morning.
            self._test_boil(at - timedelta(minutes=15))
        self.code = begin.begin(self.db, at, self._fields(at))
        board = pot_of(contexts.load(self.db, self.code, at))
        return HarshCandyPot(
            mass_kg=board.cook.mass_kg,
            brix=board.cook.brix,
            temperature_c=18.0,
            rate_kg_per_min=0.042,
            pressure_pa=self.pressure_pa,
            departs=Departures(wander=0.05),
            rng=random.Random(self.rng.random()),
            invert_fraction=0.012,
            invert_percent=0.8,
            bend_sigma=0.3,
        )

    def _mark_k(self, at: datetime) -> float:
        board = pot_of(contexts.load(self.db, self.code, at))
        return board.cook.above_water_k + self.cook.over_k

    def _read(self, at: datetime) -> None:
        assert self.pot is not None
        shown = self.pot.probe_c + OFFSET_K + self.rng.gauss(0, 0.15)
        if shown > 40:
            self._put("pot", at, instrument=GLASS, pot=f"{shown:.1f} C")

    def _boil(self, at: datetime) -> datetime:
        """From lighting the fire until it comes off; returns when that was."""
        self.pot = pot = self._light(at)
        mark, seconds = self._mark_k(at), 0
        while pot.temperature_c - pot.water_c < mark:
            pot.step(1.0)
            seconds += 1
            if seconds % READ_EVERY_S == 0:
                self._read(at + timedelta(seconds=seconds))
        at += timedelta(seconds=seconds)
        shown = pot.temperature_c + OFFSET_K
        runs = self.cook.bath == "water"
        water = {"running": "1", "around": f"{TAP_C:g} C"} if runs else {}
        self._put("cooked", at, bath=self.cook.bath, pot=f"{shown:.1f} C", **water)
        pot.take_off(self.cook.bath, running=runs, bath_c=TAP_C if runs else None)
        return at

    def _cool(self, at: datetime, until: datetime | None) -> datetime:
        """Until it may be stirred, or until a moment."""
        assert self.pot is not None
        board = pot_of(contexts.load(self.db, self.code, at))
        stir_c, seconds = board.cook.stir_c or 0.0, 0
        while self.pot.temperature_c > stir_c + 0.3:
            now = at + timedelta(seconds=seconds)
            if until is not None and now >= until:
                return until
            self.pot.step(1.0)
            seconds += 1
            if seconds % COOL_EVERY_S == 0:
                self._read(at + timedelta(seconds=seconds))
        return at + timedelta(seconds=seconds)

    def until_it_cools(self, at: datetime, now: datetime) -> None:
        """A cook that is off the fire, as it stands now."""
        off = self._boil(at)
        self._cool(off, now)

    def whole(self, at: datetime) -> None:
        """A cook from the fire to its scores."""
        at = self._boil(at)
        if self.cook.piece != "granulated-sugar":
            at = self._cool(at, None)
        at += timedelta(seconds=20)
        self._put("stir", at)
        assert self.pot is not None
        self.pot.stir(self.cook.piece)
        at += timedelta(seconds=self.pot.turns_after_s or 240)
        self._put("turned", at)
        board = pot_of(contexts.load(self.db, self.code, at))
        each = 1000 * (board.cook.each_kg or 0.25)
        made = board.mass_now_kg * (1 - self.rng.uniform(0.045, 0.075))
        count = int(1000 * made / each)
        at += timedelta(seconds=50)
        self._put("made", at, grams_1=f"{each:.0f} g", count_1=str(count), made=f"{made:.2f} kg")
        self._put("scored", at + timedelta(hours=20), **self.cook.scores)

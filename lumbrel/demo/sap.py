"""What came before the kitchen: three seasons of weather, trees and sap, and some boil-downs whose
near-syrup was finished here."""

import random
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from sqlite3 import Connection
from uuid import NAMESPACE_OID, uuid5

from lumbrel.core.sap import sap
from lumbrel.demo.at_the_pan import Finishes
from lumbrel.demo.sap_lots import BIRCH_TREES, FOLD_TREES, LOTS, YEAR_VIGOUR, LotOfYear
from lumbrel.services.base.form import CONFIRMED, BadInput
from lumbrel.services.sap import (
    contents,
    fire,
    gathered_sap,
    gear,
    played,
    rules,
    runs,
    tanks,
    taps,
    trees,
    weather,
)
from lumbrel.services.stations import slip
from lumbrel.store import sap as store
from lumbrel.store.kitchen import VesselRow, add_vessel
from lumbrel.worlds.channels import EACH_DRAW_KG, RATE_KG_MIN, Channels, a_day
from lumbrel.worlds.outdoors import Birches, Trees, Winter, station_of

SEASONS = (2024, 2025, 2026)
ARCH = VesselRow(id="arch-pan", name="Arch pan", shape="rectangular", sizes_mm=(1000.0, 600.0))
TANK = "landing-tank"
BOILS_IN, BOILS_FROM_L, TOO_OLD = 2026, 170.0, 0.9
INTO_THE_TANK_DAYS = 2
FILL_L, FEED_L, LOW_KG, POUR_AT_KG = 60.0, 30.0, 35.0, 15.0
WOOD_MJ_KG = 15.0
CONTINUOUS_FIRE, CHANNELS, LEVEL_L = 5, 8, 24.0
"""Which of the boil-downs runs continuously, through how many channels, and what stands in the pan."""


Write = Callable[[Connection, dict[str, str], datetime], None]


class SapSeasons:
    """Plays the seasons of sap against the services."""

    def __init__(self, db: Connection, until: datetime) -> None:
        self.db, self.until = db, until
        self.rng = random.Random(86)
        self.of_tree: dict[str, tuple[float, float]] = {}
        self._held: dict[tuple[str, int], tuple[float, int]] = {}
        self._taps: dict[tuple[str, int], dict[str, int]] = {}
        self._fires = 0

    def play(self, kitchen: Finishes) -> None:
        """Register trees and a tank, then play season by season."""
        add_vessel(self.db, ARCH)
        rules.save(self.db, rules.STANDARD | {"apart": "15"}, self._at(date(2024, 2, 8), 8))
        tank = {"id": TANK, "name": "Landing tank", "capacity": "600 L", "place": "outside"}
        tanks.add_tank(self.db, tank, self._at(date(2024, 2, 8), 9))
        self._trees("upper-fold", FOLD_TREES, ("sugar maple", "sugar maple", "red maple"))
        self._trees("birch-row", BIRCH_TREES, ("birch",))
        for year in SEASONS:
            self._season(year, kitchen)

    def _at(self, day: date, hour: int, minute: int = 0) -> datetime:
        return datetime(day.year, day.month, day.day, hour, minute, tzinfo=UTC)

    def _id(self, *named: object) -> str:
        return str(uuid5(NAMESPACE_OID, " ".join(map(str, named))))

    def _trees(self, lot: str, count: int, kinds: tuple[str, ...]) -> None:
        """Trees with the holes of the year before they were first noted."""
        at = self._at(date(2024, 2, 9), 10)
        for number in range(1, count + 1):
            tree = self._id(lot, number)
            girth = self.rng.uniform(100, 215)
            fields = {"name": str(number), "tree": kinds[number % len(kinds)]}
            taps.add_trees(self.db, lot, {"id": tree, **fields, "girth": f"{girth:.0f} cm"}, at)
            self.of_tree[tree] = (self.rng.lognormvariate(0, 0.25), self.rng.gauss(1, 0.1))
            for back in (1, 2):
                old = {
                    "year": str(2024 - back),
                    "bearing": f"{(120 + 70 * back + self.rng.uniform(-25, 25)) % 360:.0f}",
                    "height": f"{self.rng.uniform(1100, 1350):.0f} mm",
                }
                taps.old_hole(self.db, tree, {"id": self._id(tree, back), **old}, at)

    def _season(self, year: int, kitchen: Finishes) -> None:
        station = station_of(year)
        self._ticks(year)
        lots = [self._lot(year, station, lot) for lot in LOTS]
        tree_ids = {lot: self._tap(lot, year) for lot in ("upper-fold", "birch-row")}
        birches = Birches(seed=year, weather=station)
        ran = {day: (litres, brix) for day, litres, brix in birches.days()}
        lots.append(LotOfYear("birch-row", ran, 0))
        day = station.first
        last = min(station.first + timedelta(days=station.days), self.until.date())
        while day <= last:
            if (day - station.first).days % 7 == 6 or day == last:
                asked = {"id": self._id("station", day)}
                weather.from_station(self.db, station, asked, self._at(day, 6, 30))
            for lot in lots if day < self.until.date() else ():
                self._gather(lot, day, tree_ids.get(lot.id, []))
            if year == BOILS_IN and day < self.until.date() - timedelta(days=INTO_THE_TANK_DAYS + 1):
                self._empty_the_tank(day + timedelta(days=1), kitchen)
            day += timedelta(days=1)
        self._end(year, tree_ids)

    def _lot(self, year: int, station: Winter, lot: str) -> LotOfYear:
        taps, vigour, brix, hasty, dries = LOTS[lot]
        wood = Trees(
            seed=len(lot) * 31,
            weather=station,
            vigour=vigour * YEAR_VIGOUR[year],
            brix=brix,
            hasty=hasty,
            dries_days=dries,
        )
        budded = station.first + timedelta(days=58)
        ran = {day: ((litres, sugar) if day < budded else (0.0, sugar)) for day, litres, sugar in wood.days()}
        return LotOfYear(lot, ran, taps)

    def _tap(self, lot: str, year: int) -> list[str]:
        """Drill each tree where the rule says; those of the birches when they wake."""
        at = self._at(date(year, 3, 28) if lot == "birch-row" else date(year, 2, 16), 9)
        tapped = []
        for tree in store.trees(self.db, lot):
            if year > SEASONS[0]:
                seen = trees.view(self.db, tree.id, at)
                wider = seen.girths[0][1] / 10 * (1 + 0.008 * (year - SEASONS[0]))
                grown = {"id": self._id(tree.id, "girth", year), "girth": f"{wider:.1f} cm"}
                taps.measure(self.db, tree.id, grown, at - timedelta(minutes=30))
            for number, place in enumerate(trees.view(self.db, tree.id, at).places):
                here = {
                    "id": self._id(tree.id, "tap", year, number),
                    "bearing": f"{place.bearing_deg:.1f}",
                    "height": f"{place.height_mm:.0f} mm",
                }
                taps.tap(self.db, tree.id, here, at + timedelta(minutes=number))
                tapped.append(tree.id)
        return sorted(set(tapped))

    def _gather(self, lot: LotOfYear, day: date, tree_ids: list[str]) -> None:
        """Gather in the afternoon when there is enough, or after three days."""
        litres, brix = lot.ran.get(day, (0.0, 2.0))
        held = self._held
        before, days = held.get((lot.id, day.year), (0.0, 0))
        whole, waited = before + litres, days + 1
        if not (whole > (0.3 if lot.id == "birch-row" else 0.5) or (whole > 0.1 and waited >= 3)):
            held[lot.id, day.year] = (whole, waited if whole > 0.02 else 0)
            return
        held[lot.id, day.year] = (0.0, 0)
        fields = {
            "id": self._id("gathered", lot.id, day),
            "woodlot": lot.id,
            "clarity": "clear",
            "temperature": f"{self.rng.uniform(1, 6):.0f} C",
            "brix_by": "told",
            "brix": f"{brix + self.rng.gauss(0, 0.08):.1f}",
        }
        if tree_ids:
            for tree in tree_ids:
                taps = self._taps_of(lot.id, day.year).get(tree, 1)
                gave = whole * taps * self.of_tree[tree][0] * self.rng.lognormvariate(0, 0.12)
                fields[f"litres_{tree}"] = f"{gave:.1f} L"
        elif not lot.taps:
            return
        else:
            fields["taps"] = f"{lot.taps:.0f}"
            fields["litres"] = f"{whole * lot.taps:.0f} L"
        fields["tank"] = TANK if self._into_the_tank(lot.id, day) else ""
        self._sure(gathered_sap.gather, fields, self._at(day, 16, self.rng.randrange(50)))

    def _taps_of(self, lot: str, year: int) -> dict[str, int]:
        if (lot, year) not in self._taps:
            self._taps[lot, year] = store.taps_of(self.db, lot, year)
        return self._taps[lot, year]

    def _into_the_tank(self, lot: str, day: date) -> bool:
        """The landing's tank takes Upper Fold's sap before a boil-down, and the birches' last."""
        if lot == "upper-fold":
            return day.year == BOILS_IN
        return lot == "birch-row" and 0 <= (self.until.date() - day).days <= INTO_THE_TANK_DAYS

    def _sure(self, write: Write, fields: dict[str, str], at: datetime) -> None:
        try:
            write(self.db, fields, at)
        except BadInput as question:
            if question.errors:
                raise
            write(self.db, fields | {k + CONFIRMED: "1" for k in question.asks}, at)

    def _ticks(self, year: int) -> None:
        for number, task in enumerate(gear.BEFORE):
            done = {"id": self._id(year, task), "task": task}
            if task == "sanitised":
                done["sanitiser"] = "hot water"
            gear.tick(self.db, done, self._at(date(year, 2, 12), 9, number))

    def _end(self, year: int, tree_ids: dict[str, list[str]]) -> None:
        """Buds, and the taps pulled and left open."""
        ended = date(year, 4, 9)
        for lot in LOTS:
            runs.buds(self.db, lot, {"id": self._id("buds", lot, year)}, self._at(ended, 18))
        for tree in tree_ids["upper-fold"]:
            pulled = {"id": self._id("pulled", tree, year), "left": "open"}
            taps.pull(self.db, tree, pulled, self._at(ended, 17))

    def _empty_the_tank(self, day: date, kitchen: Finishes) -> None:
        """In the morning: boil down what is enough, throw out what is too old."""
        at = self._at(day, 8)
        held = played.view(self.db, TANK, at).content
        if held.used > TOO_OLD and held.litres > 1:
            old = {"id": self._id("out", day), "all": "1", "reason": "cloudy"}
            tanks.take_out(self.db, TANK, old, at)
        elif held.litres >= BOILS_FROM_L:
            self._fires += 1
            boil = self._run_continuously if self._fires == CONTINUOUS_FIRE else self._boil_down
            boil(day, at, held, kitchen)

    def _boil_down(self, day: date, at: datetime, held: contents.Content, kitchen: Finishes) -> None:
        """Boil the tank down on the arch all day, and pour it on to be finished."""
        lit = {
            "id": self._id("lit", day),
            "tank": TANK,
            "vessel": ARCH.id,
            "fill": f"{FILL_L:.0f} L",
            "target": "55",
        }
        code = fire.light(self.db, lit, at)
        mass, solids = FILL_L, FILL_L * held.brix / 100
        rate = RATE_KG_MIN * self.rng.gauss(1, 0.05)
        sap_in = FILL_L
        at += timedelta(minutes=55)
        self._put(code, "boiling", at)
        left = held.litres - FILL_L
        while left > 0.5 or mass > POUR_AT_KG:
            down_to = LOW_KG if left > 0.5 else POUR_AT_KG
            at += timedelta(minutes=(mass - down_to) / rate)
            mass = down_to
            if left > 0.5:
                fed = min(FEED_L, left)
                self._put(code, "fed", at, tank=TANK, litres=f"{fed:.1f} L")
                mass, left, sap_in = mass + fed, left - fed, sap_in + fed
                solids += fed * held.brix / 100
                at += timedelta(minutes=fed * 0.16 / rate)
        self._burn(code, at, sap_in, sap_in - mass)
        brix = 100 * solids / mass
        on = {"id": self._id("on", day), "vessel": "finisher-2", "brix": f"{brix:.1f}", "temperature": "98 C"}
        at += timedelta(minutes=4)
        finishing = fire.pour_on(self.db, code, on, at)
        kitchen.finish_near_syrup(finishing, at, mass, brix)

    def _burn(self, code: str, at: datetime, sap_kg: float, driven_kg: float) -> None:
        needed = sap_kg * 0.39 + driven_kg * 2.257
        wood = needed / (0.27 * self.rng.lognormvariate(0, 0.1)) / WOOD_MJ_KG
        burned = {"fuel": "hardwood", "measure": "wood kg", "setup": "blocks"}
        self._put(code, "fuel", at, amount=f"{wood:.0f}", **burned)

    def _run_continuously(self, day: date, at: datetime, held: contents.Content, kitchen: Finishes) -> None:
        """Run the tank through the arch all day, drawing syrup at the mark; what stands in it in the end
        is poured on."""
        lit = {
            "id": self._id("lit", day),
            "tank": TANK,
            "vessel": ARCH.id,
            "fill": f"{LEVEL_L:.0f} L",
            "continuous": "1",
            "channels": f"{CHANNELS}",
        }
        code = fire.light(self.db, lit, at)
        fill_kg = sap.mass_kg(LEVEL_L, held.brix)
        pan = Channels(count=CHANNELS, held_kg=fill_kg, rate_kg_min=RATE_KG_MIN, sap_brix=held.brix)
        at += timedelta(minutes=25)
        self._put(code, "boiling", at)
        left_kg, noted_kg, drawn_kg, drawn_sugar = held.mass_kg - fill_kg, 0.0, 0.0, 0.0
        minute = 0.0
        for minute, sugar_kg in a_day(pan, left_kg):
            now = at + timedelta(minutes=minute)
            if sugar_kg is None:
                noted_kg += self._feed(code, now, pan.ran_in_kg - noted_kg, held.brix)
            else:
                drawn_kg, drawn_sugar = drawn_kg + EACH_DRAW_KG, drawn_sugar + sugar_kg
                said = {"mass": f"{EACH_DRAW_KG} kg", "brix": f"{100 * sugar_kg / EACH_DRAW_KG:.2f}"}
                self._put(code, "part_draw", now, **said)
        at += timedelta(minutes=minute)
        self._burn(code, at, fill_kg + pan.ran_in_kg, pan.ran_in_kg - drawn_kg)
        on = {
            "id": self._id("on", day),
            "vessel": "finisher-2",
            "brix": f"{pan.standing_brix:.3f}",
            "mass": f"{fill_kg:.3f} kg",
            "temperature": "90 C",
        }
        opened: list[str] = []

        def pour(db: Connection, given: dict[str, str], now: datetime) -> None:
            opened.append(fire.pour_on(db, code, given, now))

        self._sure(pour, on, at + timedelta(minutes=5))
        kitchen.finish_near_syrup(opened[-1], at + timedelta(minutes=5), fill_kg, pan.standing_brix)
        brix = 100 * drawn_sugar / drawn_kg
        kitchen.finish_drawn(code, at + timedelta(minutes=20), drawn_kg, brix)

    def _feed(self, code: str, at: datetime, kg: float, brix: float) -> float:
        """Note what ran in since the last note, kg."""
        litres = sap.litres(kg, brix)
        self._put(code, "fed", at, tank=TANK, litres=f"{litres:.3f} L")
        return kg

    def _put(self, code: str, kind: str, at: datetime, **fields: str) -> None:
        sent = {"id": self._id(code, kind, at), **fields}

        def write(db: Connection, given: dict[str, str], now: datetime) -> None:
            slip.put(db, code, kind, given, now)

        self._sure(write, sent, at)

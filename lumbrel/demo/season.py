"""The Cinderpool season, made by the simulator with a fixed seed.

Everything goes through the same services a person uses; nothing is written past them except
what devices send.
"""

import random
import shutil
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from pathlib import Path
from sqlite3 import Connection
from uuid import NAMESPACE_OID, UUID, uuid5

from lumbrel.core.bench import refractometer
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.jar.hot_pack import jars_from
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.demo import cooks, outgoing
from lumbrel.demo.sap import SapSeasons
from lumbrel.devices.simulated import (
    SimulatedBarometer,
    SimulatedCup,
    SimulatedFinisher,
    SimulatedProbe,
)
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import CONFIRMED, BadInput
from lumbrel.services.candy import alarms as candy_alarms
from lumbrel.services.candy.pot import pot_of
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day.checks import test_boils
from lumbrel.services.day.pressure import Pressure, pressure_at
from lumbrel.services.kitchen import example
from lumbrel.services.pan import alarms
from lumbrel.services.pan.board import board_of
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.record.kept import ready
from lumbrel.services.stations import slip, waiting
from lumbrel.services.take_in import opening
from lumbrel.store import demo as demo_store
from lumbrel.store import photographs, record, safe
from lumbrel.store import samples as samples_store
from lumbrel.store.db import opened
from lumbrel.store.instruments import BarometerDetail, Instrument, ThermometerDetail, add_instrument
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from lumbrel.store.samples import Sample

SEED = 418
FIRST_DAY, LAST_DAY = date(2026, 2, 24), date(2026, 4, 18)
BIRCH_FROM = date(2026, 4, 9)
STARTS_AT = datetime(2026, 4, 18, 14, 25, tzinfo=UTC)
MINUTES_LEFT = 14.0
BAROMETER = Instrument(
    id="barometer", name="Kitchen barometer", detail=BarometerDetail(shows="station")
)
CUP_PROBE = Instrument(
    id="cup-probe", name="Cup probe", detail=ThermometerDetail(sort="digital", in_the_cup=True)
)
PROBE_OFFSET_K, DIAL_OFFSET_K = 0.42, -0.9
STEM_SHIFT = 0.95
TOLL_PERCENT = 20.0
MAPLE_LOTS = ("upper-fold", "tern-lot", "north-kiln", "old-quarry")
MIXED_EVERY, IN_PARTS_EVERY, POOLED = 6, 9, 2
FIRST_PART, SECOND_WOODLOT = 0.4, 0.3


def database(folder: Path) -> Path:
    """The demo's database in its data folder."""
    return folder / "lumbrel.sqlite3"


def make(path: Path) -> None:
    """Make the season in a new database; a half-made one is never left at `path`."""
    path.parent.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_name("season-in-the-making.sqlite3")
    for leftover in path.parent.glob("season-in-the-making.sqlite3*"):
        shutil.rmtree(leftover) if leftover.is_dir() else leftover.unlink()
    with opened(unfinished) as db:
        ready(db)
        db.execute("PRAGMA synchronous = OFF")
        safe.set_nature(db, "demo")
        Season(db).make()
        db.execute("PRAGMA synchronous = FULL")
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    photographs.move(unfinished, path)
    unfinished.rename(path)


@dataclass(kw_only=True)
class Delivery:
    """One batch of the season as the simulator will play it."""

    at: datetime
    woodlot: str
    vessel: str
    kind: str
    overshoot: float
    colour: float
    through: str = "jar"
    second: str = ""
    """Another woodlot whose concentrate is in the same pan."""
    in_parts: bool = False
    """Drawn off in two parts."""
    pooled_with: "Delivery | None" = None
    """Whose kettle is poured into this one's before it is filtered."""
    proved_by_stem: bool = True
    """Else by a drop: what the stem taught was learned before these are played."""
    code: str = ""


class Season:
    """Plays the season batch by batch against the services."""

    def __init__(self, db: Connection) -> None:
        self.db = db
        self.rng = random.Random(SEED)
        self.barometer = SimulatedBarometer(example.EXAMPLE_ELEVATION_M)
        self.hydrometer = Hydrometer(shift=STEM_SHIFT)

    def make(self) -> None:
        """Equip the kitchen, then play every delivery, the live one last."""
        began = datetime(2026, 2, 20, 9, tzinfo=UTC)
        example.load_example(self.db, began)
        settings = load_kitchen(self.db)
        save_kitchen(self.db, replace(settings, time_zone="UTC", toll_percent=TOLL_PERCENT), began)
        add_instrument(self.db, BAROMETER)
        add_instrument(self.db, CUP_PROBE)
        self._weather()
        deliveries = self._deliveries()
        for delivery in deliveries:
            self._play(delivery)
        outgoing.play(self.db, [d.code for d in deliveries if d.through == "jar"], STARTS_AT)
        self._live()
        self._kettle(next(d.code for d in deliveries if d.through == "colour"))
        cooks.play(self.db, self.barometer.station_pressure_pa, STARTS_AT)
        SapSeasons(self.db, STARTS_AT).play(self)
        self._calm()

    def _calm(self) -> None:
        """What called until now was answered, so that who comes finds a calm minute."""
        fires = waiting(self.db)
        for batch in (*fires["pan"], *fires["candy"]):
            context = contexts.of(self.db, batch, STARTS_AT)
            if context.is_cook:
                rings = candy_alarms.watch(self.db, pot_of(context))
            else:
                rings = alarms.watch(self.db, board_of(context))
            for alarm in rings:
                alarms.acknowledge(self.db, alarm.id, "PK", STARTS_AT)

    def _weather(self) -> None:
        at = datetime(2026, 2, 24, 5, tzinfo=UTC)
        samples = []
        while at <= STARTS_AT:
            samples.append(Sample(at, self.barometer.station_pressure_pa(at)))
            at += timedelta(minutes=30)
        samples_store.add_samples(self.db, BAROMETER.id, samples)

    def _deliveries(self) -> list[Delivery]:
        deliveries = []
        today = FIRST_DAY
        while today < LAST_DAY:
            birch = today >= BIRCH_FROM
            season = (today - FIRST_DAY) / (LAST_DAY - FIRST_DAY)
            runs = 0 if self.rng.random() < 0.22 else (2 if self.rng.random() < 0.3 else 1)
            for run in range(runs):
                light = 86 - 78 * season + self.rng.gauss(0, 5) - (6 if birch else 0)
                deliveries.append(
                    Delivery(
                        at=self._at(today, 9 + 4 * run, self.rng.randrange(50)),
                        woodlot="birch-row" if birch else self.rng.choice(MAPLE_LOTS),
                        vessel="finisher-1" if run == 0 else "finisher-2",
                        kind="birch" if birch else "maple",
                        overshoot=self.rng.gauss(1.5, 0.4)
                        if self.rng.random() < 0.14
                        else self.rng.gauss(0, 0.25),
                        colour=min(max(light, 6.0), 91.0),
                    )
                )
            today += timedelta(days=1)
        self._mix(deliveries)
        for delivery, through in zip(deliveries[-3:], ("colour", "filter", "draw"), strict=True):
            delivery.through = through
        return deliveries

    @staticmethod
    def _mix(deliveries: list[Delivery]) -> None:
        """Some pans are filled by two woodlots, some drawn in two parts, and on two days what the
        second pan gave is poured into the first one's kettle."""
        maple = [d for d in deliveries if d.kind == "maple"]
        for i, delivery in enumerate(maple):
            if i % MIXED_EVERY == 2:
                others = [lot for lot in MAPLE_LOTS if lot != delivery.woodlot]
                delivery.second = others[i % len(others)]
            delivery.in_parts = i % IN_PARTS_EVERY == 5
        same_day = [
            (first, second)
            for first, second in pairwise(maple)
            if first.at.date() == second.at.date()
        ]
        for first, second in same_day[:POOLED]:
            first.through, second.pooled_with = "draw", first

    @staticmethod
    def _at(on: date, hour: int, minute: int) -> datetime:
        return datetime(on.year, on.month, on.day, hour, minute, tzinfo=UTC)

    def _id(self) -> str:
        return str(UUID(int=self.rng.getrandbits(128), version=4))

    def _put(self, code: str, kind: str, at: datetime, **fields: str) -> None:
        """Put on the slip what a person would; what is asked about is confirmed, as they would."""
        sent = fields if "id" in fields else {"id": self._id(), **fields}
        if kind in ("hydrometer", "refractometer"):
            sent["dipped_ago"] = "0 s"
        try:
            slip.put(self.db, code, kind, sent, at)
        except BadInput as question:
            if question.errors:
                raise
            slip.put(self.db, code, kind, sent | {k + CONFIRMED: "1" for k in question.asks}, at)

    def _test_boil(self, at: datetime) -> None:
        settings = load_kitchen(self.db)
        now = pressure_at(self.db, settings, at)
        assert now is not None
        for instrument, offset, spread in (
            ("probe-1", PROBE_OFFSET_K, 0.08),
            ("dial-a", DIAL_OFFSET_K, 0.2),
        ):
            shows = now.boil_c + offset + self.rng.gauss(0, spread)
            typed = f"{shows:.1f}" if instrument == "probe-1" else f"{shows * 1.8 + 32:.1f} F"
            day_entries.test_boil(
                self.db, at, {"id": self._id(), "thermometer": instrument, "reading": typed}
            )
        self._test_boil_of_the_cup_probe(at, now.boil_c)

    def _test_boil_of_the_cup_probe(self, at: datetime, boil_c: float) -> None:
        early = {
            "id": f"cup-boil-{at:%Y%m%d%H%M}",
            "thermometer": CUP_PROBE.id,
            "reading": f"{boil_c + 0.1:.1f}",
        }
        day_entries.test_boil(self.db, at - timedelta(minutes=2), early)

    def _charge(self, delivery: Delivery) -> SimulatedFinisher:
        season = (delivery.at.date() - FIRST_DAY) / (LAST_DAY - FIRST_DAY)
        return SimulatedFinisher(
            mass_kg=round(self.rng.uniform(27, 36), 1),
            brix=46 - 7 * season + self.rng.gauss(0, 1.5),
            temperature_c=self.rng.uniform(18, 55),
            invert_fraction=DEFAULT_INVERT_FRACTION[delivery.kind],
            efficiency=self.rng.gauss(0.45, 0.02)
            * (1.0 if delivery.vessel == "finisher-1" else 0.8),
            probe_offset_k=PROBE_OFFSET_K,
        )

    def _take_in(self, delivery: Delivery, pot: SimulatedFinisher) -> str:
        sample = self.rng.uniform(17, 25)
        drop = self._prism(pot.brix, sample, delivery.kind)
        mass, second = pot.mass_kg, {}
        if delivery.second:
            share = round(SECOND_WOODLOT * mass, 1)
            mass -= share
            second = {
                "woodlot_2": delivery.second,
                "amount_2": f"{share:.1f} kg",
                "brix_2": f"{drop:.1f}",
            }
        delivery.code = opening.open_batch(
            self.db,
            delivery.at,
            {
                "id": self._id(),
                "vessel": delivery.vessel,
                "sugar_kind": delivery.kind,
                "woodlot": delivery.woodlot,
                "amount_by": "mass",
                "amount": f"{mass:.1f} kg",
                "brix": f"{drop:.1f}",
                "brix_by": "refractometer",
                "sample": f"{sample:.1f} C",
                "temperature": f"{pot.temperature_c:.0f} C",
                **second,
            },
        )
        return delivery.code

    def _prism(self, brix: float, sample_c: float, kind: str) -> float:
        invert = refractometer.INVERT_BRIX_PER_PERCENT * DEFAULT_INVERT_FRACTION[kind] * brix
        shown = brix - invert - refractometer.temperature_correction(brix, sample_c)
        return shown + self.rng.gauss(0, 0.15)

    def _boil(
        self, pot: SimulatedFinisher, delivery: Delivery, code: str, stop_brix: float, keep_s: int
    ) -> datetime:
        """Boil a batch down, reading as a finisher does; returns when it reached `stop_brix`."""
        at, second, samples = delivery.at, 0, []
        probe = delivery.vessel == "finisher-1"
        shown = SimulatedProbe(pot, self.rng)
        boiling = strained = foamed = False
        looks = [50.0, 55.0, 58.5, 61.0, 63.5, 65.6]
        while pot.brix < stop_brix:
            pressure = self.barometer.station_pressure_pa(at)
            pot.step(5.0, pressure)
            at += timedelta(seconds=5)
            second += 5
            if probe and second % keep_s == 0:
                samples.append(Sample(at, shown.indicated_c()))
            boils = pot.temperature_c - Pressure(pressure, 0, "", None, True).boil_c
            if not boiling and pot.temperature_c >= pot.boiling_point_c(pressure) - 0.01:
                boiling = True
                self._flush(samples)
                self._put(code, "boiling", at)
            if boiling and not foamed and boils > 2.0 and self.rng.random() < 0.002:
                foamed = True
                choice = self.rng.choice(("oil", "oil", "butter"))
                self._put(code, "foam", at, defoamer=choice)
            if boiling and not strained and boils > 2.3:
                strained = True
                self._put(code, "strained", at)
            if looks and pot.brix >= looks[0]:
                looks.pop(0)
                self._flush(samples)
                self._look(pot, delivery, code, at)
        self._flush(samples)
        return at

    def _flush(self, samples: list[Sample]) -> None:
        samples_store.add_samples(self.db, "probe-1", samples)
        samples.clear()

    def _stem_in(self, pot: SimulatedFinisher) -> Hydrometer:
        """The stem as it floats in this syrup: in birch, which is lighter, lower."""
        mostly_hexoses = pot.invert_fraction > 0.5
        return replace(
            self.hydrometer, invert_fraction=pot.invert_fraction if mostly_hexoses else 0.0
        )

    def _look(self, pot: SimulatedFinisher, delivery: Delivery, code: str, at: datetime) -> None:
        cup = pot.temperature_c - self.rng.uniform(6, 14)
        if pot.brix < 62 and self.rng.random() < 0.35:
            sample = self.rng.uniform(20, 27)
            shown = self._prism(pot.brix, sample, delivery.kind)
            self._put(
                code,
                "refractometer",
                at,
                instrument="hand-prism",
                reading=f"{shown:.1f}",
                sample=f"{sample:.1f} C",
            )
            return
        floats = self._stem_in(pot).mark(pot.brix, cup) + self.rng.gauss(0, 0.25)
        if floats < 45:
            self._put(code, "hydrometer", at, instrument="long-stem", below="1", cup=f"{cup:.0f} C")
        else:
            self._put(
                code,
                "hydrometer",
                at,
                instrument="long-stem",
                reading=f"{floats:.1f}",
                cup=f"{cup:.1f} C",
            )
        if delivery.vessel == "finisher-2" and self.rng.random() < 0.5:
            shown = pot.temperature_c + DIAL_OFFSET_K + self.rng.gauss(0, 0.15)
            self._put(
                code,
                "thermometer",
                at + timedelta(seconds=40),
                instrument="dial-a",
                reading=f"{shown * 1.8 + 32:.1f} F",
            )

    def _play(self, delivery: Delivery) -> None:
        morning = delivery.at.replace(hour=6, minute=40)
        boils = test_boils(self.db, "probe-1", delivery.at, 1)
        if not boils or boils[0].at < morning:
            self._test_boil(morning)
        pot = self._charge(delivery)
        code = self._take_in(delivery, pot)
        drawn_at = self._boil(pot, delivery, code, 66.75 + delivery.overshoot, 60)
        if delivery.in_parts:
            drawn_at = self._draw_a_part(pot, code, drawn_at)
        self._put(code, "draw", drawn_at)
        pot.cut_heat(0.005)
        self._finish(pot, delivery, code, drawn_at)

    def finish_near_syrup(self, code: str, at: datetime, mass_kg: float, brix: float) -> None:
        """Finish what a boil-down poured on, from the pan to the jars."""
        delivery, pot = self._of_upper_fold(at, "finisher-2", 58.0), self._pot(mass_kg, brix)
        drawn_at = self._boil(pot, delivery, code, 66.8, 60)
        self._put(code, "draw", drawn_at)
        pot.cut_heat(0.005)
        self._finish(pot, replace(delivery, proved_by_stem=False), code, drawn_at)

    def finish_drawn(self, code: str, at: datetime, mass_kg: float, brix: float) -> None:
        """Filter, grade and jar what a continuous pan gave."""
        delivery = replace(self._of_upper_fold(at, "arch-pan", 55.0), proved_by_stem=False)
        self._finish(self._pot(mass_kg, brix), delivery, code, at)

    def _of_upper_fold(self, at: datetime, vessel: str, colour: float) -> Delivery:
        return Delivery(
            at=at, woodlot="upper-fold", vessel=vessel, kind="maple", overshoot=0.0, colour=colour
        )

    def _pot(self, mass_kg: float, brix: float) -> SimulatedFinisher:
        """What a boil-down gave, on the fire."""
        return SimulatedFinisher(
            mass_kg=mass_kg,
            brix=brix,
            temperature_c=96.0,
            efficiency=0.36,
            probe_offset_k=PROBE_OFFSET_K,
        )

    def _draw_a_part(self, pot: SimulatedFinisher, code: str, at: datetime) -> datetime:
        """Draw off the first part; the rest stands for two minutes, the burner low."""
        part = round(FIRST_PART * pot.mass_kg, 1)
        self._put(code, "part_draw", at, mass=f"{part:.1f} kg")
        self._first_part = part
        pot.mass_kg -= part
        return at + timedelta(minutes=2)

    def _together(
        self, pot: SimulatedFinisher, delivery: Delivery, code: str, at: datetime
    ) -> None:
        """All that is in the kettle: the first part of the draw, and another batch's kettle."""
        if delivery.in_parts:
            pot.mass_kg += self._first_part
        if delivery.pooled_with:
            other = after_draw(contexts.load(self.db, delivery.pooled_with.code, at))
            whole = pot.mass_kg + other.mass_kg
            pot.brix = (pot.mass_kg * pot.brix + other.mass_kg * other.brix) / whole
            pot.mass_kg = whole
            self._put(code, "added", at, **{"from": delivery.pooled_with.code})

    def _finish(self, pot: SimulatedFinisher, delivery: Delivery, code: str, at: datetime) -> None:
        if pot.brix > 68.2:
            water = pot.mass_kg * (pot.brix - 66.9) / 66.9
            pot.mass_kg, pot.brix = pot.mass_kg + water, 66.9
            at += timedelta(minutes=6)
            self._put(code, "added", at, mass=f"{water:.2f} kg", brix="0")
        if delivery.proved_by_stem:
            self._read_the_draw_hot(pot, code, at + timedelta(minutes=2))
        self._together(pot, delivery, code, at + timedelta(minutes=5))
        stages = ("draw", "filter", "colour", "jar")
        last = stages.index(delivery.through)
        at += timedelta(minutes=12)
        if last >= 1:
            self._put(
                code,
                "filter",
                at,
                method=self.rng.choice(("layers", "felt")),
                temperature=f"{self.rng.uniform(86, 95):.0f} C",
                twice="1",
            )
        at += timedelta(minutes=10)
        if last >= 2:
            flaws = {"buddy": "1"} if delivery.colour < 9 and self.rng.random() < 0.5 else {}
            self._put(
                code,
                "colour",
                at,
                by="meter",
                transmittance=f"{delivery.colour:.0f}",
                path="10 mm",
                **flaws,
            )
        at += timedelta(minutes=15)
        if last >= 3:
            half = jars_from(pot.mass_kg * 0.97 * 0.7, pot.brix, 0.5)
            rest = pot.mass_kg * 0.97 - half * 0.5 * 1.328
            self._put(
                code,
                "jar",
                at,
                fill=f"{self.rng.uniform(83, 87):.0f} C",
                lot=code,
                size_1="500 ml",
                count_1=str(half),
                size_2="250 ml",
                count_2=str(max(jars_from(rest, pot.brix, 0.25), 1)),
            )
        self._prove_cold(pot, delivery, code, at)

    def _read_the_draw_hot(self, pot: SimulatedFinisher, code: str, at: datetime) -> None:
        """Every third draw is read hot in the drawing-off pot; with the cold proof it is a pair."""
        if self.rng.random() > 0.35:
            return
        self._read_stem(pot, code, at, self.rng.uniform(84, 93), 0.2)

    def _read_stem(
        self, pot: SimulatedFinisher, code: str, at: datetime, cup_c: float, spread: float
    ) -> None:
        """The long stem read in a cup, with a reader's scatter."""
        reading = self._stem_in(pot).mark(pot.brix, cup_c) + self.rng.gauss(0, spread)
        self._put(
            code,
            "hydrometer",
            at,
            instrument="long-stem",
            reading=f"{reading:.1f}",
            cup=f"{cup_c:.1f} C",
        )

    def _prove_cold(
        self, pot: SimulatedFinisher, delivery: Delivery, code: str, at: datetime
    ) -> None:
        tomorrow = at.replace(hour=6, minute=30) + timedelta(days=1)
        if tomorrow >= STARTS_AT:
            return
        if delivery.proved_by_stem:
            self._read_stem(pot, code, tomorrow, self.rng.uniform(17, 22), 0.12)
        else:
            shown = self._prism(pot.brix, 20.0, delivery.kind)
            drop = {"instrument": "hand-prism", "reading": f"{shown:.1f}", "sample": "20 C"}
            self._put(code, "refractometer", tomorrow, **drop)
        if delivery.through == "jar":
            self._say(
                code, "checked", tomorrow + timedelta(minutes=4), unsealed="0", clarity="clear"
            )

    def _say(self, code: str, kind: str, at: datetime, **fields: str) -> None:
        """Put on the slip what takes no chance: the season is drawn as it was without it."""
        own = str(uuid5(NAMESPACE_OID, f"{code} {kind} {at.isoformat()}"))
        self._put(code, kind, at, id=own, **fields)

    def _kettle(self, code: str) -> None:
        """A kettle heated up for its jars: off the fire a few minutes ago, the first are filled."""
        self._say(code, "reheat", STARTS_AT - timedelta(minutes=21))
        for ago, shown in ((6.5, 90.4), (4.0, 88.7), (1.5, 87.2)):
            self._say(code, "kettle", STARTS_AT - timedelta(minutes=ago), kettle=f"{shown} C")
        for ago, count in ((1.0, "4"), (0.3, "2")):
            jars = {"press": "1", "lot": code, "size_1": "500 ml", "count_1": count}
            self._say(code, "jar", STARTS_AT - timedelta(minutes=ago), **jars, preheated="1")

    def _live(self) -> None:
        """A batch in Finisher 1 with a quarter of an hour to go."""
        self._test_boil(STARTS_AT.replace(hour=6, minute=40))
        delivery = Delivery(
            at=STARTS_AT,
            woodlot="birch-row",
            vessel="finisher-1",
            kind="birch",
            overshoot=0.0,
            colour=20.0,
        )
        pot = self._charge(delivery)
        pot.mass_kg, pot.brix = 31.5, 44.2
        rehearsal = SimulatedFinisher(**pot.state())
        pressure = self.barometer.station_pressure_pa(STARTS_AT)
        seconds, stop = 0, [44.2]
        while rehearsal.brix < 66.9:
            rehearsal.step(5.0, pressure)
            seconds += 5
            stop.append(rehearsal.brix)
        left = int(MINUTES_LEFT * 60)
        delivery.at = STARTS_AT - timedelta(seconds=seconds - left)
        code = self._take_in(delivery, pot)
        reached = self._boil(pot, delivery, code, stop[(seconds - left) // 5], 10)
        batch = record.batch_by(self.db, code=code)
        assert batch is not None
        shown = SimulatedCup(pot).indicated_c(STARTS_AT)
        samples_store.add_samples(
            self.db, CUP_PROBE.id, [Sample(STARTS_AT - timedelta(seconds=1), shown)]
        )
        demo_store.save_demo_state(
            self.db, max(reached, STARTS_AT), {"batch": batch.id, "pot": pot.state()}
        )

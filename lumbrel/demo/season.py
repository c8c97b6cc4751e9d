"""The Cinderpool season, made by the simulator with a fixed seed.

Everything goes through the same services a person uses; nothing is written past them except
what devices send.
"""

import shutil
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from pathlib import Path

from lumbrel.demo import cooks, outgoing
from lumbrel.demo.at_the_pan import (
    DIAL_OFFSET_K,
    FIRST_DAY,
    LAST_DAY,
    PROBE_OFFSET_K,
    SECOND_WOODLOT,
    STARTS_AT,
    AtThePan,
    Delivery,
)
from lumbrel.demo.sap import SapSeasons
from lumbrel.services.base import batch as contexts
from lumbrel.services.candy import alarms as candy_alarms
from lumbrel.services.candy.pot import pot_of
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day.checks import test_boils
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.kitchen import example
from lumbrel.services.pan import alarms
from lumbrel.services.pan.board import board_of
from lumbrel.services.record.kept import ready
from lumbrel.services.stations import waiting
from lumbrel.services.take_in import opening
from lumbrel.store import demo as demo_store
from lumbrel.store import photographs, record, safe
from lumbrel.store import samples as samples_store
from lumbrel.store.db import opened
from lumbrel.store.instruments import BarometerDetail, Instrument, ThermometerDetail, add_instrument
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from lumbrel.store.samples import Sample
from lumbrel.worlds.book import SimulatedCup, SimulatedFinisher

BIRCH_FROM = date(2026, 4, 9)
MINUTES_LEFT = 14.0
BAROMETER = Instrument(id="barometer", name="Kitchen barometer", detail=BarometerDetail(shows="station"))
CUP_PROBE = Instrument(
    id="cup-probe", name="Cup probe", detail=ThermometerDetail(sort="digital", in_the_cup=True)
)
TOLL_PERCENT = 20.0
MAPLE_LOTS = ("upper-fold", "tern-lot", "north-kiln", "old-quarry")
MIXED_EVERY, IN_PARTS_EVERY, POOLED = 6, 9, 2


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


class Season(AtThePan):
    """Plays the season batch by batch against the services."""

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
            (first, second) for first, second in pairwise(maple) if first.at.date() == second.at.date()
        ]
        for first, second in same_day[:POOLED]:
            first.through, second.pooled_with = "draw", first

    def _test_boil(self, at: datetime) -> None:
        settings = load_kitchen(self.db)
        now = pressure_at(self.db, settings, at)
        assert now is not None
        for instrument, offset, spread in (("probe-1", PROBE_OFFSET_K, 0.08), ("dial-a", DIAL_OFFSET_K, 0.2)):
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

    def _take_in(self, delivery: Delivery, pot: SimulatedFinisher) -> str:
        sample = self.rng.uniform(17, 25)
        drop = self._prism(pot.brix, sample, delivery.kind)
        mass, second = pot.mass_kg, {}
        if delivery.second:
            share = round(SECOND_WOODLOT * mass, 1)
            mass -= share
            second = {"woodlot_2": delivery.second, "amount_2": f"{share:.1f} kg", "brix_2": f"{drop:.1f}"}
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

    def _live(self) -> None:
        """A batch in Finisher 1 with a quarter of an hour to go."""
        self._test_boil(STARTS_AT.replace(hour=6, minute=40))
        delivery = Delivery(
            at=STARTS_AT, woodlot="birch-row", vessel="finisher-1", kind="birch", overshoot=0.0, colour=20.0
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
        samples_store.add_samples(self.db, CUP_PROBE.id, [Sample(STARTS_AT - timedelta(seconds=1), shown)])
        demo_store.save_demo_state(self.db, max(reached, STARTS_AT), {"batch": batch.id, "pot": pot.state()})

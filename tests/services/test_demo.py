"""The demonstration: the season it promises, the live vessel, a pan that is left alone."""

import random
import tempfile
import unittest
from datetime import timedelta
from pathlib import Path

from lumbrel import demo
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import newest
from lumbrel.services.base.facts import AddedFacts
from lumbrel.services.candy import alarms as candy_alarms
from lumbrel.services.candy.pot import pot_of
from lumbrel.services.pan import alarms
from lumbrel.services.pan import board as boards
from lumbrel.services.shelf import lots
from lumbrel.services.stations import slip, waiting
from lumbrel.store import demo as demo_store
from lumbrel.store.db import opened
from lumbrel.worlds.book import SimulatedFinisher, SimulatedProbe
from tests.support.kitchen import season_copy


class Simulator(unittest.TestCase):
    def test_solids_stay_and_heat_becomes_steam(self) -> None:
        pot = SimulatedFinisher(mass_kg=30.0, brix=45.0, temperature_c=60.0)
        while pot.temperature_c < 98:
            pot.step(5, 96_000)
        mass, seconds = pot.mass_kg, 1800
        for _ in range(seconds // 5):
            pot.step(5, 96_000)
        self.assertAlmostEqual(pot.mass_kg * pot.brix, 30 * 45, delta=1e-6)
        lost = (mass - pot.mass_kg) / (seconds / 60)
        self.assertAlmostEqual(lost, pot.boil_off_kg_per_min, delta=0.01)
        shown = SimulatedProbe(pot, random.Random(1)).indicated_c()
        self.assertAlmostEqual(shown, pot.temperature_c, delta=0.4)

    def test_left_alone_it_cuts_out_and_cools(self) -> None:
        pot = SimulatedFinisher(mass_kg=20.0, brix=66.0, temperature_c=103.0)
        hottest = 0.0
        for _ in range(6 * 720):
            pot.step(5, 96_000)
            hottest = max(hottest, pot.temperature_c)
        self.assertLess(hottest, 126)
        self.assertLess(pot.temperature_c, 40)


class Season(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = season_copy(Path(folder.name) / "d")
        self.db = self.enterContext(opened(self.path))
        self.now = demo.clock(self.path, frozen=True)()

    def test_who_comes_finds_a_calm_minute(self) -> None:
        """Nothing calls within the first two minutes, on whatever page."""
        vessel = demo.LiveVessel(self.path, lambda: demo.STARTS_AT)
        vessel._last, state = demo_store.demo_state(self.db)
        vessel._batch_id, vessel._pot = state["batch"], SimulatedFinisher(**state["pot"])
        seen = set()
        for second in range(0, 121, 10):
            now = demo.STARTS_AT + timedelta(seconds=second)
            vessel.tick(self.db, now)
            for batch in (*waiting(self.db)["pan"], *waiting(self.db)["candy"]):
                context = contexts.of(self.db, batch, now)
                seen.add(context.is_cook)
                rings = (
                    candy_alarms.watch(self.db, pot_of(context))
                    if context.is_cook
                    else alarms.watch(self.db, boards.board_of(context))
                )
                self.assertEqual([alarm.kind for alarm in rings], [], (second, batch.code))
        self.assertEqual(seen, {True, False}, "a pan and a pot are looked after")

    def test_it_is_the_season_of_the_scenario(self) -> None:
        shelf = [lot for at in range(1, 5) for lot in lots.find(self.db, self.now, page=at).lots]
        self.assertGreaterEqual(len(shelf), 40)
        days = [lot.row.taken_at.date() for lot in shelf]
        self.assertGreaterEqual(min(days), demo.FIRST_DAY)
        self.assertLessEqual(max(days), demo.LAST_DAY)
        syrup = [lot for lot in shelf if not lot.row.confection]
        self.assertEqual({lot.row.grade for lot in syrup}, set(lots.GRADES))
        self.assertEqual(len(shelf) - len(syrup), 6)
        birch = [lot for lot in syrup if lot.row.sugar_kind == "birch"]
        maple = [lot for lot in syrup if lot.row.sugar_kind == "maple"]
        last_maple = max(m.row.taken_at for m in maple)
        self.assertTrue(birch and all(b.row.taken_at > last_maple for b in birch))
        put_back = [e for e in newest(self.db, AddedFacts) if e.facts.brix == 0]
        self.assertGreaterEqual(len(put_back), 3)
        self.assertTrue(all(63 < lot.brix < 70 for lot in syrup))

    def test_the_season_comes_out_the_same_each_time(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            again = demo.database(Path(folder))
            demo.make(again)
            with opened(again) as db:
                for query in ("SELECT id, at, typed, facts FROM line", "SELECT * FROM sample"):
                    rows = [tuple(row) for row in db.execute(query)]
                    self.assertEqual(rows, [tuple(row) for row in self.db.execute(query)])

    def test_the_verdict_calls_the_draw_close_to_the_truth(self) -> None:
        vessel, called = self._vessel(), None
        board = boards.board(self.db, "26-058", self.now)
        self.assertAlmostEqual(board.minutes_left, demo.MINUTES_LEFT, delta=1)
        while called is None and vessel._last < self.now + timedelta(minutes=20):
            vessel.tick(self.db, vessel._last + timedelta(seconds=15))
            if boards.board(self.db, "26-058", vessel._last).verdict.call.value == "draw_now":
                called = vessel._pot.brix
        self.assertAlmostEqual(called, 66.9, delta=0.6)
        slip.put(self.db, "26-058", "draw", {}, vessel._last)
        vessel.tick(self.db, vessel._last + timedelta(seconds=15))
        self.assertIsNone(vessel._pot)
        self.assertEqual(waiting(self.db)["pan"], [])

    def _vessel(self) -> demo.LiveVessel:
        vessel = demo.LiveVessel(self.path, demo.DemoClock(self.now, frozen=True))
        vessel._last, state = demo_store.demo_state(self.db)
        vessel._batch_id = state["batch"]
        vessel._pot = SimulatedFinisher(**state["pot"])
        return vessel

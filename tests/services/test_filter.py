"""The filter while it runs, and what it leaves behind."""

from datetime import timedelta

from lumbrel.core.physics.sucrose import density_kg_m3
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput
from lumbrel.services.filter.stack import Stack, stack_of
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.record.compared import differences
from lumbrel.services.shelf.accounts import accounts
from lumbrel.services.stations import line, waiting
from tests.support.kitchen import NOON, KitchenCase

SURE = {"reading_confirmed": "1", "mass_confirmed": "1"}


class AtTheFilter(KitchenCase):
    def drawn(self, day: int = 0) -> str:
        at = NOON + timedelta(days=day)
        code = self.take_in(at, vessel_confirmed="1")
        self.day = 1440.0 * day
        self.note(code, "refractometer", 90, reading="66.9", sample="20 C", **SURE)
        self.note(code, "draw", 90, mass="13.281 kg", **SURE)
        return code

    def note(self, code: str, kind: str, minutes: float, **fields: str) -> None:
        self.put(code, kind, self.day + minutes, **fields)

    def stack(self, code: str, minutes: float, method: str = "") -> Stack:
        now = NOON + timedelta(minutes=self.day + minutes)
        found = stack_of(contexts.load(self.db, code, now), method)
        assert found is not None
        return found

    def test_a_filter_tells_when_it_is_through_and_when_too_cold(self) -> None:
        code = self.drawn()
        before = self.stack(code, 92, "felt")
        self.assertEqual((before.method, before.begun, before.cold), ("felt", False, None))
        self.note(code, "kettle", 95, kettle="95 C")
        self.note(code, "passed", 96, litres="0", method="layers")
        self.note(code, "passed", 99, litres="3 L", method="layers")
        now = self.stack(code, 99)
        self.assertEqual(now.method, "layers")
        self.assertAlmostEqual(now.passed_l + now.left_l, 10.0, delta=0.1)
        self.assertTrue(now.in_time and now.minutes and 5 < now.minutes < 12)
        self.assertGreater(now.cold[2], now.cold[1])
        # It runs on while nobody looks, until the layer on top is due.
        later = self.stack(code, 101)
        self.assertGreater(later.passed_l, 4.0)
        much_later = self.stack(code, 160)
        self.assertAlmostEqual(much_later.run.blind, 0.8, delta=0.01)
        self.assertEqual(much_later.minutes_to_pull, 0.0)
        self.note(code, "pulled", 102)
        pulled = self.stack(code, 102)
        self.assertEqual((pulled.pulled, round(pulled.run.blind, 2)), (1, 0.0))
        state = next(p for p in line(self.db, later.fire.now) if p.station.key == "filter").state
        self.assertRegex(state.words, r"^[0-9.]+\u00a0L to go, \d+ min$")

    def test_what_stays_in_it_is_learned_and_flows(self) -> None:
        losses = []
        for day in range(3):
            code = self.drawn(day)
            there = after_draw(contexts.load(self.db, code, self.stack(code, 92).fire.now)).mass_kg
            losses.append(self.stack(code, 92, "layers").loss_kg)
            self.note(code, "filter", 100, method="layers", temperature="90 C", out=f"{there - 0.8} kg")
            left = after_draw(contexts.load(self.db, code, self.stack(code, 110).fire.now)).mass_kg
            self.assertAlmostEqual(left, there - 0.8, places=6)
        self.assertEqual(losses[0], 0.35)
        self.assertTrue(0.35 < losses[1] < losses[2] < 0.8)
        gone = accounts(self.db, 2026).total.left["in the filter"]
        self.assertAlmostEqual(gone, 3 * 0.8 * 0.669, delta=0.03)
        self.assertEqual(differences(self.db), [])

    def test_a_corrected_weight_is_held_against_what_went_in(self) -> None:
        code = self.drawn()
        there = after_draw(contexts.load(self.db, code, self.stack(code, 92).fire.now)).mass_kg
        hot = {"method": "layers", "temperature": "90 C"}
        old = self.put(code, "filter", 100, out=f"{there - 2} kg", **hot)
        again = {"supersedes": old.id, "why": "misread"}
        new = self.put(code, "filter", 105, out=f"{there - 0.5} kg", **hot, **again)
        self.assertAlmostEqual(new.facts.loss_kg, 0.5, places=6)

    def test_what_came_through_may_be_measured_hot(self) -> None:
        code = self.drawn()
        after = after_draw(contexts.load(self.db, code, self.stack(code, 92).fire.now))
        hot = {"method": "layers", "temperature": "90 C"}
        kg = 10 * density_kg_m3(after.syrup_brix, 90.0) / 1000
        done = self.put(code, "filter", 100, out="10 L", **hot)
        self.assertAlmostEqual(done.facts.out_kg, kg, places=4)
        again = {"supersedes": done.id, "why": "misread"}
        with self.assertRaises(BadInput) as refused:
            self.put(code, "filter", 100, out="60 L", **hot, **again)
        self.assertIn("out", refused.exception.errors)
        with self.assertRaises(BadInput):
            self.put(code, "filter", 100, out="10 hPa", **hot, **again)

    def test_a_cloudy_one_is_run_through_again_and_a_clear_one_is_not(self) -> None:
        code = self.drawn()
        first = {"method": "layers", "temperature": "90 C", "clarity": "cloudy"}
        self.note(code, "filter", 100, **first)
        self.note(code, "filter", 110, method="felt", temperature="90 C", clarity="clear")
        with self.assertRaises(BadInput) as refused:
            self.note(code, "filter", 115, method="felt", temperature="90 C")
        self.assertIn("kind", refused.exception.errors)
        self.assertNotIn(code, [b.code for b in waiting(self.db)["filter"]])

    def test_what_cannot_be_is_refused(self) -> None:
        code = self.drawn()
        for kind, fields, field in (
            ("filter", {"method": "layers", "temperature": "90 C", "out": "15 kg"}, "out"),
            ("passed", {"litres": "50 L", "method": "layers"}, "litres"),
            ("pulled", {}, "kind"),
        ):
            with self.assertRaises(BadInput) as refused:
                self.note(code, kind, 100, **fields)
            self.assertEqual(list(refused.exception.errors), [field])
        self.note(code, "passed", 101, litres="4 L", method="layers")
        with self.assertRaises(BadInput) as less:
            self.note(code, "passed", 102, litres="3 L", method="layers")
        self.assertIn("Less than before", less.exception.errors["litres"])

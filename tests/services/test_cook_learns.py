"""What cooks teach, and cooks that are practised."""

import tempfile
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from lumbrel.practice import pot_debrief
from lumbrel.practice.pot import PracticePot
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import NotFound
from lumbrel.services.candy import begin, clinic, learnt, plan
from lumbrel.services.candy.pot import pot_of
from lumbrel.services.day import entries as day_entries
from lumbrel.services.jar.labels import labels
from lumbrel.services.record.compared import differences
from lumbrel.services.stations import slip
from lumbrel.store import photographs
from lumbrel.store.db import opened
from tests.support.cook import WISH, CookCase
from tests.support.kitchen import NOON, KitchenCase


class Learns(CookCase):
    def cook(self, day: int, made: str) -> str:
        self.at = NOON + timedelta(days=day)
        day_entries.test_boil(
            self.db, self.at, {"id": f"boil-day{day}", "thermometer": "dial-a", "reading": "98.6 C"}
        )
        code = self.begin()
        self.whole(code, grams_1="25 g", count_1="55", made=made)
        return code

    def test_the_next_plan_uses_what_earlier_cooks_showed(self) -> None:
        later = NOON + timedelta(days=20)
        fields = {"lot": "L1", "bath": "bench", **WISH}
        first = plan.page(self.db, later, fields).cook
        self.assertEqual(first.learned, "")
        for day in (2, 3, 4):
            self.cook(day, "1.40 kg")
        page = plan.page(self.db, later, fields)
        self.assertGreater(page.cook.plan.left_in_pot_kg, 1.5 * first.plan.left_in_pot_kg)
        self.assertGreater(page.cook.plan.syrup_kg, first.plan.syrup_kg)
        self.assertIn("stays in the pot (3 cooks)", page.cook.learned)
        self.assertIn("how fast it cools on the bench (3)", page.cook.learned)
        self.assertEqual([dot.code for dot in page.dots], ["26-C03", "26-C02", "26-C01"])
        turn = learnt.turns(self.db, "moulded-sugar-soft", later)
        self.assertEqual(turn.learned_from, 3)
        # What was learned later changes nothing of before.
        self.assertEqual(plan.page(self.db, NOON + timedelta(days=1), fields).cook.learned, "")
        self.assertEqual(differences(self.db), [])

    def test_costs_and_fuel(self) -> None:
        fields = {"lot": "L1", "bath": "bench", **WISH, "price": "20", "fuel": "0.3"}
        cook = plan.page(self.db, self.at, fields).cook
        litres = cook.plan.syrup_kg / 1.329
        heat = cook.plan.syrup_kg * 2.7 * 84 + cook.plan.water_kg * 2257
        self.assertAlmostEqual(cook.fuel_kwh, heat / 1800, places=6)
        self.assertAlmostEqual(cook.cost, 20 * litres + 0.3 * heat / 1800, delta=0.3)
        self.assertAlmostEqual(cook.cost_each, cook.cost / 60)

    def test_scores_and_the_clinic_by_this_cook_s_figures(self) -> None:
        code = self.begin()
        self.boil(code, 110.6, kind_confirmed="1")
        self.step(code, "made", 40, grams_1="25 g", count_1="58")
        photo = photographs.draft(self.db, b"a picture of crumbs")
        scored = {"texture": "-2", "taste": "4", "flaw": "soft", "note": "sticks", "photo": photo}
        self.step(code, "scored", 900, **scored)
        self.assertEqual(list(photographs.named(self.db)), [photo])
        self.assertEqual(learnt.dots(self.db, NOON + timedelta(days=9))[0].verdict, "soft")
        said = clinic.clinic(self.board(code, 901), "soft")
        self.assertEqual(said.causes[0].words, "It was boiled too little")
        self.assertIn("under its mark", said.causes[0].because)
        self.assertGreater(said.remelt_kg, 0.1)
        self.assertIsNone(clinic.clinic(self.board(code, 901), "scorched").remelt_kg)

    def test_labels_name_what_is_in_it(self) -> None:
        code = self.begin()
        self.step(code, "foam", 5, defoamer="oil")
        self.whole(code)
        label = labels(self.db, code, self.at)[0]
        self.assertEqual((label.mass_g, label.count, label.pack_kind), (25.0, 58, "piece"))
        self.assertEqual(label.allergens, ("milk",), "its syrup's butter")
        self.assertEqual((label.best_before - label.jarred_on).days, 42)


class Practice(KitchenCase):
    def play(self, *faults: str) -> tuple[PracticePot, Any]:
        pot = PracticePot(60, faults, 11)
        self.addCleanup(pot.stop)
        with opened(pot.database) as db:
            at = pot._last + timedelta(seconds=10)
            pot.advance(db, at)
            with self.assertRaises(NotFound):
                pot_debrief.debrief(db, pot, at)
            wish = {"id": "practice-begin", "lot": pot.lot, "vessel": "candy-pot", "bath": "bench"}
            code = begin.begin(db, at, wish | WISH)
            at = self._to(db, pot, code, at, ("off", "over"))
            slip.put(db, code, "cooked", {"id": "practice-off", "bath": "bench"}, at)
            at = self._to(db, pot, code, at, ("ready",))
            slip.put(db, code, "stir", {"id": "practice-stir"}, at)
            for _ in range(600):
                at += timedelta(seconds=2)
                pot.advance(db, at)
                if pot.turned_at:
                    break
            slip.put(db, code, "turned", {"id": "practice-turned"}, at)
            at += timedelta(seconds=30)
            made = {
                "id": "practice-made",
                "grams_1": "25 g",
                "count_1": "56",
                "count_confirmed": "1",
            }
            slip.put(db, code, "made", made, at)
            return pot, pot_debrief.debrief(db, pot, at)

    def _to(self, db: Any, pot: PracticePot, code: str, at: datetime, calls: tuple[str, ...]) -> datetime:
        end = at + timedelta(hours=3)
        while pot_of(contexts.load(db, code, at)).call not in calls:
            at += timedelta(seconds=5)
            pot.advance(db, at)
            self.assertLess(at, end, "it never came so far")
        return at

    def test_an_honest_pot_is_well_cooked(self) -> None:
        pot, told = self.play()
        self.assertEqual(told.hidden, [])
        self.assertAlmostEqual(told.true_brix, told.wanted_brix, delta=0.9)
        self.assertEqual(told.verdict, "Well cooked.", told.told)
        self.assertEqual(pot.boiled_over, False)

    def test_a_bath_that_was_warm_is_said_to_stay_so(self) -> None:
        pot = PracticePot(60, ("warm",), 11)
        self.addCleanup(pot.stop)
        self.assertIn("bath=water", pot.home)
        with opened(pot.database) as db:
            at = pot._last + timedelta(seconds=10)
            pot.advance(db, at)
            wish = {"id": "practice-begin", "lot": pot.lot, "vessel": "candy-pot", "bath": "water"}
            code = begin.begin(db, at, wish | WISH | {"piece": "cream"})
            at = self._to(db, pot, code, at, ("off", "over"))
            slip.put(db, code, "cooked", {"id": "practice-off", "bath": "water"}, at)
            for _ in range(25):
                at += timedelta(minutes=1)
                pot.advance(db, at)
                cooling = pot_of(contexts.load(db, code, at)).cooling
                # What a probe shows is what is shown, whatever is thought of such a bath.
                self.assertAlmostEqual(cooling.now_c, pot.pot.probe_c, delta=0.6)
                self.assertFalse(cooling.ready)
            self.assertIn("Change the water", cooling.stays_warm)
            self.assertGreater(cooling.now_c, 35)
            told = {"id": "practice-bath", "bath": "water", "litres": "20 L", "around": "8 C"}
            slip.put(db, code, "bath", told, at)
            self.assertEqual(
                pot_of(contexts.load(db, code, at + timedelta(minutes=1))).cooling.stays_warm, ""
            )

    def test_a_bent_thermometer_boils_too_far(self) -> None:
        _, told = self.play("bent")
        self.assertRegex(told.told[0].truly, r"1\.\d.K over the mark")
        self.assertFalse(told.told[0].well)
        self.assertIn("No drop", told.hidden[0].noticed)

    def test_dark_syrup_never_turns_and_a_meter_tells(self) -> None:
        pot, told = self.play("dark")
        self.assertIsNone(pot.turned_at)
        self.assertEqual(told.verdict, "It does not set.")
        self.assertRegex(pot.look("meter").words, r"2[0-9]{2} mg/dL")

    def test_a_helper_makes_it_coarse_and_foam_takes_its_share(self) -> None:
        _, stirred = self.play("impatient")
        self.assertIn("coarse", stirred.texture)
        pot, foamed = self.play("foam")
        self.assertTrue(pot.boiled_over)
        self.assertIn("over the rim", foamed.hidden[0].noticed)


class Twice(KitchenCase):
    def test_a_folder_of_its_own(self) -> None:
        pot = PracticePot(20, [], 3)
        self.assertTrue(Path(pot.database).is_relative_to(tempfile.gettempdir()))
        pot.stop()
        self.assertFalse(Path(pot.database).exists())

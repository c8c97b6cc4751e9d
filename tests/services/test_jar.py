"""The kettle at the jars: its heat, what is pressed while filling, the look a day later."""

from datetime import timedelta
from math import exp, log

from lumbrel.core.errors import OutOfRange
from lumbrel.exchange.replay_out import as_replay
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.jar.kettle import Kettle, kettle_of
from lumbrel.services.kitchen.overview import due_next_day
from lumbrel.services.kitchen.register import add_to_kitchen
from lumbrel.services.pan.faults import faults, is_guessed
from lumbrel.services.record.compared import differences
from lumbrel.services.shelf.clinic import clinic
from lumbrel.services.shelf.recall import recall
from lumbrel.services.stations import line, waiting
from lumbrel.store import jars, kept, samples
from lumbrel.store.instruments import ThermometerDetail, instruments_of
from tests.support.kitchen import NOON, KitchenCase

SURE = {"reading_confirmed": "1", "mass_confirmed": "1"}


class AtTheKettle(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.code = code = self.take_in()
        self.put(code, "refractometer", 90, reading="66.9", sample="20 C", **SURE)
        self.put(code, "draw", 90, mass="13.281 kg", **SURE)
        self.put(code, "filter", 95, method="layers", temperature="90 C")
        self.put(code, "colour", 100, by="meter", transmittance="60", path="10 mm")

    def kettle(self, minutes: float, size: float | None = None) -> Kettle:
        now = NOON + timedelta(minutes=minutes)
        found = kettle_of(contexts.load(self.db, self.code, now), size)
        assert found is not None
        return found

    def read(self) -> None:
        for minutes, shown in ((110, 91.0), (112, 89.6), (114, 88.2)):
            self.put(self.code, "kettle", minutes, kettle=f"{shown} C")

    def test_jars_that_fit_in_this_heat(self) -> None:
        cold = self.kettle(109)
        self.assertIsNone(cold.in_this_heat)
        self.assertAlmostEqual(cold.left_ml, 10_000, delta=60)
        self.read()
        now = self.kettle(116)
        self.assertAlmostEqual(now.fire.now_c, 86.9, delta=0.3)
        self.assertTrue(now.low < now.minutes_left < now.high)
        self.assertAlmostEqual(now.minutes_left, 7.4, delta=1.2)
        self.assertEqual(now.in_this_heat, int(now.minutes_left * now.pace_per_min))
        # As many as there is syrup for, and no more.
        self.assertEqual(self.kettle(116, 5000).in_this_heat, 1)
        self.assertEqual(self.kettle(150).in_this_heat, 0)
        # At 66.9 Brix 664.1 g, and at 85 degC 514.9 ml: this is a little denser, and hotter.
        self.assertTrue(664.1 < now.fill_g < 667.0)
        self.assertTrue(514.9 < now.hot_ml < 516.5)

    def test_a_press_fills_a_jar_at_the_kettles_own_heat(self) -> None:
        self.read()
        press = {"press": "1", "lot": self.code, "size_1": "500 ml"}
        first = self.put(self.code, "jar", 116, count_1="6", **press)
        self.assertEqual((first.facts.fill_by, first.facts.more_left), ("kettle", True))
        self.assertAlmostEqual(first.facts.fill_c, 86.9, delta=0.3)
        self.assertEqual(self.kettle(116).filled, 6)
        # Six in six minutes, and what is usual counts like three.
        self.assertAlmostEqual(self.kettle(116).pace_per_min, (1.5 * 3 + 6) / 9)
        # What is left fills one more of the smallest, until it does not.
        rest = self.put(self.code, "jar", 118, count_1="13", **press)
        self.assertTrue(rest.facts.more_left)
        last = self.put(self.code, "jar", 119, count_1="1", **press)
        self.assertFalse(last.facts.more_left)
        self.assertNotIn(self.code, [b.code for b in waiting(self.db)["jar"]])
        self.assertEqual(differences(self.db), [])

    def probe(self, sent: dict[float, float]) -> None:
        """What the loose probe sends, by minutes after noon."""
        moments = [samples.Sample(NOON + timedelta(minutes=m), shown) for m, shown in sent.items()]
        samples.add_samples(self.db, self.loose, moments)

    def test_a_probe_in_the_kettle_tells_its_cooling_until_it_is_taken_out(self) -> None:
        fields = {"name": "Kettle probe", "sort": "digital"}
        add_to_kitchen(self.db, "thermometer", fields, NOON)
        found = instruments_of(self.db, ThermometerDetail)
        self.loose = next(i.id for i in found if i.name == "Kettle probe")
        with self.assertRaisesRegex(BadInput, "does not speak"):
            self.put(self.code, "kettle", 110, probe=self.loose)
        self.probe({109.9: 25.0})
        with self.assertRaisesRegex(BadInput, "is it in the kettle"):
            self.put(self.code, "kettle", 110, probe=self.loose)
        cooling = {110.4 + m: 20 + 71 * exp(-0.011 * m) for m in range(6)}
        self.probe({110.2: 91.0, **cooling})
        self.put(self.code, "kettle", 110.3, probe=self.loose)
        now = self.kettle(116)
        self.assertTrue(now.fire.live)
        self.assertEqual(len(now.fire.shown), 7)
        self.assertAlmostEqual(now.fire.now_c, 20 + 71 * exp(-0.011 * 5.6), delta=0.2)
        to_82 = log(71 / 62) / 0.011 - 5.6
        self.assertAlmostEqual(now.minutes_left, to_82, delta=0.1 * to_82 + 0.1)
        self.probe({117: 40.0, 118: 33.0})
        out = self.kettle(118.5)
        self.assertEqual(len(out.fire.shown), 7, "it lies on the bench and cools by itself")
        self.put(self.code, "kettle", 119, kettle="84 C")
        self.assertEqual(self.kettle(119).fire.shown[-1].temperature_c, 84.0)

    def test_a_wish_is_filled_first(self) -> None:
        now = NOON + timedelta(minutes=109)
        context = contexts.load(self.db, self.code, now)
        plain, wished = kettle_of(context), kettle_of(context, None, {250.0: 10})
        assert plain and plain.plan and wished and wished.plan
        self.assertLess(dict(plain.plan.jars).get(250.0, 0), 2)
        self.assertGreaterEqual(dict(wished.plan.jars)[250.0], 10)
        with self.assertRaisesRegex(OutOfRange, "wished for"):
            kettle_of(context, None, {500.0: 21})

    def test_off_the_fire_nothing_grows_warmer(self) -> None:
        self.read()
        with self.assertRaises(BadInput) as asked:
            self.put(self.code, "kettle", 116, kettle="92 C")
        self.assertEqual(list(asked.exception.asks), ["kettle"])
        self.put(self.code, "reheat", 116)
        self.assertTrue(self.kettle(117).fire.on_fire)
        self.put(self.code, "kettle", 120, kettle="92 C")
        told = as_replay(contexts.load(self.db, self.code, NOON + timedelta(minutes=121)))
        self.assertEqual((told.count('"kind": "kettle"'), told.count('"kind": "reheat"')), (4, 1))
        again = self.kettle(120)
        self.assertEqual((again.fire.reheats, again.fire.on_fire, len(again.fire.shown)), (1, False, 1))
        state = next(p for p in line(self.db, again.fire.now) if p.station.key == "jar").state
        self.assertRegex(state.words, r"^\d+ jars, \d+ min$")

    def test_too_cold_is_asked_about_and_nothing_more_ends_it(self) -> None:
        self.read()
        press = {"press": "1", "lot": self.code, "size_1": "500 ml", "count_1": "1"}
        with self.assertRaises(BadInput) as asked:
            self.put(self.code, "jar", 150, **press)
        self.assertEqual(list(asked.exception.asks), ["fill"])
        self.put(self.code, "jar", 116, **press)
        self.assertIn(self.code, [b.code for b in waiting(self.db)["jar"]])
        self.put(self.code, "packed", 130)
        self.assertNotIn(self.code, [b.code for b in waiting(self.db)["jar"]])

    def test_what_nobody_read_is_asked_about_and_no_dead_end(self) -> None:
        """By its time on the fire alone it would be candy; who knows better fills jars of it."""
        code = self.take_in(vessel="finisher-1")
        self.put(code, "boiling", 5)
        self.put(code, "draw", 400, mass="19 kg", **SURE, sums_confirmed="1")
        drawn = contexts.load(self.db, code, NOON + timedelta(minutes=401))
        self.assertRegex(" ".join(faults(drawn)), "is a guess")
        row = {"fill": "85 C", "lot": code, "size_1": "500 ml", "count_1": "20"}
        with self.assertRaises(BadInput) as asked:
            self.put(code, "jar", 402, **row)
        self.assertRegex(asked.exception.asks["size_1"], "would be candy")
        self.assertEqual(asked.exception.errors, {})
        self.put(code, "jar", 402, **row, size_1_confirmed="1")
        self.assertEqual(differences(self.db), [])
        self.put(code, "refractometer", 405, reading="66.9", sample="20 C", **SURE)
        read = contexts.load(self.db, code, NOON + timedelta(minutes=406))
        self.assertEqual((faults(read), is_guessed(read)), ([], False))

    def test_a_jar_that_comes_back_is_held_against_its_lots_figures(self) -> None:
        self.read()
        press = {"press": "1", "lot": self.code, "size_1": "500 ml", "count_1": "4"}
        self.put(self.code, "jar", 116, **press)
        cold = {"fill_confirmed": "1", "lot": "B2", "size_1": "500 ml", "count_1": "2"}
        self.put(self.code, "jar", 140, **cold)
        out = {"size_1": "500 ml", "count_1": "1", "lot": "B2"}
        self.put(self.code, "taken_out", 2000, reason="sold", **out)
        back = self.put(self.code, "came_back", 9000, complaint="mould", **out)
        self.assertEqual(back.facts.complaint, "mould")
        self.assertEqual([jar.count for jar in jars.jars_of(self.db, "B2")], [1], "never sold again")
        with self.assertRaisesRegex(BadInput, "2 of 500 ml would have come back .* only 1 ha"):
            self.put(self.code, "came_back", 9050, **out)
        context = contexts.load(self.db, self.code, NOON + timedelta(days=7))
        good, bad = (clinic(context, lot, "mould").causes for lot in (self.code, "B2"))
        self.assertEqual(bad[0].words, "It was filled too cold")
        self.assertNotEqual(good[0].words, bad[0].words)
        alike = clinic(context, "B2", "mould").alike
        self.assertEqual([(a.code, a.filled) for a in alike], [(self.code, 4), ("B2", 2)])
        self.assertIsNone(clinic(context, "B2", "ugly"))
        cloud = clinic(context, "B2", "cloud").causes
        self.put(self.code, "reheat", 9100)
        later = contexts.load(self.db, self.code, NOON + timedelta(days=7))
        again = clinic(later, "B2", "cloud").causes
        niter = {c.words: c for c in again}["New niter formed after the filter"]
        self.assertIn("heated again once", niter.because)
        self.assertGreater(niter.share, {c.words: c.share for c in cloud}[niter.words])
        thin = [c.because for c in clinic(context, "B2", "thin").causes]
        self.assertTrue(any("never read cold" in why for why in thin), thin)
        # The other lot of the kettle is called back with it; what came back stands on the shelf.
        called = recall(self.db, "B2")
        self.assertEqual([lot.code for lot in called.lots], [self.code, "B2"])
        self.assertEqual((called.here, called.gone), (5, 1))
        self.assertEqual([one.reason for one in called.lots[1].gone], ["sold"])
        with self.assertRaises(NotFound):
            recall(self.db, "nowhere")
        with self.assertRaises(BadInput):
            self.put(self.code, "came_back", 9001, complaint="ugly", **out)

    def test_lids_are_asked_for_the_next_day_until_they_were_looked_at(self) -> None:
        self.read()
        press = {"press": "1", "lot": self.code, "size_1": "500 ml", "count_1": "4"}
        self.put(self.code, "jar", 116, **press)
        now = NOON + timedelta(hours=20)
        self.assertEqual([b.code for b in due_next_day(self.db, now)], [self.code])
        self.assertEqual(due_next_day(self.db, NOON + timedelta(hours=3)), [])
        with self.assertRaises(BadInput) as refused:
            self.put(self.code, "checked", 1200, unsealed="5", clarity="clear")
        self.assertIn("4 jars", refused.exception.errors["unsealed"])
        self.put(self.code, "checked", 1200, unsealed="1", clarity="hazy")
        self.assertEqual(due_next_day(self.db, now), [])
        self.assertIsNotNone(kept.standing_of(self.db, contexts.load(self.db, self.code, now).batch.id))

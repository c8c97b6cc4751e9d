"""Confections: the map's lines, whether a syrup sets, a cook's mass, and what is refused."""

import random
import unittest
from datetime import timedelta
from itertools import pairwise

from icalendar import Calendar

from lumbrel.core.candy import cook, firmness, setting
from lumbrel.core.candy.bath import PotPlace, minutes_to_cool
from lumbrel.core.candy.confections import confections
from lumbrel.core.candy.day import CookJob, lay_out
from lumbrel.core.candy.keeping import keeping
from lumbrel.core.errors import OutOfRange
from lumbrel.exchange.calendar import as_calendar
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput
from lumbrel.services.candy import day as candy_days
from lumbrel.services.candy import plan
from lumbrel.services.candy.calculations import confection
from lumbrel.services.candy.station import cautions_before
from lumbrel.services.stations import slip
from lumbrel.web.candy import picture
from tests.support.kitchen import NOON, KitchenCase

PIECES = {piece.key: piece for piece in confections()}


class Map(unittest.TestCase):
    def test_its_lines_are_what_the_calculation_says(self) -> None:
        """At a hundred points of the lines, pressures, servings and syrups at random."""
        chance = random.Random(8)
        tried = 0
        while tried < 100:
            hpa, serving = chance.uniform(850, 1040), chance.uniform(0, 35)
            invert = chance.uniform(0, 0.04)
            crystal = firmness.crystal_lines(100 * hpa, serving, invert)
            grain = firmness.grain_lines(100 * hpa, invert)
            share, above = chance.choice(crystal)
            level, points = chance.choice(grain)
            on_line = chance.choice(points)
            for at, stir in ((above, 40.0), on_line):
                said = confection(
                    above_water_c=at,
                    station_pressure_hpa=hpa,
                    stir_temperature_c=stir,
                    serving_temperature_c=serving,
                    invert_fraction=invert,
                )
                if at == above:
                    self.assertAlmostEqual(said.crystal_fraction, share, places=5)
                else:
                    self.assertAlmostEqual(said.supersaturation, level, delta=0.002 * level)
                tried += 1

    def test_hotter_is_firmer_and_colder_is_finer(self) -> None:
        crystals = [firmness.point(k, 80, 95_700).crystal for k in (11, 14, 17, 20, 24)]
        self.assertEqual(crystals, sorted(crystals))
        grains = [firmness.point(14.4, c, 95_700).grain for c in (20, 40, 60, 80, 99)]
        self.assertEqual(grains, sorted(grains, reverse=True))
        soft = firmness.point(26 / 1.8, 84, 95_700)
        self.assertAlmostEqual(soft.brix, 85.65, delta=0.05)
        self.assertEqual(soft.texture, "Firm to the finger, melts on the tongue")
        self.assertFalse(soft.sets_in_pot)
        self.assertTrue(firmness.point(40 / 1.8, 45, 95_700).sets_in_pot)
        self.assertIsNone(firmness.point(14, 110, 95_700).grain)
        with self.assertRaisesRegex(OutOfRange, "hotter than the boil"):
            firmness.point(12, 120, 85_000)

    def test_where_it_sets_in_the_pot_is_where_its_points_say_so(self) -> None:
        edge = firmness.sets_in_pot(95_700.0)
        self.assertGreater(len(edge), 5)
        for k, c in edge[1:]:
            self.assertTrue(firmness.point(k, c - 1, 95_700).sets_in_pot)
            self.assertFalse(firmness.point(k, c + 1, 95_700).sets_in_pot)
        self.assertFalse(firmness.point(edge[0][0] - 0.2, 20, 95_700).sets_in_pot)

    def test_what_is_set_keeps_as_its_syrup_does(self) -> None:
        """What is liquid in it is saturated syrup, whatever it was boiled to; taffy is drier, drops driest."""
        cream, firm = (
            keeping(key, brix).water_activity for key, brix in (("cream", 84), ("moulded-sugar-firm", 88))
        )
        self.assertEqual(cream, firm)
        self.assertAlmostEqual(cream or 0, 0.87, delta=0.02)
        taffy, drops = keeping("snow-taffy-soft", 84), keeping("hard-drops", 97)
        assert taffy.water_activity and drops.water_activity and cream
        self.assertTrue(drops.water_activity < taffy.water_activity < cream)
        self.assertIsNone(keeping("granulated-sugar", 91).water_activity)


class WillItSet(unittest.TestCase):
    def test_the_darker_the_less_likely(self) -> None:
        piece = PIECES["granulated-sugar"]
        fits = [setting.fit(setting.estimated(g, "maple"), piece).right for g in setting.BY_GRADE]
        for lighter, darker in pairwise(fits[:4]):
            self.assertGreater(lighter, darker)
        early, late = (setting.fit(setting.estimated("Dark", "maple", days), piece).right for days in (2, 50))
        self.assertGreater(early, late)
        birch = setting.estimated("Amber", "birch")
        self.assertLess(setting.fit(birch, piece).sets, 0.001)
        self.assertEqual(setting.fit(birch, PIECES["hard-drops"]).sets, 1.0)

    def test_a_meter_says_more_than_the_class(self) -> None:
        said = setting.measured(setting.reading("100 mg/dL"), 10)
        self.assertAlmostEqual(said.percent, 2.0)
        self.assertLess(said.sigma, setting.estimated("Amber", "maple").sigma)
        cream = PIECES["cream"]
        right = [setting.fit(setting.Invert(p, 0.15), cream).right for p in (0.1, 1.2, 3.0)]
        self.assertTrue(right[1] > 0.99 and max(right[0], right[2]) < 0.02, right)
        with self.assertRaisesRegex(OutOfRange, "dilute further"):
            setting.reading("HI")
        with self.assertRaises(OutOfRange):
            setting.reading("lots")


class Cook(unittest.TestCase):
    def test_mass_closes_to_the_gram_and_no_pot_is_more_than_half_full(self) -> None:
        chance = random.Random(4)
        for _ in range(300):
            brix, final, loss = (
                chance.uniform(60, 75),
                chance.uniform(82, 97),
                chance.uniform(0, 0.2),
            )
            pot = chance.uniform(1, 40)
            kg = chance.uniform(0.1, 60)
            wanted = {"made_kg": kg} if chance.random() < 0.5 else {"syrup_kg": kg}
            made = cook.plan_cook(brix, final, pot, loss=loss, **wanted)
            boiled = made.made_kg + made.left_in_pot_kg
            self.assertAlmostEqual(made.syrup_kg, boiled + made.water_kg, delta=0.001)
            self.assertAlmostEqual(made.syrup_kg * brix, boiled * final, delta=0.001 * final)
            self.assertLessEqual(made.full, 0.5 + 1e-9)
            if made.batches > 1:
                fewer = made.full * made.batches / (made.batches - 1)
                self.assertGreater(fewer, 0.5, "no batch more than it takes")
            self.assertAlmostEqual(next(iter(wanted.values())), kg)

    def test_a_plan_warns_of_what_its_confection_cools_in(self) -> None:
        for piece in confections():
            keys = [key for key, _words in cautions_before(piece)]
            cools_in = "snow" if "taffy" in piece.name else "bath"
            self.assertEqual(keys, ["candy", "foam", cools_in], piece.key)

    def test_a_bath_that_is_not_cold_enough(self) -> None:
        slow, quick = (minutes_to_cool(PotPlace(bath=b, mass_kg=3), 113, 84) for b in ("bench", "water"))
        self.assertGreater(slow, 5 * quick)
        with self.assertRaisesRegex(OutOfRange, "never cools"):
            minutes_to_cool(PotPlace(bath="bench", mass_kg=3), 113, 20)


class Day(KitchenCase):
    def test_no_pot_and_no_hand_has_two_things_to_do(self) -> None:
        """Twelve batches in three pots, at random; each laid out, and what cools is stirred at once."""
        chance = random.Random(12)
        for _ in range(12):
            jobs = [
                CookJob(
                    f"{i}",
                    (
                        cook.CookStage("lay out", 5, True),
                        cook.CookStage("boil", chance.uniform(10, 50), True),
                        cook.CookStage("cool", chance.uniform(0, 80), False),
                        cook.CookStage("work", chance.uniform(3, 15), True),
                    ),
                )
                for i in range(12)
            ]
            day = lay_out(jobs, 3)
            self.assertEqual(sorted(one.job.name for one in day), sorted(j.name for j in jobs))
            for pot in range(3):
                mine = [one for one in day if one.pot == pot]
                for one, following in pairwise(mine):
                    self.assertLessEqual(one.end, following.start + 1e-6)
            hands = sorted((o.start + a, o.start + b) for o in day for a, b in o.job.hands)
            for (_, end), (begins, _) in pairwise(hands):
                self.assertLessEqual(end, begins + 1e-6)
            busy = sum(b - a for j in jobs for a, b in j.hands)
            whole = max(one.end for one in day)
            one_by_one = sum(job.minutes for job in jobs)
            self.assertTrue(busy <= whole < one_by_one)
            self.assertLess(whole - busy, 0.35 * (one_by_one - busy), "waits are mostly filled")

    def day(self, **fields: str) -> candy_days.CandyDay | None:
        return candy_days.candy_day(self.db, NOON, fields)

    def test_a_day_goes_into_a_calendar(self) -> None:
        two = {
            "piece_1": "cream",
            "syrup_1": "12 kg",
            "piece_2": "snow-taffy-soft",
            "syrup_2": "2 kg",
        }
        day = self.day(**two, pots="2", pot="12 L", begin="15:00")
        assert day
        self.assertEqual(
            [b.name for b in day.batches if "Cream" in b.name][:2],
            ["Cream, 1 of 2", "Cream, 2 of 2"],
        )
        events = Calendar.from_ical(as_calendar(day, "Cinderpool", NOON)).walk("VEVENT")
        self.assertEqual(len(events), sum(len(batch.parts) for batch in day.batches))
        first = min(events, key=lambda event: event["dtstart"].dt)
        self.assertEqual(first["dtstart"].dt, NOON.replace(hour=15))
        waits = [e for e in events if e["transp"] == "TRANSPARENT"]
        self.assertTrue(all("disturb" in e["summary"] or "Rests" in e["summary"] for e in waits))
        again = as_calendar(day, "Cinderpool", NOON)
        self.assertEqual(as_calendar(day, "Cinderpool", NOON), again)

    def test_what_no_day_holds(self) -> None:
        self.assertIsNone(self.day())
        for field, fields in {
            "pots": {"pots": "9"},
            "syrup_1": {"piece_1": "cream"},
            "piece_1": {"piece_1": "toffee", "syrup_1": "2 kg"},
            "cooks": {"piece_1": "cream", "syrup_1": "400 kg"},
            "begin": {"piece_1": "cream", "syrup_1": "2 kg", "begin": "noon"},
        }.items():
            with self.subTest(field), self.assertRaises(BadInput) as refused:
                self.day(**fields)
            self.assertIn(field, refused.exception.errors)


class Page(KitchenCase):
    def page(self, **fields: str) -> plan.CandyPage:
        return plan.page(self.db, NOON, fields)

    def test_a_lot_brings_its_own_density_and_class(self) -> None:
        for vessel, light, code in (("finisher-1", "80", "G"), ("finisher-2", "12", "V")):
            batch = self.take_in(vessel=vessel)
            self.put(batch, "draw", 60, mass="19.9 kg")
            self.put(batch, "colour", 70, by="meter", transmittance=light, path="10 mm")
            self.put(batch, "jar", 80, fill="86 C", lot=code, size_1="500 ml", count_1="9")
        page = self.page(lot="V", piece="granulated-sugar")
        assert page.syrup and page.syrup.lot
        self.assertEqual(page.syrup_brix, page.syrup.lot.brix)
        self.assertLess(page.syrup.fits["granulated-sugar"].right, 0.6)
        self.assertEqual([one.row.code for one in page.better], ["G"])
        self.put(batch, "taken_out", 90, lot="V", size_1="500 ml", count_1="9", reason="sold")
        for lot, sentence in (("V", "Nothing of lot V is left"), ("Q", "There is no lot Q")):
            with self.assertRaisesRegex(BadInput, sentence):
                self.page(lot=lot)

    def test_what_a_meter_said_of_a_lot_is_remembered(self) -> None:
        batch = self.take_in()
        self.put(batch, "draw", 60, mass="19.9 kg")
        self.put(batch, "colour", 70, by="meter", transmittance="12", path="10 mm")
        self.put(batch, "jar", 80, fill="86 C", lot="V", size_1="500 ml", count_1="9")
        guessed = self.page(lot="V").syrup
        assert guessed
        self.put(batch, "invert", 90, meter="60", dilution="10")
        known, anew = self.page(lot="V").syrup, self.page(lot="V", meter="240").syrup
        assert known and anew
        self.assertEqual((guessed.measured, known.measured), (False, True))
        self.assertAlmostEqual(known.invert.percent, 1.2)
        self.assertAlmostEqual(anew.invert.percent, 4.8)
        self.assertGreater(known.fits["granulated-sugar"].right, 0.99)
        title = slip.lines(contexts.load(self.db, batch, NOON + timedelta(hours=2)))[-1].title
        self.assertEqual(title, "Invert sugar 1.2 ± 0.2 %")
        for meter in ("", "HI", "900"):
            with self.assertRaises(BadInput) as refused:
                self.put(batch, "invert", 95, meter=meter)
            self.assertIn("meter", refused.exception.errors)

    def test_what_is_wanted_backwards_from_when_it_is_ready(self) -> None:
        pieces = {"by": "pieces", "pieces": "118", "each": "25 g"}
        page = self.page(piece="moulded-sugar-soft", ready="16:30", **pieces)
        assert page.cook and page.look
        self.assertAlmostEqual(page.cook.plan.made_kg, 2.95)
        last = page.cook.stages[-1]
        done = last.at + timedelta(minutes=last.stage.minutes)
        self.assertLess(abs(done - NOON.replace(hour=16, minute=30)), timedelta(seconds=2))
        self.assertEqual([s.stage.name for s in page.cook.stages], ["lay out", "boil", "cool", "work"])
        jars = self.page(piece="cream", by="jars", jars="10", jar="120 ml").cook
        assert jars
        self.assertAlmostEqual(jars.plan.made_kg, 10 * 0.12 * 1.43, delta=0.03)
        by_mass = self.page(piece="cream", by="mass", made="40 kg").cook
        assert by_mass
        self.assertGreater(by_mass.plan.batches, 5)

    def test_moving_the_pressure_moves_the_mark_and_the_serving_the_crystal(self) -> None:
        here, low = self.page(above="14 K"), self.page(above="14 K", pressure="850 hPa")
        warm = self.page(above="14 K", serving="35 C")
        assert here.look and low.look and warm.look
        self.assertGreater(here.look.shown_c - low.look.shown_c, 2)
        self.assertLess(warm.look.point.crystal, here.look.point.crystal - 0.03)
        self.assertEqual(warm.look.shown_c, here.look.shown_c)

    def test_labels_of_the_map_lie_on_no_plate(self) -> None:
        look = self.page().look
        assert look
        plates = picture.firmness(look).plates
        self.assertEqual(len({(p.label_x, p.label_y) for p in plates}), len(plates))
        for label in plates:
            for other in plates:
                beside = (
                    label.label_x >= other.x + other.width
                    or label.label_x + 8 * len(label.region.confection.full_name) <= other.x
                    or label.label_y <= other.y
                    or label.label_y - 12 >= other.y + other.height
                )
                self.assertTrue(beside, label.region.confection.full_name)

    def test_what_cannot_be_is_refused_at_its_field(self) -> None:
        for field, fields in {
            "above": {"above": "114 K"},
            "stir": {"stir": "120 C", "above": "10 K", "pressure": "700 hPa"},
            "serving": {"serving": "80 C"},
            "pot": {"pot": "0"},
            "each": {"by": "pieces", "pieces": "10", "each": "0 g"},
            "pieces": {"by": "pieces", "pieces": "0", "each": "25 g"},
            "meter": {"meter": "HI"},
            "bath": {"bath": "bench", "piece": "cream", "stir": "20 C"},
            "ready": {"ready": "soon"},
            "made": {"by": "mass"},
        }.items():
            with self.subTest(field), self.assertRaises(BadInput) as refused:
                self.page(**fields)
            self.assertIn(field, refused.exception.errors)

"""The boil's fit against simulated truth, the verdict, vessels, colour, jars, confections."""

import random
import unittest
from math import isinf

from lumbrel.core.candy import confections
from lumbrel.core.colour import grades
from lumbrel.core.errors import OutOfRange
from lumbrel.core.jar import cooling, hot_pack
from lumbrel.core.pan import fit
from lumbrel.core.pan import solids as solids_of
from lumbrel.core.pan.fit import DensityReading
from lumbrel.core.pan.solids import MassStep
from lumbrel.core.pan.target import rules_of_thumb
from lumbrel.core.pan.verdict import Call, Looks, verdict
from lumbrel.core.pan.vessel import Vessel, done_depth_mm


class Boil(unittest.TestCase):
    def test_exact_readings_give_the_exact_minute(self) -> None:
        readings = [DensityReading(t, 30 * 45 / (30 - 0.2 * t), 0.3) for t in (10, 20, 30)]
        fitted = fit.fit(30, 45, readings)
        self.assertAlmostEqual(fitted.rate_kg_per_min, 0.2, delta=1e-9)
        self.assertAlmostEqual(fitted.minute_of(66.9), (30 - 30 * 45 / 66.9) / 0.2, delta=1e-6)

    def test_the_ninety_percent_band_covers_the_truth(self) -> None:
        rng, covered, runs = random.Random(3), 0, 1500
        for _ in range(runs):
            rate = rng.gauss(0.2, 0.03)
            readings = []
            for t in (0.0, 8.0, 16.0, 24.0, 32.0):
                true = 30 * 45 / (30 - rate * t)
                readings.append(DensityReading(t, rng.gauss(true, 0.5), 0.5))
            taken = rng.gauss(45, 0.3)
            fitted = fit.fit(30 * 45 / taken, taken, readings, (), (0.2, 0.03))
            low, high = fitted.band_of(66.9)
            covered += low <= (30 - 30 * 45 / 66.9) / rate <= high
        self.assertGreater(covered / runs, 0.86)
        self.assertLess(covered / runs, 0.95)

    def test_an_addition_is_a_known_step(self) -> None:
        def true(t: float) -> float:
            solids, mass = 13.5, 30 - 0.2 * t
            return 100 * (solids + (4 if t >= 20 else 0)) / (mass + (10 if t >= 20 else 0))

        readings = [DensityReading(t, true(t), 0.3) for t in (5, 15, 25, 35)]
        fitted = fit.fit(30, 45, readings, [MassStep(20, 10, 40)])
        self.assertAlmostEqual(fitted.brix_at(40), true(40), delta=1e-6)

    def test_nothing_to_tell_the_rate_from(self) -> None:
        with self.assertRaisesRegex(OutOfRange, "prior_rate"):
            fit.fit(30, 45, [])
        still = fit.fit(30, 45, [DensityReading(10, 44.8, 0.5)])
        self.assertTrue(isinf(still.band_of(66.9)[1]))


class Verdicts(unittest.TestCase):
    def test_a_look_is_waited_for_only_while_it_brings_more_than_it_costs(self) -> None:
        def call(brix: float, sigma: float, rise: float) -> Call:
            drop = Looks(sharp_brix=0.19, brings_brix=0.22)
            given = {"target_brix": 66.9, "agree": True, "looks": drop, "rise_brix_per_min": rise}
            return verdict(20, brix, sigma, **given).call

        # It rises by 0.1 in the minute that a look takes, and a look brings 0.12; by 1.5 it does not wait.
        self.assertEqual(call(66.9, 0.3, 0.1), Call.CHECK_AGAIN)
        self.assertEqual(call(66.4, 0.3, 1.5), Call.DRAW_NOW)
        # What may be too thin to keep is looked at all the same.
        self.assertEqual(call(66.4, 0.8, 1.5), Call.CHECK_AGAIN)

    def test_each_call(self) -> None:
        idle, due = Looks(), Looks(due=True)
        fresh, none = Looks(fresh=True), Looks(can=False)
        cases = [
            (61.0, 0.4, True, idle, Call.KEEP_BOILING),
            (61.0, 0.4, True, due, Call.CHECK_AGAIN),
            (67.0, 1.4, True, idle, Call.CHECK_AGAIN),
            (67.0, 1.4, True, fresh, Call.DRAW_NOW),
            (66.9, 0.9, True, none, Call.DRAW_NOW),
            (66.9, 1.2, True, none, Call.KEEP_BOILING),
            (68.0, 1.2, True, none, Call.DRAW_NOW),
            (66.9, 3.0, True, none, Call.CHECK_AGAIN),
            (66.8, 0.4, True, idle, Call.KEEP_BOILING),
            (66.9, 0.4, True, idle, Call.DRAW_NOW),
            (68.4, 0.4, True, idle, Call.OVER),
            (68.4, 0.8, True, idle, Call.CHECK_AGAIN),
            (66.9, 0.3, False, idle, Call.DISAGREE),
        ]
        for brix, sigma, agree, looks, call in cases:
            said = verdict(20, brix, sigma, target_brix=66.9, agree=agree, looks=looks)
            self.assertEqual(said.call, call, (brix, sigma, looks))
        calm = {"target_brix": 66.9, "agree": True, "looks": idle}
        early = verdict(20, 66.3, 0.4, **calm, draw_margin_brix=0.6)
        ahead = verdict(20, 66.4, 0.3, **calm, rise_brix_per_min=1.5)
        self.assertEqual((early.call, ahead.call), (Call.DRAW_NOW, Call.DRAW_NOW))
        self.assertAlmostEqual(verdict(20, 68.4, 0.4, **calm).water_kg, -0.448, delta=1e-3)

    def test_putting_back_thinner_syrup_lands_on_the_target(self) -> None:
        added = solids_of.thinner_syrup_to_add_kg(20, 68.4, 66.9, 60)
        self.assertAlmostEqual((20 * 68.4 + added * 60) / (20 + added), 66.9, delta=1e-9)

    def test_flat_219_overshoots_in_the_hills(self) -> None:
        rules = {rule.name: rule.brix for rule in rules_of_thumb(96_000)}
        self.assertGreater(rules["219 °F, flat"], 69)
        self.assertAlmostEqual(rules["water + 7 °F"], 65.8, delta=0.3)


class Stations(unittest.TestCase):
    def test_vessels_hold_what_geometry_says(self) -> None:
        pan = Vessel("rectangular", (600, 400))
        self.assertAlmostEqual(pan.volume_l(100), 24.0, delta=1e-9)
        cone = Vessel("tapered", (300, 400, 250))
        self.assertAlmostEqual(cone.volume_l(250), 24.216, delta=0.01)
        for vessel in (pan, cone, Vessel("round", (450,))):
            self.assertAlmostEqual(vessel.depth_mm(vessel.volume_l(93)), 93, delta=1e-6)
        self.assertAlmostEqual(done_depth_mm(pan, 13.89, 66.9, 102.5), 67.9, delta=0.5)
        with self.assertRaises(OutOfRange):
            Vessel("oval", (300,))

    def test_colour_near_a_border_is_a_chance(self) -> None:
        self.assertEqual(grades.colour_class(75), "Golden")
        self.assertEqual(grades.colour_class(24.9), "Very Dark")
        chances = grades.chances(50.0, 2.0)
        self.assertAlmostEqual(chances["Amber"], 0.5, delta=1e-9)
        self.assertAlmostEqual(sum(chances.values()), 1, delta=1e-9)
        self.assertAlmostEqual(grades.blend_transmittance_percent([(1, 81), (1, 49)]), 63, delta=1e-9)
        uneven = grades.blend_transmittance_percent([(1, 80), (3, 40)])
        self.assertAlmostEqual(uneven, 80**0.25 * 40**0.75, delta=1e-9)

    def test_hot_pack_window(self) -> None:
        calls = [hot_pack.hot_pack(t).value for t in (81.9, 82, 88, 90, 94)]
        self.assertEqual(calls, ["too cold", "right", "right", "warmer than needed", "new niter forms"])
        self.assertEqual(hot_pack.jars_from(13.3, 66.9, 0.5), 20)

    def test_cooling_finds_the_minute(self) -> None:
        from math import exp

        readings = [(t, 20 + 75 * exp(-0.01 * t)) for t in (0, 5, 10)]
        minutes, low, high = cooling.fit_cooling(20, readings).minutes_to(82)
        self.assertAlmostEqual(20 + 75 * exp(-0.01 * (10 + minutes)), 82, delta=1e-6)
        self.assertLess(low, minutes)
        self.assertGreater(high, minutes)
        with self.assertRaisesRegex(OutOfRange, "never cools"):
            cooling.fit_cooling(20, readings).minutes_to(20)

    def test_the_firmness_figures_of_the_trade(self) -> None:
        for step, solids in ((22, 83.61), (27, 86.02), (34, 88.49), (45, 91.19)):
            self.assertAlmostEqual(confections.solids_brix(step / 1.8, 101_325), solids, delta=0.05)
        soft = confections.crystal_fraction(confections.solids_brix(23 / 1.8, 101_325), 20)
        firm = confections.crystal_fraction(confections.solids_brix(34 / 1.8, 101_325), 20)
        self.assertAlmostEqual(soft, 0.52, delta=0.01)
        self.assertAlmostEqual(firm, 0.65, delta=0.01)
        self.assertEqual(confections.invert_percent_from_glucose_meter(100), 2.0)

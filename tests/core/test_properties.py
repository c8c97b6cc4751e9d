"""Properties that must hold over whole ranges: inverses, monotony, honest refusals."""

import random
import unittest

from lumbrel.core.bench import hydrometer, refractometer, thermometer
from lumbrel.core.bench.evidence import Estimate, agreement
from lumbrel.core.bench.hydrometer import HotMark, Hydrometer, with_hot_mark
from lumbrel.core.bench.thermometer import Tested
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics import air, sucrose, water


def steps(low: float, high: float, count: int) -> list[float]:
    return [low + (high - low) * i / (count - 1) for i in range(count)]


class Physics(unittest.TestCase):
    def test_boil_and_vapour_pressure_invert_each_other(self) -> None:
        for pressure in steps(50_000, 110_000, 61):
            back = water.saturation_pressure_pa(water.boiling_point_c(pressure))
            self.assertAlmostEqual(back / pressure, 1, delta=1e-7)

    def test_brix_comes_back_from_boil_and_density(self) -> None:
        for brix in steps(0.5, 84.5, 43):
            for invert in (0.0, 0.01, 0.9):
                boil = sucrose.boiling_point_c(brix, 95_700, invert)
                back = sucrose.brix_from_boiling_point(boil, 95_700, invert)
                self.assertAlmostEqual(back, brix, delta=1e-6)
            for t in (0.0, 20.0, 60.0, 100.0):
                density = sucrose.density_kg_m3(brix, t)
                self.assertAlmostEqual(sucrose.brix_from_density(density, t), brix, delta=1e-6)

    def test_birch_needs_a_hotter_finish(self) -> None:
        rise = sucrose.boiling_point_c(66.0, 101_325, 0.9) - water.boiling_point_c(101_325)
        self.assertAlmostEqual(rise * 1.8, 10.9, delta=0.1)

    def test_a_forecast_typed_as_a_barometer_is_suspected(self) -> None:
        self.assertTrue(air.looks_like_sea_level(100_800, 418))
        self.assertFalse(air.looks_like_sea_level(96_000, 418))
        self.assertFalse(air.looks_like_sea_level(102_500, 20))

    def test_refusals_are_sentences_and_nan_never_passes(self) -> None:
        refused = (
            lambda: water.boiling_point_c(float("nan")),
            lambda: sucrose.boiling_point_c(98.1, 101_325),
            lambda: sucrose.boiling_point_c(66, 40_000),
            lambda: sucrose.brix_from_boiling_point(90, 101_325),
            lambda: sucrose.density_kg_m3(50, 101),
            lambda: air.pressure_at_elevation_pa(9000),
        )
        for call in refused:
            with self.assertRaises(OutOfRange) as caught:
                call()
            self.assertRegex(caught.exception.sentence, r"^[A-Z].*\.$")


class Instruments(unittest.TestCase):
    def test_hydrometer_mark_and_correction_invert_each_other(self) -> None:
        birch = Hydrometer(invert_fraction=0.9)
        lower = Hydrometer().mark(66.0, 90.0) - birch.mark(66.0, 90.0)
        self.assertAlmostEqual(lower, 1.25, delta=0.1)
        self.assertAlmostEqual(birch.correct(birch.mark(66.0, 90.0), 90.0), 66.0, delta=1e-6)
        self.assertGreater(hydrometer.estimate(birch, 58.0, 90.0).sigma_brix, 0.65)
        marked = with_hot_mark(Hydrometer(), HotMark(59.6, 99.4, 66.9))
        self.assertAlmostEqual(marked.mark(66.9, 99.4), 59.6, delta=1e-9)
        for instrument in (Hydrometer(), Hydrometer(20.0, "borosilicate"), marked):
            for t in steps(5, 99, 12):
                last = -1.0
                for brix in steps(45, 75, 31):
                    reading = instrument.mark(brix, t)
                    self.assertAlmostEqual(instrument.correct(reading, t), brix, delta=1e-6)
                    self.assertGreater(reading, last)
                    last = reading

    def test_hot_and_cold_pairs_teach_the_curve(self) -> None:
        plain, bent = Hydrometer(), Hydrometer(shift=0.93)
        pairs = [(bent.mark(w, t), t, plain.mark(w, 20), 20.0) for w, t in ((66, 92), (67.5, 88))]
        shift, spread = hydrometer.shift_from_pairs(plain, pairs)
        self.assertAlmostEqual(shift, 0.93, delta=1e-6)
        self.assertLess(spread, 1e-6)

    def test_refractometer_is_continuous_and_compensation_switches_it_off(self) -> None:
        for knot in range(11, 30):
            below = refractometer.correct(63.7, knot - 1e-7)
            self.assertAlmostEqual(below, refractometer.correct(63.7, knot + 1e-7), delta=1e-6)
        for t in steps(10, 30, 41):
            values = [refractometer.correct(r, t) for r in steps(0, 85, 171)]
            self.assertEqual(values, sorted(values))
        self.assertEqual(refractometer.correct(66, 27.3, automatic_compensation=True), 66)
        with self.assertRaisesRegex(OutOfRange, "Let the sample come"):
            refractometer.correct(66, 60, automatic_compensation=True)

    def test_sigma_never_shrinks_when_information_is_removed(self) -> None:
        self.assertLess(hydrometer.sigma(90), hydrometer.sigma(90, measured=False))
        self.assertLess(hydrometer.sigma(90), hydrometer.sigma(90, cup_sigma_k=5))
        self.assertLess(refractometer.sigma(), refractometer.sigma(hot_drop=True))
        fresh = thermometer.sigma_now_k("digital", Tested(age_hours=1, pressure_change_pa=0.0))
        self.assertLess(fresh, thermometer.sigma_now_k("digital", Tested(age_hours=10)))
        self.assertLess(fresh, thermometer.sigma_now_k("digital", None))

    def test_thermometer_speaks_in_what_it_shows(self) -> None:
        calibration = thermometer.calibrate(99.1, 96_000, "dial")
        boil = water.boiling_point_c(96_000)
        self.assertAlmostEqual(calibration.indicated_c(boil), 99.1, delta=1e-9)
        self.assertAlmostEqual(calibration.true_c(calibration.indicated_c(103)), 103, delta=1e-9)
        finish = sucrose.boiling_point_c(66.9, 96_000, 0.01)
        said = thermometer.estimate(finish, 0.15, 96_000, 0.01)
        self.assertAlmostEqual(said.brix, 66.9, delta=1e-6)
        self.assertAlmostEqual(said.sigma_brix, 0.212 / 0.222, delta=0.05)
        with self.assertRaisesRegex(OutOfRange, "other unit"):
            thermometer.calibrate(211.6, 96_000)
        sloped = thermometer.calibrate(99.1, 96_000, "dial", ice_reading_c=-0.4)
        self.assertAlmostEqual(sloped.indicated_c(0), -0.4, delta=1e-9)

    def test_agreement_over_ten_thousand_triples(self) -> None:
        rng, count = random.Random(7), 10_000
        within, twice, wolf, disagreed, named = 0, 0, 0, 0, 0
        for _ in range(count):
            sigmas = [rng.uniform(0.15, 1.0) for _ in range(3)]
            triple = [Estimate("x", rng.gauss(66, s), s) for s in sigmas]
            joint = agreement(triple)
            within += abs(joint.brix - 66) <= joint.sigma_brix
            twice += abs(joint.brix - 66) <= 2 * joint.sigma_brix
            wolf += not joint.agree
            liar = rng.randrange(3)
            rest = sum(s**-2 for i, s in enumerate(sigmas) if i != liar) ** -0.5
            gross = 5 * (sigmas[liar] ** 2 + rest**2) ** 0.5 * rng.choice((-1, 1))
            triple[liar] = Estimate("x", triple[liar].brix + gross, sigmas[liar])
            caught = agreement(triple)
            disagreed += not caught.agree
            named += caught.odd_one_out == liar
        self.assertTrue(0.65 <= within / count <= 0.71, within)
        self.assertTrue(0.94 <= twice / count <= 0.97, twice)
        self.assertLessEqual(wolf / count, 0.05)
        self.assertGreaterEqual(disagreed / count, 0.95)
        self.assertGreaterEqual(named / count, 0.90)

    def test_two_that_disagree_do_not_accuse_each_other(self) -> None:
        pair = agreement([Estimate("a", 60, 0.5), Estimate("b", 66, 0.5)])
        self.assertFalse(pair.agree)
        self.assertIsNone(pair.odd_one_out)

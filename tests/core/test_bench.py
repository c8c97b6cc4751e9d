"""The bench's own arithmetic: the second scale, checks, the cooling cup, causes, methods."""

import unittest

from lumbrel.core.bench import causes, cup
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.bench.scale_check import ScaleError, error_at
from lumbrel.core.bench.thermometer import Calibration, calibrate, reading_sigma_k
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import methods
from lumbrel.core.physics import baume, sucrose, water


class SecondScale(unittest.TestCase):
    def test_baume_is_the_trades_and_inverts(self) -> None:
        # 66.9 Brix is 1.3317 at 60/60 degF by the same tables, worked by hand.
        self.assertAlmostEqual(baume.from_brix(66.9), 145 - 145 / 1.3317, delta=0.02)
        for degrees in range(0, 45, 3):
            self.assertAlmostEqual(baume.from_brix(baume.to_brix(degrees)), degrees, delta=1e-6)
        with self.assertRaisesRegex(OutOfRange, "Baumé reading must be between 0 and 44.9"):
            baume.to_brix(60)


class Checks(unittest.TestCase):
    def test_an_error_is_taken_off_near_where_it_was_found(self) -> None:
        two = [ScaleError(66, 1.0), ScaleError(0, 0.4)]
        self.assertEqual([error_at(two, b) for b in (0, 33, 66, 80)], [0.4, 0.7, 1.0, 1.0])
        self.assertEqual(error_at([ScaleError(66, 0.15)], 66), 0.0)
        self.assertEqual(error_at([], 66), 0.0)

    def test_a_slipped_scale_shifts_mark_and_correction_alike(self) -> None:
        slipped, plain = Hydrometer(offset_brix=0.6), Hydrometer()
        for cup_c in (20.0, 90.0):
            self.assertAlmostEqual(slipped.mark(66.9, cup_c), plain.mark(66.9, cup_c) + 0.6)
            self.assertAlmostEqual(slipped.correct(slipped.mark(66.9, cup_c), cup_c), 66.9)

    def test_coarse_divisions_count(self) -> None:
        self.assertEqual(reading_sigma_k("digital", 0.1), reading_sigma_k("digital"))
        self.assertAlmostEqual(reading_sigma_k("dial", 2 / 1.8), 0.354, delta=0.001)


class CoolingCup(unittest.TestCase):
    def test_newton_with_half_the_change_in_doubt(self) -> None:
        now = cup.cooled(95.0, 3.0)
        self.assertAlmostEqual(now.temperature_c, 20 + 75 * 2.718281828**-0.075, delta=1e-6)
        self.assertAlmostEqual(now.sigma_k, (95 - now.temperature_c) / 2)
        with self.assertRaisesRegex(OutOfRange, "The time since"):
            cup.cooled(95.0, -1.0)


class Causes(unittest.TestCase):
    own = Hydrometer()

    def likely(self, found: list[causes.Cause], apart: float, sigma: float = 0.5) -> str:
        return causes.likely(found, apart, sigma).key

    def test_the_first_that_is_large_enough(self) -> None:
        measured = causes.of_hydrometer(self.own, 59.8, 92.0, False)
        assumed = causes.of_hydrometer(self.own, 59.8, 92.0, True)
        self.assertEqual(self.likely(assumed, 3.0), "cup-assumed")
        self.assertEqual(self.likely(measured, 0.6, 0.2), "cup-cooled")
        self.assertEqual(self.likely(measured, 9.6), "misread")
        self.assertIn("ten", causes.likely(measured, 9.6, 0.5).cause)
        self.assertIn("a numbered line", causes.likely(measured, -5.2, 0.5).cause)

    def test_the_compensation_switch_is_worth_its_correction(self) -> None:
        warm = causes.of_refractometer(66.0, 29.0, True, False)
        self.assertEqual(self.likely(warm, -0.75, 0.2), "compensation")
        self.assertEqual(self.likely(warm, 2.5, 0.2), "dried")
        self.assertEqual(self.likely(causes.of_refractometer(66, 20, False, True), 0.4), "dried")

    def test_a_thermometers_test_boil_comes_first(self) -> None:
        self.assertEqual(self.likely(causes.of_thermometer(True, False, 0.23), 4.0), "untested")
        self.assertEqual(self.likely(causes.of_thermometer(False, True, 0.23), -2.0), "stale")
        self.assertEqual(self.likely(causes.of_thermometer(False, False, 0.23), 4.0), "touches")
        self.assertEqual(self.likely(causes.of_thermometer(False, False, 0.23), -4.0), "shallow")


class Methods(unittest.TestCase):
    def test_each_stops_where_its_mark_really_stands(self) -> None:
        pressure = 96_410.0
        boil = water.boiling_point_c(pressure)
        dial = calibrate(boil + 1.2, pressure, "dial")
        step = methods.step_k(pressure, 66.9, 0.01)
        own = methods.shown_mark_c("computed", boil + 1.2, step)
        self.assertAlmostEqual(methods.stop_at(own, dial, pressure, 0.01).brix, 66.9, delta=1e-6)
        flat = methods.stop_at(methods.shown_mark_c("flat-219", 0, step), dial, pressure, 0.01)
        self.assertAlmostEqual(flat.true_c, (219 - 32) / 1.8 - 1.2)
        true = sucrose.boiling_point_c(flat.brix, pressure, 0.01)
        self.assertAlmostEqual(true, flat.true_c, delta=1e-6)
        plus = methods.shown_mark_c("plus-7.1", boil + 1.2, step)
        self.assertAlmostEqual(plus, boil + 1.2 + 7.1 / 1.8)
        cold = methods.stop_at(90.0, Calibration(), pressure, 0.01)
        self.assertIsNone(cold.brix)

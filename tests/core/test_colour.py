"""Syrup's colour to the eye, and what an eye's answer is worth."""

import random
import unittest
from itertools import pairwise
from math import log10

from lumbrel.core.colour.appearance import linear_rgb, srgb, white_xyz
from lumbrel.core.colour.by_eye import EYE_SIGMA_POINTS, REFERENCES, seen_between
from lumbrel.core.colour.grades import colour_class
from lumbrel.core.errors import OutOfRange


class ToTheEye(unittest.TestCase):
    def test_the_lamp_is_white_and_syrup_is_amber(self) -> None:
        for found, known in zip(white_xyz(), (0.9505, 1.0, 1.0888), strict=True):
            self.assertAlmostEqual(found, known, delta=0.002)
        for channel in linear_rgb(100, 10):
            self.assertAlmostEqual(channel, 1.0, delta=0.01)
        rows = [linear_rgb(t, 10) for t in REFERENCES]
        for lighter, darker in pairwise(rows):
            self.assertTrue(all(d < b for b, d in zip(lighter[:2], darker[:2], strict=True)))
        self.assertTrue(all(red > green > blue for red, green, blue in rows))

    def test_twice_the_path_is_twice_the_absorbance(self) -> None:
        self.assertEqual(srgb(64, 20), srgb(40.96, 10))
        self.assertNotEqual(srgb(64, 20), srgb(64, 10))
        # Near 560 nm, where the eye sees best, green falls about as the meter's light does.
        green = -log10(linear_rgb(50, 10)[1])
        self.assertAlmostEqual(green, -log10(0.5), delta=0.1)
        with self.assertRaises(OutOfRange):
            srgb(0, 10)


class ByEye(unittest.TestCase):
    def test_the_chances_are_those_of_samples_that_look_so(self) -> None:
        """Samples of every colour held against the row by an eye that is off by its sigma: of those
        that were seen between two, each class had the share that was said."""
        rng = random.Random(2)
        for lighter, darker in ((75.0, 62.0), (50.0, 37.0), (25.0, 12.0)):
            true = []
            while len(true) < 3000:
                light = rng.uniform(2, 98)
                if darker <= light + rng.gauss(0, EYE_SIGMA_POINTS) <= lighter:
                    true.append(light)
            seen = seen_between(lighter, darker, 10, 10)
            self.assertAlmostEqual(sum(seen.chances.values()), 1.0)
            for name, chance in seen.chances.items():
                share = sum(colour_class(light) == name for light in true) / len(true)
                self.assertAlmostEqual(share, chance, delta=0.03)

    def test_alike_at_a_border_is_either(self) -> None:
        chances = seen_between(75, 75, 10, 10).chances
        self.assertAlmostEqual(chances["Golden"], 0.5, delta=0.01)
        self.assertGreater(seen_between(None, 87, 10, 10).chances["Golden"], 0.99)

    def test_a_wide_vial_looks_darker_than_the_syrup_is(self) -> None:
        """Through 20 mm alike to 64 % through 10: it is 80 %."""
        self.assertAlmostEqual(seen_between(64, 64, 10, 20).transmittance_percent, 80.0)
        with self.assertRaises(OutOfRange):
            seen_between(50, 75, 10, 10)

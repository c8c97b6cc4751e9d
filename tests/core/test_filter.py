"""Syrup through a filter: how thick, how fast, when a layer is blind."""

import unittest
from math import inf, log

from lumbrel.core.errors import OutOfRange
from lumbrel.core.filter.flow import (
    MEDIA,
    PULL_AT,
    FilterRunning,
    Passed,
    loss_kg,
    require_loss,
    running,
)
from lumbrel.core.physics.viscosity import viscosity_mpa_s

LAYERS = MEDIA["layers"]


class Thick(unittest.TestCase):
    def test_as_handbooks_print_it(self) -> None:
        """Sucrose at 20 degC: 1.945 mPa s at 20 Brix, 6.167 at 40, 58.49 at 60; 6.2 at 60 Brix and 80."""
        for brix, celsius, known in (
            (20, 20, 1.945),
            (40, 20, 6.167),
            (60, 20, 58.49),
            (60, 80, 5.2),
        ):
            found = viscosity_mpa_s(brix, celsius)
            self.assertAlmostEqual(found / known, 1.0, delta=0.04, msg=f"{brix} at {celsius}")
        self.assertGreater(viscosity_mpa_s(66.9, 60), 2.3 * viscosity_mpa_s(66.9, 85))
        with self.assertRaises(OutOfRange):
            viscosity_mpa_s(81, 20)


class Running_(unittest.TestCase):
    def test_a_layer_slows_in_a_straight_line_until_it_is_pulled(self) -> None:
        run = FilterRunning(rate_l_min=2.0, sigma=0.1, passes_l=5.0, since_l=0.0, layers_left=1)
        # The time of a flow that falls with what has passed: whole / rate * ln(1 / what is left).
        self.assertAlmostEqual(run.minutes_for(2.5, 10.0), 2.5 * log(2))
        self.assertAlmostEqual(run.minutes_for(5.0, 10.0), 2.5 * (log(5) + log(1 / 0.8)))
        self.assertEqual(run.minutes_for(2 * PULL_AT * 5 + 0.01, 10.0), inf)
        self.assertAlmostEqual(run.minutes_for(2.5, 20.0), 5 * log(2))
        self.assertEqual(run.until_pulled_l, 4.0)

    def test_what_is_noted_teaches_rate_and_layers(self) -> None:
        """A filter half as fast as usual, whose layers last for ten litres, noted each three minutes."""
        true = FilterRunning(rate_l_min=0.8, sigma=0.0, passes_l=10.0, since_l=0.0, layers_left=3)
        noted, litres, pulled = [Passed(0.0, 0.0, 0)], 0.0, 0
        minute = 0.0
        for target in (2.0, 4.0, 6.0, 8.0):
            minute = true.minutes_for(target, 10.0)
            litres = target
            noted.append(Passed(minute, litres, pulled))
        noted.append(Passed(minute, litres, 1))
        found = running(LAYERS, noted, 10.0)
        self.assertAlmostEqual(found.rate_l_min, 0.8, delta=0.12)
        self.assertAlmostEqual(found.passes_l, 10.0, delta=0.9)
        self.assertEqual((found.since_l, found.layers_left), (0.0, LAYERS.layers - 2))
        self.assertLess(found.sigma, running(LAYERS, [], 10.0).sigma / 4)
        again = running(LAYERS, [], 10.0, earlier_rates=[0.8] * 6, earlier_passes=[10.0] * 6)
        self.assertAlmostEqual(again.rate_l_min, 0.8, delta=0.05)

    def test_it_gives_no_more_than_it_takes(self) -> None:
        self.assertAlmostEqual(require_loss(15.0, 14.6), 0.4)
        with self.assertRaises(OutOfRange):
            require_loss(15.0, 16.0)
        self.assertAlmostEqual(loss_kg(LAYERS, [0.2] * 9), 0.215, delta=1e-6)

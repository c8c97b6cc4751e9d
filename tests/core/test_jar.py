"""The kettle off the fire and the jars it fills."""

import random
import unittest
from itertools import product
from math import exp, inf, log

from lumbrel.core.errors import OutOfRange
from lumbrel.core.jar.kettle import fit_heat
from lumbrel.core.jar.plan import plan


class Kettle(unittest.TestCase):
    def test_the_time_to_the_window_is_as_sure_as_it_is_right(self) -> None:
        """Kettles in rooms that nobody measured, read by a probe every two minutes."""
        for read in (3, 5):
            rng, near, held, count = random.Random(7), 0, 0, 0
            for _ in range(200):
                room, rate, start = (
                    rng.uniform(15, 25),
                    rng.uniform(0.006, 0.02),
                    rng.uniform(88, 95),
                )
                minutes = [2.0 * i for i in range(read)]
                shown = [(m, room + (start - room) * exp(-rate * m) + rng.gauss(0, 0.1)) for m in minutes]
                truth = log((start - room) / (82 - room)) / rate - minutes[-1]
                if truth < 1:
                    continue
                left, low, high = fit_heat(shown, sigma_k=0.1).minutes_to(82.0, minutes[-1])
                near += abs(left - truth) <= 0.1 * truth
                held += low <= truth <= high
                count += 1
            self.assertGreaterEqual(near / count, 0.88)
            self.assertTrue(0.85 <= held / count <= 0.97, held / count)

    def test_one_reading_is_enough_to_begin_with(self) -> None:
        one = fit_heat([(0.0, 92.0)])
        left, low, high = one.minutes_to(82.0, 0.0)
        self.assertTrue(2 < low < left < high < 120)
        self.assertEqual(fit_heat([(0.0, 80.0)]).minutes_to(82.0, 0.0)[0], 0.0)
        self.assertEqual(one.minutes_to(12.0, 0.0)[0], inf)
        self.assertLess(one.sigma_k_at(0.0), one.sigma_k_at(10.0))

    def test_a_cold_room_is_found_out(self) -> None:
        """Nobody measured the room; whoever watches long enough knows it."""
        shown = [(10.0 * i, 6 + 86 * exp(-0.012 * 10 * i)) for i in range(13)]
        self.assertAlmostEqual(fit_heat(shown).room_c, 6.0, delta=2.0)
        self.assertAlmostEqual(fit_heat(shown[:2]).room_c, 20.0, delta=3.0)

    def test_a_cold_kettle_is_none(self) -> None:
        for readings in ([], [(0.0, 22.0)], [(0.0, 130.0)]):
            with self.assertRaises(OutOfRange):
                fit_heat(readings)


class Jars(unittest.TestCase):
    def test_it_is_the_best_of_all_ways(self) -> None:
        rng = random.Random(3)
        sizes_known = (50, 100, 180, 236.6, 250, 375, 473.2, 500, 750, 1000)
        for _ in range(60):
            sizes = sorted(rng.sample(sizes_known, rng.randint(1, 4)), reverse=True)
            volume = rng.uniform(300, 6000)
            there = {s: rng.randint(0, 6) for s in sizes if rng.random() < 0.3}
            most = [min(int(volume // s), there.get(s, 999)) for s in sizes]
            best = min(
                (round(left, 1), sum(counts))
                for counts in product(*(range(m + 1) for m in most))
                if (left := volume - sum(s * n for s, n in zip(sizes, counts, strict=True))) > -1e-6
            )
            found = plan(volume, sizes, at_hand=there)
            self.assertEqual((round(found.left_ml, 1), found.count), best)

    def test_what_is_wished_comes_first(self) -> None:
        found = plan(5000, [500, 250], wished={250: 7}, at_hand={250: 7})
        self.assertEqual(found.jars, ((500, 6), (250, 7)))
        self.assertEqual((found.left_ml, found.part_ml), (250.0, 500))
        with self.assertRaises(OutOfRange):
            plan(1000, [500], wished={500: 3})

    def test_a_tank_is_planned_as_a_kettle_is(self) -> None:
        found = plan(2_000_000, [946.353, 473.176, 236.588, 250, 40])
        self.assertLess(found.left_ml, 1.0)
        self.assertLess(found.count, 2200)

"""The kettle off the fire and the jars it fills."""

import random
import unittest
from itertools import product
from math import exp, inf
from statistics import mean

from lumbrel.core.errors import OutOfRange
from lumbrel.core.jar.kettle import USUAL_RATE_PER_MIN, Emptied, fit_heat
from lumbrel.core.jar.plan import plan
from tests.worlds.kettles import COLD_C, fill


class Kettle(unittest.TestCase):
    def test_the_time_to_the_window_is_as_sure_as_it_is_right(self) -> None:
        """From the third reading on, in kettles that cool by a law of their own while jars are scooped out."""
        for scooped, held_by in ((True, (0.85, 0.95)), (False, (0.85, 0.995))):
            near, held, late = [], [], []
            for seed in range(120):
                told = fill(20_000 + seed, scooped)
                for count in range(3, len(told.readings) + 1):
                    now = told.readings[count - 1][0]
                    noted = tuple(line for line in told.taken if line[0] <= now)
                    rate = USUAL_RATE_PER_MIN * (13 / told.whole_kg) ** 0.35
                    emptied = Emptied(whole_kg=told.whole_kg, taken=noted)
                    heat = fit_heat(told.readings[:count], rate_per_min=rate, emptied=emptied, now=now)
                    left, low, high = heat.minutes_to(COLD_C, now)
                    truth = told.cold_at - now
                    held.append(low <= truth <= high)
                    late.append((left - truth) / told.cold_at)
                    near.append(abs(left - truth) <= 0.15 * told.cold_at)
            self.assertTrue(held_by[0] <= mean(held) <= held_by[1], (scooped, mean(held)))
            self.assertLessEqual(abs(mean(late)), 0.06, scooped)
            self.assertGreaterEqual(mean(near), 0.80, scooped)

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

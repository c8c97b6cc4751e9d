"""The live pan's arithmetic: samples believed or not, a trace of bounded size, a changed burner."""

import random
import unittest
from datetime import UTC, datetime, timedelta
from math import exp
from statistics import median

import numpy as np

from lumbrel.core.bench import samples
from lumbrel.core.bench.samples import BelievedSample, SampleGate
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import dipstick
from lumbrel.core.pan.probe_noise import mean_sigma_k, power_k2s
from lumbrel.core.pan.probe_trace import MOST_POINTS, ProbeTrace
from lumbrel.core.pan.vessel import Vessel
from lumbrel.core.physics import sucrose
from lumbrel.core.physics.boil_curve import BoilCurves

NOW = datetime(2026, 3, 18, 12, tzinfo=UTC)
PA = 96_400.0


def later(seconds: float) -> datetime:
    return NOW + timedelta(seconds=seconds)


class Believed(unittest.TestCase):
    def gate(self, value: float = 101.0) -> SampleGate:
        return SampleGate(BelievedSample(NOW, value))

    def test_each_kind_of_nonsense_has_its_rule(self) -> None:
        for at, value, why in (
            (1, float("nan"), samples.NOT_A_NUMBER),
            (1, float("inf"), samples.NOT_A_NUMBER),
            (1, 900.0, samples.NO_TEMPERATURE),
            (1, 85.0, samples.POWER_ON),
            (1, 145.0, samples.JUMP),
            (60, 101.0, samples.FUTURE),
            (-90_000, 101.0, samples.OLD),
            (1, 101.1, ""),
            (-30, 100.9, ""),
            (0, 101.0, ""),
        ):
            with self.subTest(value, at=at):
                self.assertEqual(self.gate().refusal(later(at), value, later(2)), why)

    def test_a_power_on_value_for_ever_is_never_believed_but_passing_it_is(self) -> None:
        cold = SampleGate()
        self.assertEqual({cold.refusal(later(s), 85.0, later(s)) for s in range(50)}, {samples.POWER_ON})
        warming = self.gate(84.5)
        self.assertEqual(warming.refusal(later(1), 85.0, later(1)), "")

    def test_a_probe_moved_to_another_pot_is_believed_when_it_says_so_again(self) -> None:
        moved = self.gate(20.0)
        said = [moved.refusal(later(s), 98.0 + s / 10, later(s)) for s in range(1, 8)]
        self.assertEqual(said, [samples.JUMP] * 4 + [""] * 3)
        flicker = self.gate(20.0)
        values = (98.0, 20.1, 150.0, 20.0, 98.0, 20.2, 98.0)
        said = [flicker.refusal(later(s), v, later(s)) for s, v in enumerate(values, 1)]
        self.assertEqual([bool(s) for s in said], [True, False, True, False, True, False, True])


class Trace(unittest.TestCase):
    def test_so_many_points_however_long_and_no_sample_lost(self) -> None:
        trace, rng = ProbeTrace(), random.Random(3)
        seconds = list(range(30_000))
        late = seconds[:200]
        rng.shuffle(late)
        for second in late + seconds[200:]:
            trace.add(second, second / 100)
        points = trace.points()
        self.assertLessEqual(len(points), MOST_POINTS)
        self.assertEqual(sum(p.samples for p in points), 30_000)
        self.assertTrue(all(abs(p.value - p.second / 100) < 1e-6 for p in points))
        self.assertEqual([p.second for p in points], sorted(p.second for p in points))
        self.assertLess(points[-1].second - points[-2].second, 60)

    def test_its_noise_is_learned_from_its_scatter_and_memory(self) -> None:
        """What counts is how much its mean over minutes is off; the scatter alone does not tell."""
        rng = random.Random(4)

        def found(noise: float, lasts_s: float) -> float:
            trace, now, powers = ProbeTrace(), 0.0, []
            for second in range(1800):
                kept = exp(-1 / lasts_s)
                now = now * kept + rng.gauss(0, noise) * (1 - kept * kept) ** 0.5
                trace.add(second, 100 + second / 1000 + now)
                if second % 300 == 299:
                    powers.append(power_k2s(tuple(trace.means())))
            return median(powers)

        for noise, lasts_s in ((0.03, 15.0), (0.06, 15.0), (0.05, 60.0), (0.1, 30.0)):
            power = found(noise, lasts_s)
            self.assertTrue(0.4 < power / (2 * noise**2 * lasts_s) < 4, (noise, lasts_s, power))
        # A calm one is held to be less calm for a while.
        self.assertLess(found(0.02, 5.0), 0.4 * found(0.06, 15.0))
        # Neighbours scatter alike in both; what is forgotten slowly is off by more.
        self.assertGreater(found(0.05, 60.0), 2.5 * found(0.02, 5.0))
        self.assertAlmostEqual(mean_sigma_k(0.09, 15.0), 2 * mean_sigma_k(0.09, 60.0))

    def test_a_spike_is_no_noise(self) -> None:
        rng = random.Random(5)
        means = [(i, 100 + i / 50 + rng.gauss(0, 0.03)) for i in range(60)]
        calm = power_k2s(tuple(means))
        means[30] = (30, 104.0)
        self.assertLess(power_k2s(tuple(means)), 3 * calm)
        self.assertGreater(power_k2s(()), 0)


class Boiling(unittest.TestCase):
    def test_the_table_is_the_curve(self) -> None:
        brixes = np.array([2.2, 30.3, 58.9, 66.9, 79.1])
        pressures = [85_000.0, 96_433.0, 101_325.0, 96_433.0, 85_000.0]
        curves = BoilCurves(pressures, [0.01, 0.0, 0.01, 0.02, 0.05])
        boils = curves.at(brixes)[0]
        for i, invert in enumerate([0.01, 0.0, 0.01, 0.02, 0.05]):
            true = sucrose.boiling_point_c(brixes[i], pressures[i], invert)
            self.assertAlmostEqual(boils[i], true, delta=0.005)
        np.testing.assert_allclose(curves.brix_of(boils), brixes, atol=0.01)
        self.assertTrue(np.isnan(curves.brix_of(curves.water_c - 1)).all())


class Dipstick(unittest.TestCase):
    def test_a_depth_speaks_of_density(self) -> None:
        pan = Vessel("rectangular", (600.0, 400.0))
        hot = 20.0 / sucrose.density_kg_m3(60, 20) * 1000 / 0.24
        said = dipstick.estimate(pan, hot, 12.0, 0.0, 20.0)
        self.assertAlmostEqual(said.brix, 60, delta=0.01)
        self.assertGreater(dipstick.estimate(pan, 20, 4.0, 0.0, 100).sigma_brix, said.sigma_brix)
        with self.assertRaisesRegex(OutOfRange, "cannot be"):
            dipstick.estimate(pan, 5, 12.0, 0.0, 100.0)

    def test_a_vessel_measured_by_buckets(self) -> None:
        kettle = Vessel("measured", (20.0, 5.0, 40.0, 10.4, 80.0, 23.0))
        for depth in (10.0, 20.0, 33.0, 61.0, 80.0):
            self.assertAlmostEqual(kettle.depth_mm(kettle.volume_l(depth)), depth)
        self.assertAlmostEqual(kettle.volume_l(30.0), 7.7)
        for wrong in ((20.0, 5.0), (20.0, 5.0, 10.0, 9.0), (20.0, 5.0, 40.0)):
            with self.assertRaisesRegex(OutOfRange, "two to thirty depths"):
                Vessel("measured", wrong)

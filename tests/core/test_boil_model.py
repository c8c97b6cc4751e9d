"""The boil as kitchens boil: what is fitted, how sure it is, and what it forgives."""

import random
import unittest
from dataclasses import replace
from math import exp

import numpy as np

from lumbrel.core.bench.cupful import cupful, volume_of_water_l
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.boil_lines import Density, Heat
from lumbrel.core.pan.boil_model import fit_boil
from lumbrel.core.pan.boil_path import BoilPath
from lumbrel.core.pan.boil_problem import KnownBefore
from lumbrel.core.pan.boil_shift import Shift, ShiftSeen, learnt, seen_at
from lumbrel.core.pan.raw_sap import guess
from lumbrel.core.pan.solids import MassStep
from lumbrel.core.physics import sucrose

PA = 96_400.0
KNOWN = KnownBefore(mass_kg=30.0, brix=45.0, brix_sigma=0.7, rate_kg_per_min=0.2, rate_sigma=0.15)
Rates = list[tuple[float, float]]


def true_brix(minute: float, rates: Rates) -> float:
    """In a boil whose rate is so much until so many minutes, and then the next."""
    mass, since = 30.0, 0.0
    for until, rate in rates:
        mass -= rate * max(min(minute, until) - since, 0.0)
        since = until
    return 1350 / mass


def run_of(rates: Rates, until: float, offset: float = 0.2, seed: int = 5) -> list[Heat]:
    """What a probe shows of it, every half minute, a third of a minute late."""
    rng, heat = random.Random(seed), []
    for i in range(1, int(until * 2) + 1):
        brix = true_brix(max(i / 2 - 0.33, 0.0), rates)
        shown = sucrose.boiling_point_c(brix, PA, 0.01) + offset + rng.gauss(0, 0.03)
        heat.append(Heat(i / 2, shown, 0.04, "probe", 0.2, PA, 0.01))
    return heat


class Fitted(unittest.TestCase):
    def test_temperatures_and_one_dip_find_rate_density_and_offset(self) -> None:
        rates = [(99.0, 0.17)]
        dip = Density(30.0, true_brix(30, rates), 0.3, "stem", 0.2)
        fitted = fit_boil(KNOWN, [dip], run_of(rates, 40), 40.0)
        self.assertAlmostEqual(fitted.rate_kg_per_min, 0.17, delta=0.01)
        self.assertAlmostEqual(fitted.brix_at(40), true_brix(40, rates), delta=0.5)
        self.assertAlmostEqual(fitted.burnt_kg(40), 6.8, delta=0.3)
        shared = dict(fitted.shared)
        self.assertAlmostEqual(shared["probe"] * 0.2 + shared["the boiling curve"] * 0.15, 0.2, delta=0.1)
        self.assertEqual(fitted.changed_at, ())
        finish = fitted.finish(66.9, 40)
        truth = (30 - 1350 / 66.9) / 0.17 - 40
        self.assertTrue(finish.low < truth < finish.high)
        self.assertAlmostEqual(finish.left, truth, delta=1.5)

    def test_it_is_as_sure_as_it_is_right(self) -> None:
        """Boils drawn as the model has them: misses are one sigma wide, ranges hold nine in ten."""
        rng, misses, held = random.Random(8), [], 0
        for _ in range(150):
            rate = 0.2 * exp(rng.gauss(0, 0.15))
            truth = [(999.0, rate)]
            taken = 45 + rng.gauss(0, 0.7)
            offset, stem = rng.gauss(0, 0.2) + rng.gauss(0, 0.15), rng.gauss(0, 0.2)
            known = replace(KNOWN, brix=taken, mass_kg=1350 / taken)
            until = 0.7 * (30 - 1350 / 66.9) / rate
            dips = [
                Density(t, true_brix(t, truth) + stem + rng.gauss(0, 0.45), 0.45, "stem", 0.2)
                for t in (0.5 * until, until - 1)
            ]
            heat = run_of(truth, until, offset, seed=rng.randrange(10**6))
            fitted = fit_boil(known, dips, heat, until)
            misses.append((fitted.brix_at(until) - true_brix(until, truth)) / fitted.sigma_brix_at(until))
            finish = fitted.finish(66.9, until)
            held += finish.low <= until * 3 / 7 <= finish.high
        self.assertLess(abs(np.mean(misses)), 0.35)
        self.assertTrue(0.75 < np.std(misses) < 1.15, np.std(misses))
        self.assertGreater(held / 150, 0.9)

    def test_a_probe_shows_what_was_a_moment_ago(self) -> None:
        heat = [h._replace(shared_sigma_k=0.01) for h in run_of([(99.0, 0.2)], 40, 0.0)]
        typed = [h._replace(live=False) for h in heat]
        known = replace(KNOWN, curve_sigma_k=0.01, drift_k_per_h=0.0)
        late, now = (fit_boil(known, [], read, 40.0).brix_at(40) for read in (heat, typed))
        self.assertGreater(late, now + 0.05)

    def test_a_change_that_little_speaks_for_belongs_into_the_range(self) -> None:
        fitted = fit_boil(KNOWN, [], run_of([(99.0, 0.2)], 40, 0.0), 40.0)
        maybe = replace(fitted, may_have_changed=(0.3, 0.7))
        sure, wide = (path.finish(66.9, 40.0) for path in (fitted, maybe))
        self.assertEqual(wide.left, sure.left)
        self.assertLess(wide.low, 0.75 * sure.low)
        drifts = replace(KNOWN, drift_k_per_h=0.6)
        vague = fit_boil(drifts, [], run_of([(99.0, 0.2)], 40, 0.0), 40.0).finish(66.9, 40.0)
        self.assertGreater(vague.high - vague.low, 1.1 * (sure.high - sure.low))

    def test_the_burner_may_yet_be_turned(self) -> None:
        sure = replace(KNOWN, brix_sigma=0.01, rate_sigma=0.01, strays=0.03)
        finish = fit_boil(sure, [], [], 1.0).finish(66.9, 1.0)
        self.assertGreater(finish.high, 1.25 * finish.left)
        self.assertLess(finish.low, 0.85 * finish.left)

    def test_a_turned_burner_is_found_or_believed(self) -> None:
        rates = [(30.0, 0.2), (99.0, 0.11)]
        seen = fit_boil(KNOWN, [], run_of(rates, 45), 45.0)
        self.assertEqual(len(seen.changed_at), 1)
        self.assertAlmostEqual(seen.changed_at[0], 30, delta=4)
        noted = fit_boil(replace(KNOWN, turned=(30.0,)), [], run_of(rates, 45), 45.0)
        for fitted in (seen, noted):
            self.assertAlmostEqual(fitted.rate_kg_per_min, 0.11, delta=0.02)

    def test_one_wild_reading_does_not_bend_the_boil(self) -> None:
        rates = [(99.0, 0.2)]
        heat = run_of(rates, 40)
        good = [Density(t, true_brix(t, rates), 0.5, "stem", 0.2) for t in (20.0, 30.0)]
        before = fit_boil(KNOWN, good, heat, 40.0)
        after = fit_boil(KNOWN, [*good, Density(38.0, true_brix(38, rates) + 10, 0.5)], heat, 40.0)
        self.assertAlmostEqual(after.brix_at(40), before.brix_at(40), delta=0.35)
        self.assertLess(after.density_weights[2], 0.1)

    def test_a_rate_is_positive_whatever_is_read(self) -> None:
        falling = [Density(t, 60.0 - t / 2, 0.5) for t in (5.0, 10.0, 20.0, 30.0)]
        fitted = fit_boil(KNOWN, falling, [], 30.0)
        self.assertGreater(fitted.rate_kg_per_min, 0)
        self.assertGreater(fitted.finish(66.9, 30.0).left, 0)

    def test_a_bound_holds_from_above_only(self) -> None:
        free = fit_boil(KNOWN, [], [], 40.0).brix_at(40)
        below = fit_boil(KNOWN, [Density(40.0, free - 6, 0.5, bound=True)], [], 40.0)
        above = fit_boil(KNOWN, [Density(40.0, free + 14, 0.5, bound=True)], [], 40.0)
        self.assertLess(below.brix_at(40), free - 6)
        self.assertAlmostEqual(above.brix_at(40), free, delta=0.05)

    def test_a_bound_cuts_off_what_lies_beyond_it(self) -> None:
        """As boils drawn by the thousand that keep to it do: not at its edge, and as wide as they."""
        rng = np.random.default_rng(3)
        first = 30 * np.exp(rng.normal(0, 0.7 / 45, 200_000))
        rate = 0.2 * first / 30 * np.exp(rng.normal(0, 0.15, 200_000))
        strays = 1 + rng.normal(0, 0.06 * (2 * 4.5 / 40) ** 0.5, 200_000)
        brix = 1350 / (first - 40 * rate * strays)
        for bound in (56.0, 60.0, 64.0):
            kept = brix[brix < bound + rng.normal(0, 0.5, 200_000)]
            fitted = fit_boil(KNOWN, [Density(40.0, bound, 0.5, bound=True)], [], 40.0)
            self.assertAlmostEqual(fitted.brix_at(40), kept.mean(), delta=0.5)
            self.assertAlmostEqual(fitted.sigma_brix_at(40), kept.std(), delta=0.5)
            # Said again and again it says no more than once.
            often = [Density(40.0 - k / 4, bound, 0.5, "stem", bound=True) for k in range(9, -1, -1)]
            again = fit_boil(KNOWN, often, [], 40.0)
            self.assertAlmostEqual(again.brix_at(40), fitted.brix_at(40), delta=0.05)

    def test_a_dip_whose_moment_is_vague_says_less(self) -> None:
        def sigma(minutes: float) -> float:
            dip = Density(50.0, 66.0, 0.2, minute_sigma=minutes)
            return fit_boil(KNOWN, [dip], [], 50.0).sigma_brix_at(50)

        self.assertLess(sigma(0.05) * 1.5, sigma(1.0))

    def test_without_heat_nothing_goes(self) -> None:
        off = fit_boil(replace(KNOWN, off=((20.0, 30.0),)), [], [], 40.0)
        self.assertAlmostEqual(off.mass_kg_at(20), off.mass_kg_at(30), delta=1e-9)
        self.assertAlmostEqual(off.mass_kg_at(40), 24.0, delta=1e-6)

    def test_what_is_put_in_is_a_step_that_may_be_off(self) -> None:
        known = replace(KNOWN, steps=(MassStep(20, 10, 40),), step_sigmas_kg=(0.5,))
        brix = 100 * 17.5 / (30 - 4 + 10.6)
        dips = [Density(t, 1750 / (1750 / brix - 0.2 * (t - 20)), 0.1) for t in (20.5, 25, 30, 35)]
        fitted = fit_boil(known, dips, [], 35.0)
        self.assertAlmostEqual(fitted.brix_at(20.5), brix, delta=0.2)
        carried, sigma = fitted.carried(45.0, 0.3, 10, 30)
        self.assertGreater(sigma, 0.25)
        self.assertLess(carried, 52)

    def test_nobody_measured_it(self) -> None:
        self.assertAlmostEqual(guess(5, 75, "sugar maple").brix, 30)
        self.assertGreater(guess(5, 75).sigma_brix, guess(5, 75, "sugar maple").sigma_brix)
        known = replace(KNOWN, brix=32.0, brix_sigma=14.0, rate_sigma=0.4)
        paths: list[BoilPath] = [fit_boil(known, [], [], 1.0)]
        paths.append(fit_boil(known, [Density(0.5, 50.0, 0.3)], [], 1.0))
        self.assertGreater(paths[0].sigma_brix_at(1), 8)
        self.assertAlmostEqual(paths[1].brix_at(0.5), 50, delta=0.5)


class ByMass(unittest.TestCase):
    def test_a_scale_tells_the_rate_but_not_the_sugar(self) -> None:
        """More sugar than was told is not seen by a scale: its readings are as wrong as the take-in."""
        weighed = [Density(m, true_brix(m, [(99.0, 0.17)]), 0.1, by_solids=True) for m in (10.0, 20.0, 30.0)]
        doubtful = replace(KNOWN, brix_sigma=3.0)
        fitted = fit_boil(doubtful, weighed, [], 30.0)
        self.assertAlmostEqual(fitted.rate_kg_per_min, 0.17, delta=0.005)
        self.assertAlmostEqual(fitted.brix_at(30), true_brix(30, [(99.0, 0.17)]), delta=0.2)
        # 3 of 45 Brix at the start are 3.6 of 54 now.
        self.assertAlmostEqual(fitted.sigma_brix_at(30), 3.6, delta=0.3)
        as_dips = [d._replace(by_solids=False) for d in weighed]
        self.assertLess(fit_boil(doubtful, as_dips, [], 30.0).sigma_brix_at(30), 0.3)

    def test_a_stem_that_finds_more_sugar_does_not_make_the_scale_wrong(self) -> None:
        weighed = [Density(m, true_brix(m, [(99.0, 0.17)]), 0.1, by_solids=True) for m in (10.0, 20.0, 30.0)]
        stem = Density(30.0, true_brix(30, [(99.0, 0.17)]) + 3.0, 0.3, "stem", 0.2)
        fitted = fit_boil(replace(KNOWN, brix_sigma=3.0), [*weighed, stem], [], 30.0)
        self.assertAlmostEqual(fitted.brix_at(30), stem.brix, delta=0.3)
        self.assertTrue(all(weight > 1.0 for weight in fitted.density_weights))


class WeighedCup(unittest.TestCase):
    def test_mass_and_volume_are_a_density(self) -> None:
        # 66.9 Brix at 20 degC: 1328.19 kg/m3.
        found = cupful(0.3320475, 0.25, 20.0, by_water=True)
        self.assertAlmostEqual(found.brix, 66.9, delta=0.005)
        vague = cupful(0.3320475, 0.25, 20.0)
        self.assertTrue(0.8 < found.sigma_brix < 1.5 < 3.0 < vague.sigma_brix < 4.5)
        self.assertLess(found.shared_sigma_brix, found.sigma_brix)
        self.assertAlmostEqual(volume_of_water_l(0.24955), 0.25, delta=1e-4)

    def test_hexoses_are_lighter_and_hot_syrup_too(self) -> None:
        plain, birch = (cupful(0.32, 0.25, 90.0, invert).brix for invert in (0.0, 0.9))
        self.assertAlmostEqual(birch - plain, 1.25, delta=0.15)
        self.assertGreater(plain, cupful(0.32, 0.25, 20.0).brix + 5)

    def test_what_is_no_syrup_is_refused(self) -> None:
        for mass in (0.2, 0.37):
            with self.assertRaises(OutOfRange) as refused:
                cupful(mass, 0.25, 90.0)
            self.assertIn("without the cup", refused.exception.sentence)


class WoodlotsBoil(unittest.TestCase):
    def test_a_draw_shows_how_far_it_boils_off_the_curve(self) -> None:
        """Drawn 0.3 K hotter than the curve has what it turned out to be."""
        at_draw = 66.9 * (1 - 0.005)
        rise = sucrose.boiling_point_c(at_draw, PA, 0.9) - sucrose.boiling_point_c(0.0, PA, 0.9)
        given = {"pressure_pa": PA, "invert_fraction": 0.9, "carry_over_fraction": 0.005}
        found = seen_at(rise + 0.3, 0.15, 66.9, 0.2, **given)
        self.assertAlmostEqual(found.shift_k, 0.3, delta=0.005)
        slope = sucrose.boiling_slope_k_per_brix(at_draw, PA, 0.9)
        self.assertAlmostEqual(found.shared_k, 0.2 * slope, delta=1e-3)
        self.assertGreater(found.sigma_k, 0.15)

    def test_the_more_draws_the_surer_but_never_surer_than_they_differ(self) -> None:
        self.assertEqual(learnt([], 0.35), Shift(0.0, 0.35, 0))
        one, many = (learnt([ShiftSeen(0.4, 0.2, 0.05)] * n, 0.35) for n in (1, 20))
        self.assertTrue(0.2 < one.k < many.k < 0.4)
        self.assertTrue(0.1 < many.sigma_k < one.sigma_k < 0.35)
        self.assertAlmostEqual(many.k, 0.39, delta=0.01)
        # One stem that reads them all is off for all of them alike.
        self.assertGreater(learnt([ShiftSeen(0.4, 0.3, 0.25)] * 20, 0.35).sigma_k, 0.25)

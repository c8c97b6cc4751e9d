"""Trunks, sap that ages, ice, runs, fires: against brute force and in worlds that were made otherwise."""

import random
import unittest
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from math import exp, log, pi
from typing import Any

import numpy as np

from lumbrel.core.errors import OutOfRange
from lumbrel.core.sap import boil_down, fuel, growth, keeping, learned, running, sap, woods
from lumbrel.core.sap import trunk as trunks
from lumbrel.core.sap.trunk import TAPS_FROM_MM, Hole, Place, Rule, Trunk
from lumbrel.core.sap.woods import simple_hours
from tests.worlds.woods import Woodlot


class Trunks(unittest.TestCase):
    def test_a_place_keeps_the_rule_and_is_found_whenever_there_is_one(self) -> None:
        """A thousand trunks under random rules, each that is not tapped as it bears searched by a grid."""
        rng, full = random.Random(404), 0
        for _ in range(1000):
            rule = Rule(
                taps=rng.choice(list(TAPS_FROM_MM)),
                beside_mm=rng.choice((300, 150)),
                lowest_mm=rng.choice((1000, 600)),
                highest_mm=rng.choice((1500, 1900)),
                sunny_deg=rng.uniform(0, 360),
                sunny_only=rng.random() < 0.5,
            )
            holes = tuple(
                Hole(rng.uniform(0, 360), rng.uniform(500, 2000), 2026 - rng.randrange(1, 30))
                for _ in range(rng.randrange(rng.choice((4, 12, 30))))
            )
            trunk = Trunk(rng.uniform(800, 2800), 2026, holes)
            bears, found = trunks.taps_borne(trunk.girth_mm, rule), trunks.places(trunk, rule)
            self.assertLessEqual(len(found), bears)
            self._keeps(found, trunk, rule)
            if len(found) < bears:
                full += 1
                self.assertFalse(self._by_grid(trunk, rule, len(found) + 1, rng), (trunk, rule))
        self.assertGreater(full, 60)

    def _keeps(self, found: tuple[Place, ...], trunk: Trunk, rule: Rule) -> None:
        old = [h for h in trunk.holes if (2026 - h.year) * trunk.growth_mm < rule.depth_mm]
        for i, place in enumerate(found):
            self.assertTrue(rule.lowest_mm - 0.01 <= place.height_mm <= rule.highest_mm + 0.01)
            for other in [*old, *found[:i]]:
                turn = abs((place.bearing_deg - other.bearing_deg + 180) % 360 - 180)
                beside = turn / 360 * trunk.girth_mm >= rule.beside_mm - 0.01
                above = abs(place.height_mm - other.height_mm) >= rule.above_mm - 0.01
                self.assertTrue(beside or above, (place, other))

    def _by_grid(self, trunk: Trunk, rule: Rule, count: int, rng: random.Random) -> bool:
        """Whether a grid finds so many places."""
        step = 7.0
        around = np.arange(0, trunk.girth_mm - step, step)
        heights = np.arange(rule.lowest_mm, rule.highest_mm + 1, 20.0)
        x, y = (grid.ravel() for grid in np.meshgrid(around, heights))
        free = np.ones(x.size, bool)

        def blocked(at_x: float, at_y: float) -> "np.ndarray[tuple[int], np.dtype[np.bool_]]":
            apart = abs(x - at_x) % trunk.girth_mm
            apart = np.minimum(apart, trunk.girth_mm - apart)
            return (apart < rule.beside_mm) & (abs(y - at_y) < rule.above_mm)

        for hole in trunk.holes:
            if (2026 - hole.year) * trunk.growth_mm < rule.depth_mm:
                free &= ~blocked(hole.bearing_deg / 360 * trunk.girth_mm, hole.height_mm)
        chosen = np.flatnonzero(free)
        for i in rng.sample(list(chosen), min(len(chosen), 150)):
            rest = free & ~blocked(x[i], y[i])
            if count == 1 or (count == 2 and rest.any()):
                return True
            for j in np.flatnonzero(rest)[:40] if count == 3 else ():
                if (rest & ~blocked(x[j], y[j])).any():
                    return True
        return False

    def test_how_many_taps_a_trunk_bears(self) -> None:
        for through, conservative, older in (
            (29, 0, 1),
            (31, 1, 1),
            (44, 1, 1),
            (46, 2, 2),
            (70, 2, 3),
        ):
            girth = through * 10 * pi
            self.assertEqual(trunks.taps_borne(girth, Rule()), conservative)
            self.assertEqual(trunks.taps_borne(girth, Rule(taps="older")), older)

    def test_a_full_trunk_rests_until_it_has_grown(self) -> None:
        rule = Rule()
        ring = tuple(Hole(72.0 * k, 1200, 2026 - k, 0) for k in range(1, 6))
        full = Trunk(1700, 2026, ring)
        self.assertEqual(trunks.places(full, rule), ())
        # The oldest is of 2021, and 45 mm at 2 mm a year are 23 years.
        self.assertEqual(growth.years_until_a_place(full, rule), 18)
        self.assertEqual(growth.years_until_a_place(Trunk(1700, 2026), rule), 0)
        self.assertEqual(growth.years_until_full(Trunk(1000, 2026), rule), 3)
        measured = replace(full, holes=tuple(replace(h, girth_mm=1400) for h in ring))
        self.assertTrue(trunks.places(measured, rule), "48 mm have grown over all of them")

    def test_dead_wood_and_growth(self) -> None:
        trunk = Trunk(1700, 2026, (Hole(90, 1200, 2025),))
        self.assertIsNotNone(trunks.in_dead_wood(Place(90.5, 1600), trunk, Rule()))
        self.assertIsNone(trunks.in_dead_wood(Place(90.5, 1750), trunk, Rule()))
        self.assertIsNone(trunks.in_dead_wood(Place(95, 1200), trunk, Rule()))
        near = trunks.too_near(Place(95, 1200), trunk, Rule())
        self.assertEqual(near and near.year, 2025)
        self.assertEqual(growth.growth_mm_a_year([(2024, 1600.0), (2025, 1700.0)]), (2.0, False))
        slope, measured = growth.growth_mm_a_year([(2020, 1600.0), (2022, 1625.0), (2026, 1675.4)])
        self.assertTrue(measured)
        self.assertAlmostEqual(slope, 2.0, delta=0.02)
        for girth in (8000.0, 100.0, float("nan")):
            with self.assertRaises(OutOfRange):
                trunks.taps_borne(girth, Rule())


class Keeping(unittest.TestCase):
    def test_life_by_the_trades_figures(self) -> None:
        for celsius, days in (
            (-5, 7),
            (0, 7),
            (4, 3),
            (10, 1),
            (15, 0.5),
            (20, 0.25),
            (2, 21**0.5),
        ):
            self.assertAlmostEqual(keeping.life_hours(celsius), 24 * days, places=9)
        self.assertAlmostEqual(keeping.life_hours(30), 24 * 0.0625)

    def test_a_tank_filled_again_and_again_is_as_old_as_what_lives_in_it(self) -> None:
        """Counted minute by minute: what is alive in each portion doubles by itself, and is poured together."""
        rng = random.Random(11)
        for _ in range(20):
            start = datetime(2026, 3, 1, tzinfo=UTC)
            course = [(start + timedelta(hours=6 * k), rng.uniform(-3, 14)) for k in range(12)]
            held, share, alive, volume, at = 0.0, 0.0, 0.0, 0.0, start
            for _ in range(5):
                litres, age = rng.uniform(5, 120), rng.uniform(0, 0.6)
                share = keeping.mixed([(held, share), (litres, age)])
                held += litres
                alive += litres * exp(log(1000) * age)
                volume += litres
                until = at + timedelta(hours=rng.uniform(2, 12))
                share += keeping.used_between(course, at, until)
                while at < until:
                    step = min(timedelta(minutes=1), until - at)
                    hours = step.total_seconds() / 3600
                    life = keeping.life_hours(keeping.temperature_at(course, at))
                    alive *= exp(log(1000) * hours / life)
                    at += step
            counted = log(alive / volume) / log(1000)
            self.assertAlmostEqual(share / counted, 1.0, delta=0.01)

    def test_boil_by(self) -> None:
        now = datetime(2026, 3, 1, 8, tzinfo=UTC)
        steady = [(now, 4.0)]
        by = keeping.boil_by(steady, now, 0.25)
        assert by is not None
        self.assertAlmostEqual((by - now).total_seconds() / 3600, 54.0, places=3)
        self.assertEqual(keeping.boil_by(steady, now, 1.2), now)
        self.assertIsNone(keeping.boil_by(steady, now, 0.0, days=2))
        self.assertAlmostEqual(keeping.used([(54, 4.0), (12, 10.0)]), 0.75 + 0.5)

    def test_ice_takes_a_little_sugar_along(self) -> None:
        left = sap.without_ice(50, 2.0, 20, 0.1)
        self.assertAlmostEqual(left.mass_kg * left.brix / 100 + left.sugar_gone_kg, 1.0)
        self.assertAlmostEqual(left.sugar_gone_share, 0.06)
        self.assertAlmostEqual(left.brix, 3.1333, places=3)
        for ice in (50.0, 60.0, 49.9, -1.0):
            with self.assertRaises(OutOfRange):
                sap.without_ice(50, 2.0, ice)
        with self.assertRaises(OutOfRange):
            sap.require_sap(12.0)
        made = sap.becomes(44.16, 2.0, 66.9)
        self.assertAlmostEqual(made.syrup_l, 1.0, places=3)
        self.assertAlmostEqual(made.by_rule_of_86_l, 44.16 * 2 / 86)


"""Of that of as much as yesterday; two thirds are promised, and without what is learned it is more than this."""


class Runs(unittest.TestCase):
    def test_the_rule(self) -> None:
        def rule(night: float, day: float, held: float = 1.0) -> float:
            return running.by_the_rule(running.Weather(night, day), held)

        self.assertEqual(rule(-4, 6), 1.0)
        self.assertEqual(rule(-12, -1), 0.0)
        self.assertLess(rule(-4, 14), 0.5)
        warm = running.Wood().mornings([running.Weather(6, 12)] * 6)
        self.assertLess(rule(6, 12, warm[-1]), 0.01)
        for night, day in ((270.0, 280.0), (5.0, 1.0), (-60.0, 0.0)):
            with self.assertRaises(OutOfRange):
                running.require_weather(night, day)

    def test_it_is_told_better_than_any_simple_forecast_tells_it(self) -> None:
        """Woodlots of another make, from their first day on; forecasts that are off."""
        found = [self._season(Woodlot(f"test {seed}")) for seed in range(10)]
        off, last, mean, by_hours = (sum(one[0][i] for one in found) for i in range(4))
        self.assertLess(off, 0.85 * last)
        self.assertLess(off, 0.85 * mean)
        self.assertLess(off, 0.97 * by_hours)
        self.assertGreaterEqual(sum(one[0][0] < one[0][1] for one in found), 8)
        held, days = (sum(one[1][i] for one in found) for i in range(2))
        self.assertTrue(0.74 <= held / days <= 0.9, held / days)
        self.assertLess(sum(one[2][0] for one in found), sum(one[2][1] for one in found), "days ahead")

    def _season(self, lot: Woodlot) -> tuple[list[float], list[int], list[float]]:
        """How far a day was off: as told, by the last day, the mean, a regression; whether its range held; and four
        days ahead, as told and by the mean."""
        known: list[running.Day] = []
        off, held, ahead = [0.0] * 4, [0, 0], [0.0, 0.0]
        season = list(lot.season(2026, 45))
        for i, one in enumerate(season[:-4]):
            if i >= 8:
                said = [running.Weather(*lot.forecast(day, h + 1)) for h, day in enumerate(season[i : i + 4])]
                told = learned.Learned(known).ahead(one.day, said)
                gave = np.array([day.litres_per_tap for day in known])
                simple = (gave[-1], gave.mean(), self._regressed(known, gave, said[0]))
                for k, guess in enumerate((told[0].litres, *simple)):
                    off[k] += abs(guess - one.litres)
                for k, guess in enumerate((told[3].litres, gave.mean())):
                    ahead[k] += abs(guess - season[i + 3].litres)
                if max(told[0].litres, one.litres) > 0.1:
                    held[0] += told[0].low <= one.litres <= told[0].high
                    held[1] += 1
            known.append(running.Day(one.day, running.Weather(one.night_c, one.day_c), one.litres))
        return off, held, ahead

    def _regressed(self, known: list[running.Day], gave: Any, said: running.Weather) -> float:
        rows = np.column_stack([np.ones(len(known)), simple_hours([day.weather for day in known])])
        weights = np.linalg.lstsq(rows, gave, rcond=None)[0]
        return max(float(weights @ [1, *simple_hours([said])[0]]), 0.0)

    def taught(self, gave: float | Callable[[int], float], days: int = 14, **kind: bool) -> learned.Learned:
        """By days under one weather, frost and thaw."""
        litres = gave if callable(gave) else lambda _day: gave
        weather = running.Weather(-4, 6)
        return learned.Learned(
            [running.Day(date(2026, 3, 1) + timedelta(days=d), weather, litres(d)) for d in range(days)],
            **kind,
        )

    def test_nothing_learned_has_a_wide_range_and_what_never_gave_is_told_so(self) -> None:
        on, good = date(2026, 3, 15), [running.Weather(-4, 6)]
        first = learned.Learned().ahead(on, good)[0]
        self.assertTrue(0 < first.low < first.litres < first.high)
        two = self.taught(2.0).ahead(on, good)[0]
        self.assertAlmostEqual(two.litres, 2.0, delta=0.25)
        self.assertLess(two.high - two.low, first.high - first.low)
        self.assertLess(self.taught(0.0).ahead(on, good)[0].litres, 0.2)
        self.assertEqual(self.taught(2.0).ahead(on, []), [])

    def test_what_runs_without_frost_is_another_kind_of_woodlot(self) -> None:
        """Under vacuum a mild spell goes on running; without it fades."""
        days = [running.Day(date(2026, 3, d), running.Weather(-5, 6), 2.0) for d in range(1, 9)]
        mild = [date(2026, 3, 9) + timedelta(days=d) for d in range(7)]
        told = {}
        for name, fades in (("vacuum", 0.97), ("gravity", 0.6)):
            more = [running.Day(day, running.Weather(3, 8), 2.0 * fades**i) for i, day in enumerate(mild, 1)]
            told[name] = (
                learned.Learned(days + more).ahead(date(2026, 3, 16), [running.Weather(3, 8)])[0].litres
            )
        self.assertGreater(told["vacuum"], 1.2)
        self.assertLess(told["gravity"], 0.3)
        birch = self.taught(1.0, birch=True).ahead(date(2026, 3, 15), [running.Weather(4, 12)])[0]
        self.assertGreater(birch.litres, 0.5)

    def test_a_hole_gives_less_with_its_age_and_some_woods_run_without_frost(self) -> None:
        mild = woods.DegreeHours(np.array(0.0), np.array(60.0), np.array(6.0))
        empty = woods.Run(np.zeros(woods.WOODS), np.zeros(woods.WOODS))
        full = woods.Run(np.ones(woods.WOODS), np.zeros(woods.WOODS))
        young, old = (woods.day_of(full, mild, age, birch=False)[1] for age in (0.0, 32.0))
        self.assertAlmostEqual(float(np.median(old / young)), 0.5, delta=0.06)
        runs = (woods.day_of(empty, mild, 0.0, birch=False)[1] > 0).mean()
        self.assertTrue(0.15 < runs < 0.35, runs)

    def test_another_season_begins_without_the_last_ones_last_day(self) -> None:
        """A last day of nothing, and of much, before the trees were tapped anew: the same is told of the new season."""
        told = []
        for last in (0.0, 6.0):
            old = [
                replace(day, litres_per_tap=last if i == 13 else 2.0)
                for i, day in enumerate(self.taught(2.0).days)
            ]
            told.append(learned.Learned(old).ahead(date(2027, 3, 1), [running.Weather(-4, 6)])[0].litres)
        self.assertAlmostEqual(*told, delta=0.8)

    def test_only_days_before_a_day_count_in_what_would_have_been_said_of_it(self) -> None:
        """Another last day changes nothing of what was said of the days before."""
        same, other = (
            self.taught(lambda day, end=end: end if day == 13 else 1.0 + 0.1 * day) for end in (1.0, 5.0)
        )
        np.testing.assert_allclose(same._known.together, other._known.together, rtol=1e-12)


class Fires(unittest.TestCase):
    def test_heat_and_fuel(self) -> None:
        # 100 kg of water from 0 to 100 degC and all but nothing of it driven off.
        self.assertAlmostEqual(fuel.heat_mj(100, 0, 0, 100, 0.1), 41.8, delta=0.5)
        self.assertAlmostEqual(fuel.heat_mj(100, 10, 100, 100), 22.57, places=2)
        need = fuel.fuel_mj(25.0, fuel.Range(0.5, 0.4, 0.6))
        self.assertAlmostEqual(fuel.amount(need, "propane L").middle, 50 / 25.3)
        self.assertGreater(fuel.amount(need, "wood kg").high, fuel.amount(need, "wood kg").low)
        self.assertAlmostEqual(fuel.chance_it_lasts(need.middle, need), 0.5)
        self.assertAlmostEqual(fuel.chance_it_lasts(need.high, need), 0.95, delta=0.01)
        for t, freedom in ((2.353, 3), (2.015, 5), (1.697, 30)):
            self.assertAlmostEqual(fuel.students_t_95(freedom), t, places=2)

    def test_three_boil_downs_teach_the_next(self) -> None:
        """Sixty boil-downs a kitchen whose fires differ, wander and drift."""
        rng = random.Random(8)
        later: list[bool] = []
        fourth: list[bool] = []
        for kitchen in range(200):
            setup = rng.choice(list(fuel.EFFICIENCY))
            middle, low, high = fuel.EFFICIENCY[setup]
            own = log(middle) + rng.gauss(0, log(high / low) / 3.29)
            sigma, drift = rng.uniform(0.06, 0.2), rng.choice((0.0, 0.7, 0.95))
            off, burned = 0.0, []
            for number in range(63 if kitchen < 30 else 6):
                off = drift * off + rng.gauss(0, sigma * (1 - drift * 0.6))
                efficiency = min(exp(own + off + rng.gauss(0, 0.04)), 0.97)
                if number >= 3:
                    said = fuel.learned_efficiency(setup, burned)
                    holds = said.low <= efficiency <= said.high
                    (later if number > 5 else fourth).append(holds)
                burned.append(fuel.Burned(efficiency, 1.0))
        for held in (later, fourth):
            self.assertTrue(0.85 <= sum(held) / len(held) <= 0.95, sum(held) / len(held))

    def test_a_plan_adds_up(self) -> None:
        pans = [boil_down.Pan("back", 0.24), boil_down.Pan("front", 0.24)]
        made = boil_down.plan(
            sap_kg=300,
            brix=2.0,
            sap_c=3,
            target_brix=60,
            boil_c=98.6,
            pans=pans,
            efficiency=fuel.learned_efficiency("arch"),
        )
        self.assertAlmostEqual(made.left_kg, 10.0)
        self.assertAlmostEqual(made.stages[-1].left_kg, 10.0)
        self.assertAlmostEqual(made.stages[-1].brix, 60.0)
        minutes = made.heating_min + sum(stage.minutes for stage in made.stages)
        self.assertAlmostEqual(minutes / 60, made.hours.middle)
        # 290 kg at 0.36 kg a minute, and the cold sap's warming besides.
        self.assertTrue(1.1 < made.hours.middle / (290 / 0.36 / 60) < 1.35)
        self.assertLess(made.hours.low, made.hours.middle / 1.2)
        self.assertEqual([s.pans for s in made.stages][-1], ("front",))
        self.assertAlmostEqual(boil_down.brix_after(made, 0), 2.0)
        self.assertAlmostEqual(boil_down.brix_after(made, 99), 60.0)
        small = boil_down.plan(
            sap_kg=40,
            brix=2.0,
            sap_c=3,
            target_brix=60,
            boil_c=98.6,
            pans=pans,
            efficiency=fuel.learned_efficiency("arch"),
        )
        self.assertIsNotNone(small.too_little_for, "1.3 kg in 0.24 m2 stand 4 mm deep")

    def test_over_night(self) -> None:
        made = boil_down.plan(
            sap_kg=300,
            brix=2.0,
            sap_c=3,
            target_brix=60,
            boil_c=98.6,
            pans=[boil_down.Pan("a", 0.48)],
            efficiency=fuel.learned_efficiency("arch"),
        )
        lit = datetime(2026, 3, 8, 14, tzinfo=UTC)
        late, early = datetime(2026, 1, 1, 22).time(), datetime(2026, 1, 1, 7).time()
        night, done = boil_down.over_night(made, lit, late, early)
        assert night is not None
        self.assertEqual((night.hours_before, night.goes_on.hour), (8.0, 7))
        self.assertEqual(done, lit + timedelta(hours=made.hours.middle + 9))
        self.assertTrue(2 < night.brix < 60)
        self.assertIsNone(boil_down.over_night(made, lit.replace(hour=3), late, early)[0])

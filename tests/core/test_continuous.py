"""A continuous pan: its solids, its channels against a reckoning step by step, its climbs."""

import unittest
from dataclasses import replace
from math import exp, inf, log

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import continuous
from lumbrel.core.pan.continuous import Climb, Drawn, Left, Running

PAN = Running(held_kg=30.0, rate_kg_min=0.9, sap_brix=2.0, syrup_brix=66.9, channels=4)


def stepped(pan: Running, until_min: float, draws: bool) -> tuple[list[float], float | None, float]:
    """The same pan by small steps: its channels in the end, when it first reached the mark, and the sugar
    drawn a minute while it ran."""
    each, step = pan.held_kg / pan.channels, 0.02
    off = pan.rate_kg_min / pan.channels
    brix, first, drawn = [pan.sap_brix] * pan.channels, None, 0.0
    for i in range(int(until_min / step)):
        out = 0.0
        if brix[-1] >= pan.syrup_brix:
            first = first or i * step
            if not draws:
                break
            out = 0.3
            drawn += out * step * brix[-1] / 100
        flows = [out + off * (pan.channels - j) for j in range(pan.channels + 1)]
        came = [pan.sap_brix, *brix]
        brix = [w + (flows[j] * came[j] - flows[j + 1] * w) * step / each for j, w in enumerate(brix)]
    return brix, first, drawn / max(until_min - (first or 0.0), 1.0)


class Continuous(unittest.TestCase):
    def test_it_keeps_its_solids(self) -> None:
        even = continuous.steady(0.5, 2.0, 66.9, 1.0)
        self.assertAlmostEqual(even.sap_kg_h - even.syrup_kg_h, 30.0)
        self.assertAlmostEqual(even.sap_kg_h * 2.0, even.syrup_kg_h * 66.9)
        self.assertAlmostEqual(even.minutes_between * even.syrup_l_h, 60.0)

    def test_its_channels_stand_as_they_do_step_by_step(self) -> None:
        for channels in (2, 4, 7):
            pan = replace(PAN, channels=channels)
            brix, _, passes = stepped(pan, 1500.0, draws=True)
            said = continuous.channel_brixes(2.0, 66.9, channels)
            for seen, by_rule in zip(brix[:-1], said[:-1], strict=True):
                self.assertAlmostEqual(seen / by_rule, 1.0, delta=0.03)
            self.assertAlmostEqual(said[-1], 66.9)
            self.assertAlmostEqual(passes / pan.solids_kg_min, 1.0, delta=0.05)

    def test_the_first_draw_comes_when_the_pan_holds_its_sugar(self) -> None:
        for channels in (3, 5, 8):
            pan = replace(PAN, channels=channels)
            _, first, _ = stepped(pan, 2000.0, draws=False)
            low, middle, high = continuous.band(continuous.first_climb(pan, 2.0))
            assert first is not None
            self.assertTrue(low < first < high, (channels, first))
            # Channels that mix come later than these, which do not.
            self.assertTrue(first < middle < 1.4 * first, (channels, first, middle))
        filled = continuous.first_climb(PAN, 18.0)
        self.assertLess(filled.minutes, continuous.first_climb(PAN, 2.0).minutes / 3)

    def test_the_next_draw_comes_as_those_before(self) -> None:
        one = continuous.next_climb(PAN, [Drawn(1.5, 66.9)])
        self.assertAlmostEqual(one.minutes, 1.5 * 0.669 / PAN.solids_kg_min, delta=0.1)
        self.assertLess(one.brix, 66.9)
        self.assertLess(continuous.next_climb(PAN, [Drawn(3.0, 66.9)]).brix, one.brix)
        # Draws that came twice as slowly are believed, the more the more of them there are.
        slow = [Drawn(1.5, 66.9, 2 * one.minutes)] * 5
        taught = continuous.next_climb(PAN, [*slow, Drawn(1.5, 66.9)])
        after_one = continuous.next_climb(PAN, [slow[0], Drawn(1.5, 66.9)])
        self.assertTrue(one.minutes < after_one.minutes < taught.minutes < 2.01 * one.minutes)
        self.assertAlmostEqual(taught.minutes / one.minutes, 2.0, delta=0.4)
        self.assertLess(taught.sigma, one.sigma)
        # One that was banked over a night says nothing of it.
        self.assertEqual(
            continuous.next_climb(PAN, [Drawn(1.5, 66.9, None), Drawn(1.5, 66.9)]).minutes,
            one.minutes,
        )
        thin = continuous.next_climb(PAN, [Drawn(1.5, 64.0)])
        self.assertGreater(thin.minutes, 1.2 * one.minutes * 64.0 / 66.9)
        with self.assertRaises(OutOfRange):
            continuous.next_climb(PAN, [])

    def test_minutes_to_the_mark(self) -> None:
        climb = Climb(2.0, 0.5, 240.0, 0.3)
        slope = Left(40.0, 30.0, 55.0)
        early = continuous.to_the_mark(climb, 30.0, slope, 5.0, 66.9)
        self.assertGreater(early.middle, 100.0)
        near = continuous.to_the_mark(climb, 230.0, slope, 60.0, 66.9)
        self.assertAlmostEqual(near.middle, 40.0)
        self.assertTrue(near.low < 30.0 and near.high > 55.0)
        drops = continuous.to_the_mark(climb, 230.0, slope, 60.0, 66.9, by_drops=True)
        self.assertTrue(drops.low < near.low - 5 and drops.high == near.high, "drops tell less of how soon")
        there = Left(0.0, 0.0, 3.0)
        self.assertEqual(continuous.to_the_mark(climb, 250.0, there, 67.0, 66.9), there)
        # A climb that lasts far longer than it should still has something to go.
        late = continuous.to_the_mark(climb, 900.0, Left(60.0, 20.0, inf), 20.0, 66.9)
        self.assertTrue(0 < late.low < late.middle < late.high < inf)
        for gone in (300.0, 900.0, 5000.0):
            far = continuous.to_the_mark(climb, gone, Left(60.0, 20.0, inf), 10.0, 66.9)
            self.assertTrue(20 < far.middle < 200, (gone, far))

    def test_a_climb_is_as_long_as_the_pot_that_stands_for_it(self) -> None:
        climb = Climb(60.0, 1.0, 20.0, 0.3)
        rate = continuous.rate_of(climb, 5.0, 66.9)
        self.assertAlmostEqual(5.0 * 60.0 / (5.0 - 20.0 * rate), 66.9)
        low, middle, high = continuous.band(climb)
        self.assertAlmostEqual(log(high / low), 2 * 1.645 * 0.3)
        self.assertAlmostEqual(middle * exp(1.645 * 0.3), high)

    def test_what_cannot_be_is_said(self) -> None:
        for wrong in (
            {"channels": 0},
            {"channels": 13},
            {"sap_brix": 70.0},
            {"syrup_brix": 90.0},
            {"rate_kg_min": 0.0},
            {"held_kg": 0.0},
        ):
            with self.assertRaises(OutOfRange):
                replace(PAN, **wrong)

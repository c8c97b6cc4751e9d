"""The coach's stages and its looking away; the yield check and what it says a difference means."""

import unittest
from math import inf

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.coach import SENSES, Stage, away_minutes, stage_of
from lumbrel.core.pan.yield_check import check_yield


class Coach(unittest.TestCase):
    def test_a_boil_goes_through_its_stages_in_order(self) -> None:
        rises = ((3.0, 0.1), (24.0, 0.6), (47.0, 1.7), (63.0, 3.3), (66.9, 4.1))
        seen = [stage_of(brix, rise, target_brix=66.9) for brix, rise in rises]
        self.assertEqual(seen, [Stage.THIN, Stage.SWEET, Stage.FOAM, Stage.CLOSE, Stage.CLOSE])
        self.assertEqual(stage_of(3.0, 0.0, target_brix=66.9, boils=False), Stage.WARMING)
        self.assertEqual(stage_of(60.0, 3.0, target_brix=66.9, heat_is_off=True), Stage.RESTING)
        self.assertEqual(stage_of(66.9, 4.1, target_brix=66.9, at_mark=True), Stage.MARK)
        # Near-syrup is poured on long before its drops hang.
        for brix, at_mark in ((53.0, False), (55.0, True)):
            stage = stage_of(brix, 2.4, target_brix=55.0, at_mark=at_mark)
            self.assertEqual(stage, Stage.NEAR_SYRUP)
            self.assertEqual(away_minutes(stage, to_foam=99.0), 0.0)
        # Birch foams by its heat, long before maple of the same density.
        self.assertEqual(stage_of(38.0, 1.8, target_brix=66.9), Stage.FOAM)
        with self.assertRaises(OutOfRange):
            stage_of(98.0, 4.0, target_brix=66.9)
        self.assertEqual(set(SENSES), set(Stage))

    def test_one_looks_away_for_a_share_of_what_is_quiet_and_never_near_foam(self) -> None:
        self.assertEqual(away_minutes(Stage.SWEET, to_foam=13.0), 5.0)
        self.assertEqual(away_minutes(Stage.SWEET, to_foam=40.0, to_low=8.0), 3.0)
        self.assertEqual(away_minutes(Stage.THIN, to_foam=inf), 15.0)
        self.assertEqual(away_minutes(Stage.WARMING, to_boil=9.0), 2.0)
        self.assertEqual(away_minutes(Stage.SWEET, to_foam=2.4), 0.0)
        for stage in (Stage.FOAM, Stage.CLOSE, Stage.MARK):
            self.assertEqual(away_minutes(stage, to_foam=99.0, to_low=99.0), 0.0)
        self.assertIsNone(away_minutes(Stage.RESTING))


class Yield(unittest.TestCase):
    def test_as_it_should_be_within_the_doubt(self) -> None:
        # 3 kg of sugar at 66.9 is 4.48 kg, less what clings.
        said = check_yield(3.0, 0.02, 66.9, 0.3, 4.4)
        self.assertAlmostEqual(said.expected_kg, 4.395, delta=0.001)
        self.assertTrue(said.agrees)
        self.assertEqual(said.meanings, ())
        # The same difference counts as nothing where the sap was guessed, and as much where it was read.
        self.assertTrue(check_yield(3.0, 0.24, 66.9, 1.8, 5.2).agrees)
        # What stands out is explained, though it may be chance.
        poor = check_yield(3.0, 0.24, 66.9, 1.8, 2.9, sap_brix=2.0)
        self.assertTrue(poor.agrees)
        # Nobody takes for syrup what would be so thick.
        self.assertEqual([m.key for m in poor.meanings], ["sap", "lost"])
        self.assertFalse(check_yield(3.0, 0.02, 66.9, 0.3, 5.2).agrees)

    def test_what_a_difference_means_the_likeliest_first(self) -> None:
        thin = check_yield(3.0, 0.01, 66.9, 3.0, 4.9)
        self.assertEqual(thin.meanings[0].key, "thin")
        self.assertAlmostEqual(thin.meanings[0].value, 66.9 * thin.expected_kg / 4.9)
        sap = check_yield(3.0, 0.25, 66.9, 0.2, 7.0, sap_brix=2.0)
        self.assertEqual([m.key for m in sap.meanings], ["sap", "thin"])
        self.assertAlmostEqual(sap.meanings[0].value, 2.0 * sap.share)
        lost = check_yield(3.0, 0.01, 66.9, 0.2, 3.6)
        self.assertEqual(lost.meanings[0].key, "lost")
        self.assertAlmostEqual(lost.meanings[0].value, lost.expected_kg - 3.6)
        self.assertEqual({m.key for m in lost.meanings}, {"lost", "taken_in"})
        with self.assertRaises(OutOfRange):
            check_yield(3.0, 0.01, 66.9, 0.2, 0.0)

"""A jar that came back: the causes ranked by its lot's own figures."""

import unittest
from dataclasses import replace

from lumbrel.core.errors import OutOfRange
from lumbrel.core.shelf.clinic import COMPLAINTS, LotFigures, likely_causes

GOOD = LotFigures(
    brix=66.9,
    sigma_brix=0.2,
    cold=True,
    coldest_fill_c=85.0,
    hottest_fill_c=87.0,
    clarity="clear",
    filter_c=90.0,
    unsealed=0,
    turned=True,
)


def first(complaint: str, figures: LotFigures) -> str:
    return likely_causes(complaint, figures)[0].words


class Clinic(unittest.TestCase):
    def test_the_lots_own_figures_rank_the_causes(self) -> None:
        for complaint, figures, words in (
            ("thin", replace(GOOD, brix=64.5), "It was too thin"),
            ("mould", replace(GOOD, brix=64.5), "It was too thin"),
            ("mould", replace(GOOD, coldest_fill_c=74.0), "It was filled too cold"),
            ("mould", replace(GOOD, unsealed=3), "The lid leaked"),
            ("crystals", replace(GOOD, brix=68.8), "It is too dense"),
            ("crystals", GOOD, "It was kept very cold"),
            ("cloud", replace(GOOD, clarity="hazy"), "The filter let it through"),
            ("cloud", replace(GOOD, reheats=3), "New niter formed after the filter"),
            ("cloud", replace(GOOD, hottest_fill_c=96.0), "New niter formed after the filter"),
            ("ferment", replace(GOOD, coldest_fill_c=70.0), "It was filled too cold"),
            ("leak", replace(GOOD, unsealed=1), "The lid leaked"),
        ):
            self.assertEqual(first(complaint, figures), words, (complaint, figures))

    def test_shares_add_up_and_what_speaks_for_them_is_said(self) -> None:
        for complaint in COMPLAINTS:
            causes = likely_causes(complaint, replace(GOOD, brix=64.5, cold=False))
            self.assertAlmostEqual(sum(cause.share for cause in causes), 1.0)
            self.assertTrue(all(cause.because and cause.next_time for cause in causes))
        said = likely_causes("thin", replace(GOOD, brix=64.5, cold=False))[0].because
        self.assertIn("64.5 ± 0.2 Brix, as it was drawn, never read cold", said)
        with self.assertRaises(OutOfRange):
            likely_causes("ugly", GOOD)

    def test_mould_is_discarded_whatever_others_do(self) -> None:
        self.assertTrue(COMPLAINTS["mould"][1].startswith("Discard it, and never sell it"))

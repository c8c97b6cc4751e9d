"""Pictures keep their figures legible: labels clear of each other, marks where they belong."""

import unittest
from itertools import pairwise

from lumbrel.services import day
from lumbrel.services.cup import Cup
from lumbrel.store.instruments import Instrument
from lumbrel.web import pictures
from lumbrel.web.pictures import plot
from lumbrel.web.pictures.pan import CupPicture
from tests.support.kitchen import NOON, KitchenCase

STEM = Instrument("s", "hydrometer", "S", {})


class Geometry(unittest.TestCase):
    def test_labels_are_spread_within_bounds(self) -> None:
        for wanted in ([10, 11, 12, 200], [190, 195, 199, 200], [5, 5, 5], []):
            placed = plot.spread(wanted, 20, 5, 200)
            self.assertTrue(all(b - a >= 20 - 1e-9 for a, b in pairwise(placed)))
            self.assertTrue(all(y <= 200 for y in placed))

    def test_the_stem_rises_with_density(self) -> None:
        def picture(reading: float) -> CupPicture:
            return pictures.cup(Cup(STEM, 90, False, 59.9, reading, True, False, 45, 75))

        thin, dense = picture(50), picture(59)
        self.assertLess(dense.stem_bottom, thin.stem_bottom + 1)
        self.assertGreater(thin.mark_y, dense.mark_y)
        at_mark = picture(59.9)
        self.assertAlmostEqual(at_mark.mark_y, at_mark.surface)
        figures = [int(tick.label) for tick in thin.ticks if tick.label]
        self.assertEqual(figures, sorted(figures))
        self.assertGreaterEqual(len(figures), 4)

    def test_a_scale_never_leaves_the_picture(self) -> None:
        place = plot.scale(0, 10, 100, 20)
        self.assertEqual((place(-5), place(0), place(10), place(99)), (100, 100, 20, 20))


class Ladder(KitchenCase):
    def test_every_rung_has_room(self) -> None:
        for kind in ("maple", "birch"):
            picture = pictures.ladder(day.today(self.db, NOON, "", kind))
            labels = [place.label_y for place in picture.rungs]
            self.assertEqual(labels, sorted(labels))
            self.assertTrue(all(b - a >= 24 for a, b in pairwise(labels)), labels)
            self.assertLessEqual(labels[-1], 640)
            self.assertTrue(picture.broken)

"""Pictures keep their figures legible: labels clear of each other, marks where they belong."""

import unittest
from itertools import pairwise

from lumbrel.services.day import ladder
from lumbrel.services.pan.cup import Cup
from lumbrel.store.instruments import HydrometerDetail, Instrument
from lumbrel.web.day.picture import ladder as ladder_picture
from lumbrel.web.pan.picture import CupPicture
from lumbrel.web.pan.picture import cup as cup_picture
from lumbrel.web.shell import plot
from tests.support.kitchen import NOON, KitchenCase

STEM = Instrument(id="s", name="S", detail=HydrometerDetail())


class Geometry(unittest.TestCase):
    def test_labels_are_spread_within_bounds(self) -> None:
        for wanted in ([10, 11, 12, 200], [190, 195, 199, 200], [5, 5, 5], []):
            placed = plot.spread(wanted, 20, 5, 200)
            self.assertTrue(all(b - a >= 20 - 1e-9 for a, b in pairwise(placed)))
            self.assertTrue(all(y <= 200 for y in placed))

    def test_the_stem_rises_with_density(self) -> None:
        def picture(reading: float) -> CupPicture:
            return cup_picture(
                Cup(
                    instrument=STEM,
                    cup_c=90,
                    assumed=False,
                    mark_brix=59.9,
                    floats_at=reading,
                    is_reading=True,
                    below_scale=False,
                    low_brix=45,
                    high_brix=75,
                )
            )

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
            picture = ladder_picture(ladder.today(self.db, NOON, "", kind))
            labels = [place.label_y for place in picture.rungs]
            self.assertEqual(labels, sorted(labels))
            self.assertTrue(all(b - a >= 24 for a, b in pairwise(labels)), labels)
            self.assertLessEqual(labels[-1], 640)
            self.assertTrue(picture.broken)

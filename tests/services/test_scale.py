"""A scale under the pan, and weights that are typed by two weighings."""

import unittest
from datetime import timedelta

from fastapi.testclient import TestClient

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.weighing import Weight, course
from lumbrel.core.units import parse
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.jar.weighed import fills
from lumbrel.services.pan import board as boards
from lumbrel.store import record
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import (
    Instrument,
    ScaleDetail,
    add_instrument,
)
from lumbrel.store.samples import Sample
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support.kitchen import NOON, KitchenCase
from tests.worlds import weighed

MINUTE = timedelta(minutes=1)


SCALE = "scale-0001"


class Weighed(KitchenCase):
    def scale(self) -> None:
        """One under Finisher 2."""
        one = Instrument(
            id=SCALE,
            name="Scale",
            detail=ScaleDetail(),
            vessel_id="finisher-2",
            registered_at=NOON - MINUTE,
        )
        add_instrument(self.db, one)

    def test_the_course_of_a_weight(self) -> None:
        def weights(*changes: tuple[float, float], stalled: tuple[int, int] = (0, 0)) -> list[Weight]:
            kg, found = 20.0, []
            for minute in range(60):
                kg -= 0.0 if stalled[0] <= minute < stalled[1] else 0.1
                kg += sum(by for at, by in changes if at == minute)
                found.append(Weight(minute, kg + 0.01 * (minute % 3 - 1)))
            return found

        seen = course(weights((20, 3.0), (40, -5.0)))
        self.assertEqual([(s.before, round(s.kg, 1)) for s in seen.steps], [(19, 3.0), (39, -5.0)])
        self.assertAlmostEqual(seen.kg_per_min, 0.1, delta=0.01)
        # What went in the middle of a minute went in two; the fire is not out for that.
        halved = weights((40, -2.0), (41, -3.0))
        self.assertEqual(
            [(s.before, s.after, round(s.kg, 1)) for s in course(halved).steps], [(39, 41, -5.0)]
        )
        self.assertEqual(course(halved).stalls, [])
        leant = course(weights((20, 2.0), (23, -2.0)))
        self.assertEqual((leant.steps, leant.leant), ([], [(19, 23)]))
        ((began, ended),) = course(weights(stalled=(20, 32))).stalls
        self.assertLess(abs(began - 19), 4)
        self.assertLess(abs(ended - 32), 4)
        self.assertIsNone(course(weights(stalled=(45, 60))).stalls[0][1])
        self.assertEqual(course([]).steps, [])
        # A boil that begins hard is no step; what is gone is told from it two minutes later, and until then nothing.
        hard = [Weight(m, 20.0 - max(m - 10, 0) * 0.8) for m in range(20)]
        self.assertEqual([course(hard[:many]).steps for many in range(20)], [[]] * 20)
        self.assertEqual((course(hard[:12]).undecided_from, course(hard[:14]).undecided_from), (10, None))
        gone = weights((40, -5.0))
        self.assertEqual((course(gone[:42]).steps, course(gone[:42]).undecided_from), ([], 39))
        self.assertEqual(len(course(gone[:44]).steps), 1)

    def boil(self, *came: tuple[int, float], minutes: int = 70) -> str:
        """30 kg at 45 Brix in Finisher 2 on a scale that shows 4 kg more."""
        code = self.take_in()
        self.scale()
        kg, each = 30.0, []
        for second in range(0, 60 * minutes, 10):
            kg -= 0.2 / 6 if second > 900 else 0.0
            kg += sum(by for at, by in came if at * 60 == second)
            each.append(Sample(NOON + timedelta(seconds=second), kg + 4.0))
        samples_store.add_samples(self.db, SCALE, each)
        self.put(code, "boiling", 15)
        return code

    def asked(self, code: str, minutes: float) -> dict[str, str]:
        board = boards.board(self.db, code, NOON + minutes * MINUTE)
        return {one.key: one.why for one in board.questions}

    def test_a_scale_under_the_pan_tells_its_density(self) -> None:
        code = self.boil()
        board = boards.board(self.db, code, NOON + 70 * MINUTE)
        self.assertEqual([word.estimate.label for word in board.evidence.words], ["Scale"])
        self.assertAlmostEqual(board.believed.brix, 100 * 13.5 / (30 - 0.2 * 55), delta=0.6)
        self.assertEqual(board.questions, [])

    def test_what_went_is_followed_and_what_came_is_asked_about(self) -> None:
        code = self.boil((40, -10.0))
        board = boards.board(self.db, code, NOON + 60 * MINUTE)
        gone = 30 - 0.2 * 25
        brix = 13.5 / gone * (gone - 10) / (gone - 10 - 0.2 * 20) * 100
        self.assertAlmostEqual(board.believed.brix, brix, delta=1.2)
        self.assertIn("10.00\u00a0kg less", self.asked(code, 60)["taken_out"])

    def test_what_came_at_once_ends_what_it_says_until_somebody_says_what_it_was(self) -> None:
        code = self.boil((40, 5.0))
        self.assertIn("5.00\u00a0kg more", self.asked(code, 50)["put_in"])
        board = boards.board(self.db, code, NOON + 50 * MINUTE)
        # Who knows what it was types its Brix alone.
        (known,) = [reply.href for one in board.questions for reply in one.replies if reply.href]
        client = TestClient(create_app(Settings(database=self.path, clock=lambda: NOON + 50 * MINUTE)))
        page = client.get(known.partition("#")[0], headers={"host": "127.0.0.1"}).text
        self.assertIn('value="5.00\u00a0kg"', page)
        self.assertLess(max(r.at for w in board.evidence.words for r in [w.reading]), NOON + 40 * MINUTE)
        self.put(code, "added", 40, mass="5 kg", brix="20", temperature="60 C")
        self.assertNotIn("put_in", self.asked(code, 70))
        board = boards.board(self.db, code, NOON + 70 * MINUTE)
        self.assertAlmostEqual(board.believed.brix, 100 * 14.5 / (35 - 0.2 * 55), delta=0.8)

    def test_the_fire_that_went_out_is_asked_about(self) -> None:
        code = self.boil(*((minute, 0.2) for minute in range(50, 70)))
        self.assertEqual(list(self.asked(code, 69)), ["heat_off"])

    def test_a_jar_by_its_weight(self) -> None:
        code = self.take_in(brix="66.9", brix_confirmed="1")
        self.assertEqual(fills(self.context(code, 1), [500.0], 100.0), [])
        self.put(code, "draw", 2, mass="29 kg", mass_confirmed="1", draw_confirmed="1", kind_confirmed="1")
        after = self.context(code, 90)
        for shown, full, over in ((0.0, False, False), (660.0, True, False), (700.0, True, True)):
            (one,) = fills(after, [500.0], shown)
            self.assertAlmostEqual(one.full_g, 664, delta=4)
            self.assertAlmostEqual(one.to_go_g, one.full_g - shown)
            self.assertEqual((one.is_full, one.is_over), (full, over))

    def context(self, code: str, minutes: float) -> BatchContext:
        batch = record.batch_by(self.db, code=code)
        return contexts.of(self.db, batch, NOON + minutes * MINUTE)

    def test_a_scale_that_was_never_under_it_says_nothing(self) -> None:
        code = self.take_in()
        self.scale()
        samples_store.add_samples(self.db, SCALE, [Sample(NOON + i * MINUTE, 4.0) for i in range(30)])
        self.assertEqual(boards.board(self.db, code, NOON + 30 * MINUTE).evidence.words, [])


class OnAScale(unittest.TestCase):
    """In the second world, by equations that are not the scale's reader's own."""

    def test_what_nobody_writes_down_is_asked_by_its_name_and_the_draw_is_right(self) -> None:
        for seed, scene, question in (
            (9101, "part_taken", "taken_out"),
            (9102, "topped_up", "put_in"),
            (9103, "fire_out", "heat_off"),
        ):
            with self.subTest(scene):
                boil = weighed.played(seed, scene)
                self.assertLess(boil.asked_at[question] - boil.happened_at, 8)
                self.assertEqual(set(boil.asked_at) & {"taken_out", "put_in", "heat_off"}, {question})
                self.assertAlmostEqual(boil.drawn_brix, 66.9, delta=1.2)


class Typed(unittest.TestCase):
    def test_a_weight_by_two_weighings(self) -> None:
        for text, kind, value in (
            ("15.42 kg − 3.1 kg", "mass", 12.32),
            ("0.122 kg - 0.31 kg", "mass", 0.188),
            ("31 lb - 2 lb 8 oz", "mass", 12.9273825),
            ("664 g – 12 g", "piece", 652.0),
        ):
            self.assertAlmostEqual(parse(text, kind).value, value, places=5, msg=text)
        for text in ("5 kg - 2 kg - 1 kg", "5 kg - ", "5 - 2 C"):
            with self.assertRaises(OutOfRange, msg=text):
                parse(text, "mass")
        with self.assertRaises(OutOfRange):
            parse("101 C - 99 C", "temperature")

"""Vessels and instruments changed after they were used: what was written stays true."""

from datetime import datetime, timedelta
from typing import Any

from lumbrel.exchange import logbook, logbook_in, some_batches
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.kitchen.change import edit_instrument, edit_vessel, instrument_of, vessel_of
from lumbrel.services.pan.board import at_a_glance, board
from lumbrel.services.record.kept import ready
from lumbrel.services.shelf.trace import flows_of
from lumbrel.services.stations import slip
from lumbrel.store import flow
from lumbrel.store.db import connect
from tests.support.kitchen import NOON, KitchenCase

STEM = {"name": "Long stem", "low": "45", "high": "75", "true_at": "60 F", "glass": "soda-lime"}
LATER = NOON + timedelta(minutes=50)


class Register(KitchenCase):
    def said(self, code: str, at: datetime = LATER) -> list[tuple[Any, ...]]:
        """A slip in words and figures, as it is read at a moment."""
        lines = slip.lines(contexts.load(self.db, code, at))
        return [(line.title, line.detail, line.value) for line in lines]

    def read(self, code: str, minutes: float) -> None:
        self.put(
            code,
            "hydrometer",
            minutes,
            instrument="long-stem",
            reading="50",
            cup="20 C",
            reading_confirmed="1",
        )

    def test_a_line_is_read_by_what_its_stem_was_then(self) -> None:
        done = self.take_in()
        self.read(done, 20)
        self.put(done, "draw", 25, mass_confirmed="1")
        live = self.take_in(NOON + timedelta(minutes=30))
        self.read(live, 40)
        before = self.said(done), self.said(live)
        edit_instrument(self.db, "long-stem", STEM | {"name": "New stem", "true_at": "20 C"}, LATER)
        self.assertEqual((self.said(done), self.said(live)), before)
        # Who vouched for it is named as it was called then.
        self.put(done, "filter", 60, method="felt", temperature="90 C")
        self.put(done, "jar", 61, lot=done, size_1="500 ml", count_1="9", fill="85 C")
        vouched = flows_of(self.db, done, kind=flow.LOT).vouched
        self.assertEqual([one.instrument for one in vouched], ["Long stem"])
        self.assertEqual(before[1][-1][0], "Hydrometer 50.0, 20.0\u00a0°C")
        self.read(live, 51)
        after = self.said(live, LATER + timedelta(minutes=2))
        self.assertEqual(after[:-1], before[1])
        self.assertEqual(after[-1][0], "Hydrometer 50.0, 20.0\u00a0°C")
        # True at 20 °C it shows what it shows; true at 60 °F it reads low in a cup so warm.
        self.assertEqual((after[-2][2], after[-1][2]), ("50.3", "50.0"))

    def test_wrong_from_the_start_is_said_to_be_so_since(self) -> None:
        live = self.take_in()
        self.read(live, 40)
        edit_instrument(self.db, "long-stem", STEM | {"true_at": "20 C", "since": "2026-03-18"}, LATER)
        self.assertEqual(self.said(live)[-1][2], "50.0")
        with self.assertRaises(BadInput) as ahead:
            edit_instrument(self.db, "long-stem", STEM | {"since": "2026-03-20"}, LATER)
        self.assertIn("in the future", ahead.exception.errors["since"])

    def test_a_depth_is_read_in_the_pot_it_was_read_in(self) -> None:
        done = self.take_in()
        self.put(done, "depth", 20, depth="120 mm")
        self.put(done, "draw", 25, mass_confirmed="1")
        live = self.take_in(NOON + timedelta(minutes=30))
        self.put(live, "depth", 40, depth="120 mm")
        before = self.said(done), self.said(live)
        held = board(self.db, done, LATER).depth_done_mm
        sizes = {"name": "Wide pan", "shape": "round", "diameter": "500 mm"}
        glance = [contexts.load(self.db, live, LATER).batch]
        self.assertEqual(at_a_glance(self.db, glance, LATER)[0].context.vessel.name, "Finisher 2")
        edit_vessel(self.db, "finisher-2", sizes, LATER)
        self.assertEqual(at_a_glance(self.db, glance, LATER)[0].context.vessel.name, "Wide pan")
        self.assertEqual((self.said(done), self.said(live)), before)
        self.assertEqual(board(self.db, done, LATER).depth_done_mm, held)
        self.assertEqual(contexts.load(self.db, done, LATER).vessel.name, "Finisher 2")
        now = board(self.db, live, LATER + timedelta(minutes=1))
        self.assertEqual(now.context.vessel.name, "Wide pan")
        self.assertLess(now.depth_done_mm, held)
        was = [vessel.sizes_mm for _, vessel in vessel_of(self.db, "finisher-2").history]
        self.assertEqual(was, [(450.0,), (500.0,)])

    def test_sent_again_or_unchanged_it_changes_nothing(self) -> None:
        pan = {"name": "Finisher 2", "shape": "round", "diameter": "450.00001 mm"}
        edit_vessel(self.db, "finisher-2", pan, LATER)
        self.assertEqual(vessel_of(self.db, "finisher-2").history, ())
        for _ in range(2):
            edit_instrument(self.db, "long-stem", STEM | {"low": "40"}, LATER)
        self.assertEqual(len(instrument_of(self.db, "long-stem").history), 2)
        with self.assertRaises(BadInput) as taken:
            edit_vessel(self.db, "finisher-2", pan | {"name": "Finisher 1"}, LATER)
        self.assertIn("another one's name", taken.exception.errors["name"])
        self.assertEqual(vessel_of(self.db, "finisher-2").name, "Finisher 2")
        with self.assertRaises(NotFound):
            edit_vessel(self.db, "bath-tub", pan, LATER)

    def test_what_it_was_goes_out_and_comes_in_again(self) -> None:
        live = self.take_in()
        self.read(live, 40)
        edit_instrument(self.db, "long-stem", STEM | {"true_at": "20 C"}, LATER)
        before, written = self.said(live), logbook.as_json(self.db)
        self.db = connect(self.folder / "elsewhere.sqlite3")
        self.addCleanup(self.db.close)
        ready(self.db)
        logbook_in.take_in(self.db, written)
        self.assertEqual(self.said(live), before)
        self.assertEqual(logbook.as_json(self.db), written)
        self.db = connect(self.folder / "one-batch.sqlite3")
        self.addCleanup(self.db.close)
        ready(self.db)
        some_batches.take_in(self.db, written, [live])
        self.assertEqual(self.said(live), before)

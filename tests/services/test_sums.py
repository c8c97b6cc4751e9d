"""Amounts that cannot be are asked about before they are believed, whatever line they come by."""

import tempfile
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

from lumbrel.services.base.entry import Entry, slip_of
from lumbrel.services.base.form import CONFIRMED, BadInput
from lumbrel.services.record.kept import write
from lumbrel.services.record.sums import SUMS
from lumbrel.services.stations import slip
from lumbrel.store import flow, record
from lumbrel.store.db import connect, roll_back
from tests.support.kitchen import NOON, KitchenCase, season_copy

SURE = f"{SUMS}{CONFIRMED}"


class TestSums(KitchenCase):
    def asked(self, code: str, kind: str, minute: float, **fields: str) -> str:
        """What is asked of a line; it is taken once that is confirmed."""
        before = self.lines
        with self.assertRaises(BadInput) as bad:
            self.put(code, kind, minute, **fields)
        self.assertEqual(list(bad.exception.asks), [SUMS], bad.exception)
        self.assertEqual(self.lines, before, "nothing is half-written")
        self.put(code, kind, minute, **fields, **{SURE: "1"})
        return bad.exception.asks[SUMS]

    @property
    def lines(self) -> int:
        """Lines that stand in the record."""
        return int(self.db.execute("SELECT count(*) FROM line").fetchone()[0])

    def line(self, code: str, kind: str) -> str:
        """The newest line of a kind on a slip."""
        batch = record.batch_by(self.db, code=code)
        assert batch is not None
        return next(e.id for e in reversed(slip_of(self.db, batch.id)) if e.kind == kind)

    def test_more_is_drawn_than_was_put_in(self) -> None:
        code = self.take_in()
        said = self.asked(code, "draw", 60, mass="90 kg", mass_confirmed="1")
        self.assertIn(f"out of the pan of batch {code}", said)
        self.assertIn("only 13.5\u00a0kg went in", said)
        # What is once confirmed is not asked about at each later line, nor what makes it less wrong.
        less = {"mass": "80 kg", "mass_confirmed": "1", "why": "misread"}
        self.put(code, "draw", 61, **less, supersedes=self.line(code, "draw"))
        self.put(code, "filter", 80, method="layers", temperature="90 C", out="78 kg")

    def test_more_jars_come_back_than_have_left(self) -> None:
        code = self.take_in()
        self.put(code, "draw", 60, mass="19.9 kg")
        self.put(code, "jar", 70, fill="86 C", lot="J", size_1="500 ml", count_1="28")
        self.put(code, "taken_out", 80, lot="J", size_1="500 ml", count_1="10", reason="sold")
        self.put(code, "came_back", 90, lot="J", size_1="500 ml", count_1="4")
        said = self.asked(code, "came_back", 95, lot="J", size_1="500 ml", count_1="20")
        self.assertIn("24 of 500 ml would have come back to lot J, and only 10", said)

    def test_less_was_taken_in_than_was_poured_out(self) -> None:
        one, two = (self.take_in(vessel=v) for v in ("finisher-1", "finisher-2"))
        self.put(two, "added", 30, **{"from": one, "mass": "20 kg", "mass_confirmed": "1"})
        more = {"why": "misread", "supersedes": self.line(one, "take_in")}
        said = self.asked(
            one,
            "take_in",
            40,
            **self.typed(one) | {"amount": "9 kg", "amount_confirmed": "1"} | more,
        )
        self.assertIn(f"out of the pan of batch {one}", said)

    def typed(self, code: str) -> dict[str, str]:
        """A take-in as it was typed."""
        batch = record.batch_by(self.db, code=code)
        assert batch is not None
        return dict(slip_of(self.db, batch.id)[0].typed)

    def test_it_would_stand_above_the_wall(self) -> None:
        deep = {"vessel": "finisher-2", "amount_by": "depth", "amount": "900 mm"}
        with self.assertRaises(BadInput) as bad:
            self.take_in(**deep)
        self.assertIn("to its brim", bad.exception.asks[SUMS])
        self.assertTrue(self.take_in(**deep, **{SURE: "1"}))

    def test_it_is_struck_what_later_lines_live_on(self) -> None:
        code = self.take_in()
        self.put(code, "added", 20, mass="20 kg", brix="60")
        self.put(code, "part_draw", 60, mass="30 kg", mass_confirmed="1", brix="66")
        gone = {"supersedes": self.line(code, "added"), "why": "never poured"}
        with self.assertRaises(BadInput) as bad:
            slip.strike(self.db, code, gone, NOON + timedelta(minutes=90))
        self.assertIn(SUMS, bad.exception.asks)
        slip.strike(self.db, code, gone | {SURE: "1"}, NOON + timedelta(minutes=90))

    def test_what_nobody_measured_may_be_twice_as_much(self) -> None:
        code = self.take_in(brix_by="unknown", brix="", amount="20 kg")
        sure = {"reading_confirmed": "1"}
        self.put(code, "refractometer", 55, reading="66.9", sample="20 C", **sure)
        # Held to be 6.4 kg of sugar, give or take a half; 12 kg came out, as they may, and 26 may not.
        draw = self.put(code, "draw", 60, mass="18 kg", mass_confirmed="1")
        more = {"mass": "40 kg", "mass_confirmed": "1", "supersedes": draw.id, "why": "misread"}
        self.asked(code, "draw", 61, **more)


class EveryLine(KitchenCase):
    def test_each_kind_of_line_that_moves_sugar_is_held_against_what_is_there(self) -> None:
        """Of every kind that the season has: corrected to twenty times what left, or to a twentieth of
        what came."""
        db = connect(season_copy(Path(self.enterContext(tempfile.TemporaryDirectory()))))
        self.addCleanup(db.close)
        asked, moved = set(), set()
        moving = db.execute(
            """SELECT DISTINCT entry_id, target.kind AS into_kind, source.kind AS from_kind
               FROM flow LEFT JOIN parcel AS target ON target.id = target_id
               LEFT JOIN parcel AS source ON source.id = source_id"""
        )
        for row in moving.fetchall():
            line = self._line(db, row["entry_id"])
            out = row["from_kind"] in (flow.CHARGE, flow.BULK)
            if line.kind not in asked and self._asks(db, line, 20.0 if out else 0.05):
                asked.add(line.kind)
            moved.add(line.kind)
        # What comes from a shelf is counted in jars, and a continuous pan fills itself unseen.
        self.assertEqual(moved - asked, {"taken_out", "came_back", "fed"})

    @staticmethod
    def _line(db: Any, entry_id: str) -> Entry[Any]:
        row = db.execute("SELECT about_id FROM line WHERE id = ?", (entry_id,)).fetchone()
        return next(e for e in slip_of(db, row["about_id"]) if e.id == entry_id)

    @staticmethod
    def _asks(db: Any, line: Entry[Any], times: float) -> bool:
        much: dict[str, Any] = {
            name: value * times
            for name, value in line.facts
            if name.endswith("_kg") and isinstance(value, float)
        }
        if getattr(line.facts, "parts", ()):
            much["parts"] = tuple(
                part.model_copy(update={"mass_kg": part.mass_kg * times}) for part in line.facts.parts
            )
        wrong = replace(
            line,
            id=f"wrong-{line.id}",
            facts=line.facts.model_copy(update=much),
            supersedes=line.id,
            why="mistyped",
            typed={},
        )
        db.execute("BEGIN IMMEDIATE")
        try:
            write(db, wrong)
        except BadInput as bad:
            return SUMS in bad.asks
        finally:
            roll_back(db)
        return False

"""The shelf: what is low, gone or due, a trace as a picture, a woodlot's statement."""

import re
from datetime import timedelta

from lumbrel.services.base.form import NotFound
from lumbrel.services.shelf import lots
from lumbrel.services.shelf.accounts import accounts
from lumbrel.services.shelf.statement import GONE, statement
from lumbrel.services.shelf.trace import flows_of
from lumbrel.services.shelf.trace_web import web_of
from lumbrel.store.db import opened
from lumbrel.store.flow import Jar
from lumbrel.web.shelf import picture
from tests.support.kitchen import NOON, KitchenCase, season_copy
from tests.support.records import AFTERNOON


class Shelf(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.code = self.take_in()
        self.put(self.code, "draw", 60, mass="19.9 kg")
        jars = {"size_1": "500 ml", "count_1": "16", "size_2": "250 ml", "count_2": "8"}
        self.put(self.code, "jar", 80, fill="86 C", lot="J", **jars)

    def out(self, count: int, size: str = "500 ml", **more: str) -> None:
        fields = {"lot": "J", "size_1": size, "count_1": f"{count}", "reason": "sold", **more}
        self.put(self.code, "taken_out", 200, **fields)

    def lot(self, **later: float) -> lots.Lot:
        return lots.find(self.db, NOON + timedelta(**later)).lots[0]

    def test_a_lot_thins_out_and_says_so(self) -> None:
        said = [self.lot(hours=2).state]
        for count in (3, 9):
            self.out(count)
            said.append(self.lot(hours=4).state)
        self.out(8, "250 ml")
        said.append(self.lot(hours=4).state)
        self.out(4)
        said.append(self.lot(hours=4).state)
        self.assertEqual(said, ["full", "begun", "begun", "low", "gone"])

    def test_each_lot_of_a_page_has_its_own_jars(self) -> None:
        with opened(season_copy(self.folder / "season")) as db:
            seen = lots.find(db, AFTERNOON).lots
            self.assertGreater(len({len(lot.jars) for lot in seen}), 1)
            for lot in seen:
                self.assertEqual(sum(jar.count for jar in lot.filled), lot.row.filled, lot.code)
                self.assertEqual(sum(jar.count for jar in lot.jars), lot.row.jars, lot.code)
                self.assertEqual(lots.batch_of_lot(db, lot.code), lot.batch_code)

    def test_a_lot_is_due_for_a_look_after_a_night_and_after_half_a_year(self) -> None:
        self.assertEqual(self.lot(hours=5).check, "")
        self.assertEqual(self.lot(hours=13).check, "check the lids")
        self.put(self.code, "checked", 24 * 60, unsealed="0", clarity="clear")
        self.assertEqual(self.lot(days=2).check, "")
        self.assertEqual(self.lot(days=200).check, "look it over")
        self.out(16)
        self.out(8, "250 ml")
        self.assertEqual(self.lot(days=200).check, "", "nothing is left to look at")

    def test_found_by_the_size_of_a_jar(self) -> None:
        at = NOON + timedelta(hours=5)
        self.assertEqual(len(lots.find(self.db, at, size_ml=250.0).lots), 1)
        for season, many in ((2026, 1), (2025, 0)):
            self.assertEqual(len(lots.find(self.db, at, season=season).lots), many)
        self.out(8, "250 ml")
        found = lots.find(self.db, at, size_ml=250.0)
        self.assertEqual((found.lots, found.jar_count), ([], 0))

    def test_found_by_the_day_or_the_month(self) -> None:
        at = NOON + timedelta(hours=5)
        for text, many in (("2026-03-18", 1), ("2026-03", 1), ("2026-03-19", 0), ("2026-04", 0)):
            with self.subTest(text):
                self.assertEqual(len(lots.find(self.db, at, text=text).lots), many)
        self.assertEqual(len(lots.find(self.db, at, text="18 March").lots), 1)
        self.assertEqual(len(lots.find(self.db, at, text="Mar 2025").lots), 0)
        for text in ("2026-13", "0000-01-01", "2026-02-31"):
            self.assertEqual(lots.find(self.db, at, text=text).lots, [])

    def test_found_by_what_it_is_called(self) -> None:
        at = NOON + timedelta(hours=5)
        lot = self.lot(hours=5)
        grade = lot.grade.lower()
        for text in ("North", "kiln", "ORTH K", grade, grade[:4], lot.code.lower(), "26-0", "2026"):
            with self.subTest(text):
                found = lots.find(self.db, at, text=text)
                self.assertEqual([one.code for one in found.lots], [lot.code])
                self.assertEqual((found.jar_count, found.more), (lot.jar_count, False))
        for text, chosen, many in (
            ("north", {"woodlot": "North Kiln"}, 1),
            ("north", {"woodlot": "Tern Lot"}, 0),
            (lot.code, {"woodlot": "Tern Lot"}, 0),
            ("", {"woodlot": "no such"}, 0),
            ("", {"woodlot": "north-kiln"}, 1),
            (grade, {"grade": lot.grade}, 1),
            (grade, {"grade": "Very Dark"}, 0),
            ("2026", {"season": 2025}, 0),
            ("2026", {"season": 2026}, 1),
        ):
            with self.subTest(text, **chosen):
                self.assertEqual(len(lots.find(self.db, at, text=text, **chosen).lots), many)
        for text in ("Tern", "very dark", "26-9", "2025", "zzz", "taffy", "%", "or_h"):
            with self.subTest(text):
                self.assertEqual(lots.find(self.db, at, text=text).lots, [])

    def test_the_row_of_jars_is_as_full_as_the_lot(self) -> None:
        filled = [Jar(500.0, 60), Jar(250.0, 3)]
        for left in (60, 31, 1, 0):
            row = picture.jars(filled, [Jar(500.0, left)])
            tall = [glass for glass in row if glass.height > 50]
            here = sum(glass.here for glass in tall)
            self.assertAlmostEqual(here / len(tall), left / 60, delta=1 / len(tall))
            self.assertEqual(here > 0, left > 0, "the last jar still shows")
            self.assertLess(row[-1].x + row[-1].width, 220)
            self.assertFalse(any(glass.here for glass in row if glass.height < 50))

    def test_the_trace_picture_keeps_every_gram(self) -> None:
        """From the woodlot to what was sold: what comes to a box is what leaves it, or is held."""
        self.out(3)
        web = web_of(self.db, "J", "lot")
        assert web
        chosen = next(knot for knot in web.knots if knot.chosen)
        self.assertEqual((chosen.kind, chosen.code), ("lot", "J"))
        whole = flows_of(self.db, "J", "lot")
        into = sum(t.solids_kg for t in web.threads if t.target == chosen.id)
        self.assertAlmostEqual(into, whole.solids_kg)
        gone = sum(t.solids_kg for t in web.threads if t.source == chosen.id)
        self.assertAlmostEqual(gone, sum(left.solids_kg for left in whole.left))
        columns = {knot.id: knot.column for knot in web.knots}
        self.assertTrue(all(columns[t.source] < columns[t.target] for t in web.threads))
        kinds = [knot.kind for knot in sorted(web.knots, key=lambda knot: knot.column)]
        self.assertEqual(kinds, ["woodlot", "delivery", "charge", "bulk", "lot", "out"])
        drawn = picture.web(web)
        for path in drawn.threads:
            x0, x1 = (float(x) for x in re.findall(r"[M ](\d+\.?\d*) \d+\.?\d*(?=C|$)", path.path))
            self.assertLess(x0, x1)
        self.assertIsNone(web_of(self.db, "North Kiln", "woodlot"))

    def test_a_statement_is_what_the_accounts_say(self) -> None:
        self.out(5, reason="woodlot", woodlot="north-kiln")
        said = statement(self.db, "north kiln", 2026)
        account = accounts(self.db, 2026).woodlots[0]
        self.assertEqual(said.account, account)
        self.assertAlmostEqual(sum(one.solids_kg for one in said.brought), account.solids_in_kg)
        self.assertAlmostEqual(sum(one.solids_kg for one in said.went_back), account.delivered_kg)
        self.assertEqual(said.went_back[0].jars, "5 × 500\u00a0ml")
        self.take_in(vessel="finisher-1")
        said = statement(self.db, "north kiln", 2026)
        rest = dict(said.not_packed)
        self.assertAlmostEqual(rest.pop("on the fire"), 13.5)
        self.assertNotIn(GONE, rest, "all of it is somewhere")
        on_paper = said.account.packed_kg + sum(kg for _, kg in said.not_packed)
        self.assertAlmostEqual(on_paper, said.account.solids_in_kg)
        self.assertAlmostEqual(said.litres(0.669 * 1.32819), 1.0, places=3)
        for name, season in (("nowhere", 2026), ("North Kiln", 2025)):
            with self.assertRaises(NotFound):
                statement(self.db, name, season)

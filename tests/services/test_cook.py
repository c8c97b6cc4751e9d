"""A cook from a lot to its own lot: what it moves, teaches, asks and refuses; and the practice pot."""

from contextlib import closing
from datetime import timedelta

from lumbrel.core.candy.bath import BATHS
from lumbrel.core.candy.setting import Fit
from lumbrel.exchange import logbook, logbook_in, some_batches
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.candy import alarms, begin, plan, syrup
from lumbrel.services.kitchen.alarm_choices import alarm_choices, choose_alarms
from lumbrel.services.kitchen.overview import overview
from lumbrel.services.record.compared import differences
from lumbrel.services.record.kept import ready
from lumbrel.services.shelf.accounts import accounts
from lumbrel.services.shelf.lots import batch_of_lot
from lumbrel.services.shelf.recall import recall
from lumbrel.services.shelf.trace import flows_of
from lumbrel.services.stations import line, slip
from lumbrel.store import alarms as alarm_store
from lumbrel.store import cooks, flow, flowed, jars, kept, kept_lots
from lumbrel.store.db import IdReused, connect
from lumbrel.store.kitchen import load_kitchen
from tests.support.cook import PATH, WISH, CookCase
from tests.support.kitchen import NOON


class Record(CookCase):
    def test_from_the_jars_of_a_lot_to_a_lot_of_pieces(self) -> None:
        before = accounts(self.db, 2026).total
        code = self.begin()
        self.assertEqual(code, "26-C01")
        there = {jar.size_ml: jar.count for jar in jars.jars_of(self.db, "L1")}
        self.assertEqual(there, {500.0: 18, 250.0: 6})
        self.assertEqual(self.board(code, 0).call, "heat")
        self.whole(code, grams_1="25 g", count_1="58", made="1.46 kg")
        self.assertEqual(kept.waiting(self.db, "candy"), [])
        row = kept_lots.newest_lots(self.db, kept_lots.Asked(code="26-C01"), limit=1)[0]
        self.assertEqual((row.confection, row.jars, row.volume_ml), ("moulded-sugar-soft", 58, 0.0))
        self.assertEqual(kept_lots.shelf_sum(self.db).jars, 24)
        up = {(link.kind, link.code): link.share for link in flows_of(self.db, code).came_from}
        self.assertAlmostEqual(up["lot", "L1"], 1.0)
        self.assertAlmostEqual(up["woodlot", "North Kiln"], 1.0)
        self.assertEqual(differences(self.db), [])
        after = accounts(self.db, 2026).total
        self.assertAlmostEqual(after.apart_kg, 0.0, places=9)
        stayed = 58 * 0 + after.left["in the pot"] + after.left["used in the kitchen"]
        self.assertAlmostEqual(before.due_kg - after.due_kg, stayed, places=6)
        self.assertEqual([lot.code for lot in recall(self.db, "26-C01").lots], ["26-C01"])
        called = {lot.code for lot in recall(self.db, "L1").lots}
        self.assertEqual(called, {"L1", "26-C01"})

    def test_solids_go_through_the_pot_to_the_gram(self) -> None:
        code = self.begin()
        self.whole(code, grams_1="25 g", count_1="50", grams_2="40 g", count_2="4")
        charge = flow.charge_id(contexts.load(self.db, code, self.at).batch.id)
        came = sum(f.flow.solids_kg for f in flowed.flows_into(self.db, charge))
        went = sum(f.flow.solids_kg for f in flowed.flows_out_of(self.db, charge))
        self.assertAlmostEqual(came, went, places=6)
        packs = {jar.size_ml: jar.count for jar in jars.jars_of(self.db, "26-C01")}
        self.assertEqual(packs, {25.0: 50, 40.0: 4})
        sold = {"lot": "26-C01", "size_1": "25 g", "count_1": "20", "reason": "sold"}
        self.step(code, "taken_out", 60, **sold)
        self.assertEqual(jars.jars_of(self.db, "26-C01")[-1].count, 30)
        with self.assertRaises(BadInput) as refused:
            self.step(code, "taken_out", 61, **(sold | {"count_1": "31"}))
        self.assertIn("Only 30 of 25", refused.exception.errors["count_1"])
        # Sold pieces are not pulled away by a correction.
        made = contexts.load(self.db, code, self.at + timedelta(days=1)).current
        line_id = next(e.id for e in made if e.kind == "made")
        with self.assertRaises(BadInput):
            self.step(
                code, "made", 70, supersedes=line_id, why="miscounted", grams_1="25 g", count_1="10",
                count_confirmed="1",
            )  # fmt: skip

    def test_pieces_are_neither_jars_nor_syrup_to_choose(self) -> None:
        code = self.begin()
        self.whole(code, grams_1="25 g", count_1="58")
        self.assertEqual(jars.last_sizes(self.db, 3), [500.0, 250.0])
        piece = plan.PIECES["moulded-sugar-soft"]
        least = Fit(0.0, 0.0)
        found = [one.row.code for one in syrup.better(self.db, piece, least, self.at)]
        self.assertEqual(found, ["L1"])
        # Nobody weighed what came out: it teaches nothing of what stays in the pot.
        self.assertIsNone(cooks.of_pot(self.db, "candy-pot", NOON + timedelta(days=9), 9)[0].loss)

    def test_called_off_its_jars_stand_on_the_shelf_again(self) -> None:
        code = self.begin()
        with self.assertRaises(BadInput) as taken:
            self.begin()
        self.assertIn("is in it", taken.exception.errors["vessel"])
        self.step(code, "called_off", 3, why="the wrong lot")
        there = {jar.size_ml: jar.count for jar in jars.jars_of(self.db, "L1")}
        self.assertEqual(there, {500.0: 20, 250.0: 8})
        self.assertEqual(differences(self.db), [])
        self.assertEqual(self.begin(), "26-C02")

    def test_sent_twice_it_is_begun_once(self) -> None:
        fields = {"id": "begin-twice", "lot": "L1", "vessel": "candy-pot", "bath": "bench", **WISH}
        first = begin.begin(self.db, self.at, fields)
        self.assertEqual(begin.begin(self.db, self.at, fields), first)
        with self.assertRaises(IdReused):
            begin.begin(self.db, self.at, fields | {"pieces": "61"})

    def test_nothing_of_it_is_a_batch_of_syrup(self) -> None:
        code = self.begin()
        for kind in ("draw", "boiling", "hydrometer", "jar", "take_in"):
            with self.assertRaises((BadInput, NotFound)):
                self.step(code, kind, 1, mass="1 kg", why="x")
        syrup = kept_lots.lot_rows_of(self.db, kept_lots.newest_lots(self.db, limit=1)[0].batch_id)
        with self.assertRaises(BadInput):
            slip.put(self.db, "26-001", "turned", {"id": "no-cook-1"}, self.at)
        self.assertTrue(syrup)
        # Its fire teaches the pot, never the woodlot.
        self.boil(code)
        self.assertEqual(kept.shifts(self.db, "north-kiln", "maple", self.at, 9), [])
        rates = kept.last_rates(self.db, "candy-pot", self.at + timedelta(hours=1), 9)
        self.assertEqual(len(rates), 1)
        self.assertGreater(rates[0], 0.02)
        self.assertLess(rates[0], 0.08)

    def test_syrup_of_no_lot_is_a_woodlot_s(self) -> None:
        other = {"lot": "", "brix": "67", "woodlot": "tern-lot"}
        code = self.begin(**other)
        self.whole(code)
        up = {link.code: link.share for link in flows_of(self.db, code).came_from}
        self.assertAlmostEqual(up["Tern Lot"], 1.0)
        with self.assertRaises(BadInput) as refused:
            self.begin(self.at + timedelta(hours=2), **(other | {"woodlot": ""}))
        self.assertIn("woodlot", refused.exception.errors)

    def test_nothing_came_of_it(self) -> None:
        code = self.begin()
        self.boil(code)
        self.step(code, "made", 30, nothing="1")
        self.assertEqual(jars.lot_codes(self.db, contexts.load(self.db, code, self.at).batch.id), [])
        self.assertGreater(accounts(self.db, 2026).total.left["spoiled"], 1.0)
        self.assertEqual(differences(self.db), [])

    def test_out_and_into_another_kitchen_it_says_the_same(self) -> None:
        code = self.begin()
        self.whole(code)
        self.step(code, "scored", 300, texture="0", grain="4", taste="5")
        text = logbook.as_json(self.db)
        with closing(connect(self.folder / "other.sqlite3")) as other:
            ready(other)
            logbook_in.take_in(other, text)
            self.assertEqual(logbook.as_json(other), text)
            self.assertEqual(differences(other), [])
            there = [row.code for row in kept_lots.newest_lots(other, limit=9)]
            self.assertEqual(there, ["26-C01", "L1"])
        # Alone it brings the batch that its syrup was of.
        with closing(connect(self.folder / "third.sqlite3")) as third:
            ready(third)
            some_batches.take_in(third, text, ["26-C01"])
            self.assertEqual(jars.jars_of(third, "26-C01")[0].count, 58)
            self.assertEqual(jars.jars_of(third, "L1"), jars.jars_of(self.db, "L1"))

    def test_a_lot_is_found_though_anothers_code_begins_with_its_own(self) -> None:
        batch = batch_of_lot(self.db, "L1")
        self.put(batch, "jar", 95, fill="85 C", lot="L10", size_1="500 ml", count_1="3")
        form = Form({"lot": "L"}, load_kitchen(self.db))
        self.assertIsNone(syrup.syrup_of(self.db, form, self.at))
        for code in ("L1", "L10"):
            found = syrup.syrup_of(self.db, Form({"lot": code}, load_kitchen(self.db)), self.at)
            self.assertEqual(found.lot.code, code)


class Along(CookCase):
    def test_it_calls_as_it_goes(self) -> None:
        code = self.begin()
        calls = []
        for minute, shown in PATH:
            self.step(code, "pot", minute, instrument="dial-a", pot=f"{shown} C")
            board = self.board(code, minute + 0.1)
            alarms.watch(self.db, board)
            calls.append(board.call)
        self.assertEqual(calls[0], "heat")
        self.assertIn("boil", calls)
        self.assertEqual(calls[-1], "near")
        left = self.board(code, 13.1).boiling.left
        self.assertLess(left.minutes, 2.5)
        self.assertGreater(left.high, left.minutes)
        self.step(code, "pot", 14.4, instrument="dial-a", pot="113.1 C")
        board = self.board(code, 14.5)
        self.assertEqual(board.call, "off")
        every = {one.kind: "1" for one in alarm_choices(self.db)}
        choose_alarms(self.db, {}, NOON)
        silent = alarms.watch(self.db, self.board(code, 14.5))
        self.assertNotIn("off", [a.kind for a in silent])
        choose_alarms(self.db, every, NOON)
        self.assertIn("off", [a.kind for a in alarms.watch(self.db, board)])
        self.step(code, "cooked", 14.6, bath="bench")
        ringing = alarm_store.ringing(self.db)
        self.assertEqual(ringing, [], "who takes it off has answered")

    def test_a_pot_that_stands_low_on_the_fire_is_said_to_scorch(self) -> None:
        for pieces, first, last, rings in (
            ("120", False, False, False),
            ("72", False, True, False),
            ("30", True, True, True),
        ):
            code = self.begin(pieces=pieces)
            self.step(code, "pot", 7.0, instrument="dial-a", pot="104.0 C", pot_confirmed="1")
            begun = self.board(code, 7.1)
            sure = {"pot_confirmed": "1"}
            self.step(code, "pot", 14.4, instrument="dial-a", pot="111.5 C", **sure)
            done = self.board(code, 14.5)
            with self.subTest(pieces=pieces, first=begun.depth_mm, last=done.depth_mm):
                self.assertEqual((bool(begun.low), bool(done.low)), (first, last))
                rung = [a.kind for a in alarms.watch(self.db, done)]
                self.assertEqual("low" in rung, rings)
            self.step(code, "cooked", 14.6, bath="bench")
            self.assertFalse(self.board(code, 15).low, "off the fire nothing scorches")
            self.step(code, "stir", 29.5, kind_confirmed="1")
            self.step(code, "turned", 32.7)
            self.step(code, "made", 33.5, grams_1="25 g", count_1=str(int(pieces) - 2))

    def test_a_drop_in_cold_water_is_a_reading_for_who_has_no_thermometer(self) -> None:
        code = self.begin()
        self.step(code, "cold_water", 12, sign="soft_ball")
        board = self.board(code, 12.1)
        self.assertAlmostEqual(board.boiling.above_now_k, 13.9, delta=1.0)
        self.step(code, "cooked", 12.5, bath="bench", kind_confirmed="1")
        off = self.board(code, 13).off.facts
        self.assertEqual(off.by, "sign")
        self.assertGreater(off.mass_kg, 1.4)

    def test_what_is_below_its_boil_is_no_boil(self) -> None:
        code = self.begin()
        self.step(code, "pot", 4, instrument="dial-a", pot="100.2 C")
        self.assertEqual(self.board(code, 4.2).call, "heat")

    def test_a_corrected_reading_keeps_its_moment_and_its_air(self) -> None:
        code = self.begin()
        self.step(code, "pot", 4, instrument="dial-a", pot="104.9 C")
        lines = contexts.load(self.db, code, self.at + timedelta(minutes=5)).current
        old = next(e for e in lines if e.kind == "pot")
        later = self.at + timedelta(hours=2)
        self.press(later)
        right = {"supersedes": old.id, "why": "misread", "instrument": "dial-a", "pot": "105.9 C"}
        self.step(code, "pot", 130, **right)
        lines = contexts.load(self.db, code, later + timedelta(hours=1)).current
        new = next(e for e in lines if e.kind == "pot")
        self.assertEqual(new.facts.reading_c, 105.9)
        self.assertAlmostEqual(new.facts.water_c, old.facts.water_c)

    def test_put_elsewhere_it_cools_from_then_on_and_made_it_stands_as_it_stood(self) -> None:
        code = self.begin()
        self.boil(code)
        self.step(code, "bath", 20, bath="water")
        cools = self.board(code, 23).cooling
        self.assertEqual((cools.bath, round(cools.minute, 6)), (BATHS["water"], 3.0))
        self.step(code, "stir", 30, kind_confirmed="1")
        self.step(code, "turned", 33)
        self.step(code, "made", 34, grams_1="25 g", count_1="55")
        then = self.board(code, 35).water_c
        self.press(self.at + timedelta(hours=3))
        self.assertEqual(self.board(code, 4 * 60).water_c, then)

    def test_water_that_runs_teaches_nothing_of_a_bath_that_stands(self) -> None:
        for running in ("", "1"):
            code = self.begin()
            for minute, shown in PATH:
                self.step(code, "pot", minute, instrument="dial-a", pot=f"{shown} C")
            told = {"bath": "water", "litres": "12 L", "running": running}
            self.step(code, "cooked", 14, kind_confirmed="1", **told)
            for minute, shown in ((17, 98), (19, 88), (21, 78), (23, 69), (25, 61)):
                self.step(code, "pot", minute, instrument="dial-a", pot=f"{shown} C", pot_confirmed="1")
            facts = self.step(code, "stir", 26).facts
            self.assertEqual(facts.litres is None, bool(running))
            self.assertFalse(running and facts.film)
            self.step(code, "turned", 29)
            self.step(code, "made", 30, grams_1="25 g", count_1="55")

    def test_too_far_it_says_how_much_water_brings_it_back(self) -> None:
        code = self.begin()
        for minute, shown in (*PATH, (14.5, 116.5)):
            self.step(code, "pot", minute, instrument="dial-a", pot=f"{shown} C")
        board = self.board(code, 14.6)
        self.assertEqual(board.call, "over")
        water = board.water_to_put_back_kg
        self.assertGreater(water, 0.02)
        self.step(code, "added", 15, mass=f"{water:.4f} kg", brix="0")
        self.assertEqual(self.board(code, 15.2).boiling.fit, None)

    def test_cooling_says_when_and_stirring_what(self) -> None:
        code = self.begin()
        self.boil(code)
        for minute, shown in ((17, 106.0), (21, 97.5), (24, 92.9)):
            self.step(code, "pot", minute, instrument="dial-a", pot=f"{shown} C")
        board = self.board(code, 24)
        self.assertEqual(board.stage, "cool")
        expected, low, high = board.cooling.minutes
        self.assertGreater(expected, 3)
        self.assertLess(expected, 8)
        self.assertTrue(low <= expected <= high)
        with self.assertRaises(BadInput) as early:
            self.step(code, "stir", 21.2)
        self.assertIn("coarser", early.exception.asks["kind"])
        ready_at = 24 + expected + 0.5
        self.assertEqual(self.board(code, ready_at).call, "ready")
        self.step(code, "stir", ready_at)
        self.assertEqual(self.board(code, ready_at + 0.5).call, "stir")
        self.assertIn("drag", self.board(code, ready_at + 3.2).sees)
        self.step(code, "turned", ready_at + 3.2)
        self.assertEqual(self.board(code, ready_at + 3.5).call, "pour")
        self.assertEqual(self.board(code, ready_at + 5).call, "late")

    def test_taffy_rests_by_the_clock_and_lies_on_the_snow(self) -> None:
        code = self.begin(piece="snow-taffy-soft", by="syrup", syrup="1 kg", pieces="", each="")
        self.boil(code, 111.4)
        self.assertAlmostEqual(self.board(code, 16.5).cooling.minutes[0], 3.0)
        self.assertEqual(self.board(code, 20).call, "ready")
        self.step(code, "stir", 20)
        board = self.board(code, 20.2)
        self.assertTrue(board.on_snow)
        self.assertAlmostEqual(board.holds_left_min, 0.3)

    def test_the_line_says_how_it_stands(self) -> None:
        def said(minutes: float) -> str:
            places = line(self.db, self.at + timedelta(minutes=minutes))
            return next(p.state.words for p in places if p.station.key == "candy")

        self.assertEqual(said(0), "plan a boil")
        code = self.begin()
        self.assertEqual(said(1), "heating")
        self.boil(code)
        self.assertIn("cools", said(16))
        place = next(p for p in line(self.db, self.at + timedelta(minutes=16)) if p.state.code == code)
        self.assertEqual(place.href, f"/candy/cook/{code}")
        shown = overview(self.db, self.at + timedelta(minutes=16))
        self.assertNotIn("candy-pot", {vessel.id for vessel in shown.free})
        self.assertEqual([b.code for b in shown.queue["candy"]], [code])

    def test_what_is_asked_and_refused(self) -> None:
        code = self.begin()
        with self.assertRaises(BadInput) as fahrenheit:
            self.step(code, "pot", 5, instrument="dial-a", pot="172")
        self.assertIn("78 °C", fahrenheit.exception.asks["pot"])
        for kind, fields, name in (
            ("pot", {"instrument": "dial-a", "pot": "hot"}, "pot"),
            ("pot", {"instrument": "spoon", "pot": "104 C"}, "instrument"),
            ("cold_water", {"sign": "goo"}, "sign"),
            ("cooked", {"bath": "pond"}, "bath"),
            ("stir", {}, "kind"),
            ("turned", {}, "kind"),
            ("scored", {"texture": "0", "taste": "3"}, "kind"),
            ("made", {"grams_1": "25 g", "count_1": "4"}, "kind"),
        ):
            with self.assertRaises(BadInput, msg=kind) as refused:
                self.step(code, kind, 5, **fields)
            self.assertIn(name, refused.exception.errors, kind)
        with self.assertRaises(BadInput) as unread:
            self.step(code, "cooked", 6, bath="bench")
        self.assertIn("Save a reading of the boil first", unread.exception.errors["kind"])
        self.boil(code)
        for fields, name in (
            ({"grams_1": "0 g", "count_1": "5"}, "grams_1"),
            ({"grams_1": "25 g", "count_1": "0"}, "count_1"),
            ({"grams_1": "25 g", "count_1": "50", "lot": "L1"}, "lot"),
            ({"grams_1": "25 g", "count_1": "50", "lot": "../x"}, "lot"),
        ):
            with self.assertRaises(BadInput) as refused:
                self.step(code, "made", 33, **fields)
            self.assertIn(name, refused.exception.errors)
        for count, words in (("200", "only"), ("5", "quarter")):
            with self.assertRaises(BadInput) as asked:
                self.step(code, "made", 33, grams_1="25 g", count_1=count)
            self.assertIn(words, asked.exception.asks["count"])

    def test_too_few_jars_are_refused_and_other_sizes_can_be_chosen(self) -> None:
        with self.assertRaises(BadInput) as refused:
            self.begin(open_500="1", open_250="0")
        self.assertIn("open more of lot L1", refused.exception.errors["pot_mass"])
        self.begin(open_500="1", open_250="5")
        there = {jar.size_ml: jar.count for jar in jars.jars_of(self.db, "L1")}
        self.assertEqual(there, {500.0: 19, 250.0: 3})

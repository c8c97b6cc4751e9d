"""Where every kilogram goes: mixing, pouring, drawing in parts, packing, taking out; and back."""

import random
from dataclasses import replace
from datetime import timedelta

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import DrawFacts, JarFacts, PouredFacts
from lumbrel.services.base.form import CONFIRMED, BadInput, NotFound
from lumbrel.services.pan.board import board_of
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.record.compared import differences
from lumbrel.services.record.shares import Mixer
from lumbrel.services.shelf.accounts import Account, accounts
from lumbrel.services.shelf.trace import flows_of
from lumbrel.services.stations import slip, waiting
from lumbrel.store import flow, jars, kept_lots
from lumbrel.store.db import IdReused
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from tests.support.kitchen import NOON, KitchenCase

GRAM = 1e-3


class FlowCase(KitchenCase):
    def at(self, code: str, minutes: float = 100) -> BatchContext:
        return contexts.load(self.db, code, NOON + timedelta(minutes=minutes))

    def sure(self, code: str, kind: str, minutes: float, **fields: str) -> object:
        """Put a line, confirming whatever is asked."""
        for _ in range(4):
            try:
                return self.put(code, kind, minutes, **fields)
            except BadInput as bad:
                if bad.errors:
                    raise
                fields |= {name + CONFIRMED: "1" for name in bad.asks}
        raise AssertionError("asked for ever")

    def strike(self, code: str, line_id: str, minutes: float = 300) -> None:
        fields = {"supersedes": line_id, "why": "wrong"}
        slip.strike(self.db, code, fields, NOON + timedelta(minutes=minutes))

    def mixed(self, vessel: str = "finisher-2") -> str:
        """30 kg of North Kiln at 45 and 10 kg of Tern Lot at 54, in one pan."""
        return self.take_in(vessel=vessel, woodlot_2="tern-lot", amount_2="10 kg", brix_2="54")

    def drawn(self, code: str, minutes: float, mass: str = "26 kg") -> None:
        self.sure(code, "refractometer", minutes, reading="66.9", sample="20 C")
        self.sure(code, "draw", minutes, mass=mass)

    def jarred(self, code: str, minutes: float, count: int, **more: str) -> None:
        fields = {"fill": "85 C", "lot": code, "size_1": "500 ml", "count_1": str(count), **more}
        self.sure(code, "jar", minutes, **fields)

    def closes(self) -> dict[str, Account]:
        """All accounts close, what is kept is what the lines say; the accounts by woodlot."""
        books = accounts(self.db, 2026)
        for account in [*books.woodlots, books.total]:
            self.assertAlmostEqual(account.apart_kg, 0, delta=GRAM)
        self.assertEqual(differences(self.db), [])
        return {account.woodlot: account for account in books.woodlots}


class Flow(FlowCase):
    def test_two_woodlots_in_one_pan_share_by_their_sugar(self) -> None:
        code = self.mixed()
        facts = self.at(code).taken_in.facts
        self.assertAlmostEqual(facts.mass_kg, 40)
        self.assertAlmostEqual(facts.brix, (30 * 45 + 10 * 54) / 40)
        self.drawn(code, 80)
        self.jarred(code, 100, 30)
        shares = {x.code: x.share for x in flows_of(self.db, code).came_from if x.kind == "woodlot"}
        self.assertAlmostEqual(shares["North Kiln"], 13.5 / 18.9)
        self.assertAlmostEqual(shares["Tern Lot"], 5.4 / 18.9)
        self.assertAlmostEqual(self.closes()["Tern Lot"].solids_in_kg, 5.4)

    def test_a_woodlot_follows_its_sugar_to_every_jar(self) -> None:
        code = self.mixed()
        self.drawn(code, 80)
        self.jarred(code, 100, 30)
        went = flows_of(self.db, "Tern Lot").went_into
        self.assertEqual([x.kind for x in went], ["charge", "bulk", "lot"])
        lot = flows_of(self.db, code, "lot")
        self.assertAlmostEqual(went[-1].solids_kg, lot.solids_kg * 5.4 / 18.9, delta=GRAM)
        with self.assertRaises(NotFound):
            flows_of(self.db, "no such lot")

    def test_a_part_is_drawn_and_the_rest_boils_on(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.sure(code, "refractometer", 60, reading="55", sample="20 C")
        before = board_of(self.at(code, 61))
        self.sure(code, "part_draw", 61, mass="6 kg")
        after = board_of(self.at(code, 61.1))
        self.assertAlmostEqual(after.mass_kg, before.mass_kg - 6, delta=0.15)
        self.assertAlmostEqual(after.evidence.fitted.brix_at(46), 55, delta=0.7)
        self.assertEqual([b.code for b in waiting(self.db)["pan"]], [code])
        self.assertEqual([b.code for b in waiting(self.db)["filter"]], [code])
        self.drawn(code, 80, "12 kg")
        self.assertAlmostEqual(after_draw(self.at(code)).mass_kg, 18)
        self.closes()

    def test_more_drawn_after_the_jars_is_to_be_packed_too(self) -> None:
        code = self.take_in()
        self.sure(code, "refractometer", 60, reading="66.9", sample="20 C")
        self.sure(code, "part_draw", 61, mass="8 kg")
        self.sure(code, "filter", 63, method="felt", temperature="90 C")
        self.put(code, "colour", 64, by="meter", transmittance="60", path="10 mm")
        self.jarred(code, 65, 8)
        self.assertEqual(waiting(self.db)["jar"], [])
        self.drawn(code, 80, "12 kg")
        self.assertEqual([b.code for b in waiting(self.db)["jar"]], [code])
        self.jarred(code, 90, 6, more_left="1")
        self.assertEqual([b.code for b in waiting(self.db)["jar"]], [code])
        self.jarred(code, 95, 3)
        self.assertEqual(waiting(self.db)["jar"], [])
        self.assertEqual(jars.jars_of(self.db, code), [flow.Jar(500, 17)])

    def test_pan_into_pan(self) -> None:
        giver, taker = self.take_in(vessel="finisher-1", woodlot="tern-lot"), self.take_in()
        with self.assertRaises(BadInput):
            self.put(taker, "added", 20, **{"from": taker})
        line = self.sure(taker, "added", 20, **{"from": giver})
        gone = self.at(giver).poured_away
        assert isinstance(gone.facts, PouredFacts)
        self.assertEqual([b.code for b in waiting(self.db)["pan"]], [taker])
        with self.assertRaises(BadInput) as caught:
            self.strike(giver, gone.id)
        self.assertIn(taker, caught.exception.errors["why"])
        with self.assertRaises(BadInput):
            self.sure(taker, "added", 25, **{"from": giver})
        self.strike(taker, line.id)
        self.assertEqual(len(waiting(self.db)["pan"]), 2)
        before = [board_of(self.at(code, 30)).mass_kg for code in (giver, taker)]
        self.sure(giver, "added", 30, **{"from": taker, "mass": "5 kg"})
        self.assertEqual(len(waiting(self.db)["pan"]), 2)
        after = [board_of(self.at(code, 30.1)).mass_kg for code in (giver, taker)]
        self.assertAlmostEqual(after[0] - before[0], 5, delta=0.3)
        self.assertAlmostEqual(after[1] - before[1], -5, delta=0.3)
        self.closes()

    def test_what_was_poured_never_comes_back_in_a_circle(self) -> None:
        one, other = self.take_in(vessel="finisher-1"), self.take_in()
        self.sure(other, "added", 20, **{"from": one, "mass": "5 kg"})
        with self.assertRaises(BadInput) as caught:
            self.sure(one, "added", 25, **{"from": other, "mass": "5 kg"})
        self.assertIn("from", caught.exception.errors)
        self.closes()

    def test_kettles_are_pooled_and_packed_together(self) -> None:
        one, other = self.take_in(vessel="finisher-1", woodlot="tern-lot"), self.take_in()
        self.drawn(one, 80, "20 kg")
        self.drawn(other, 81, "20 kg")
        self.sure(other, "added", 85, **{"from": one})
        self.assertEqual([b.code for b in waiting(self.db)["filter"]], [other])
        self.jarred(other, 100, 58)
        shares = [x.share for x in flows_of(self.db, other).came_from if x.kind == "woodlot"]
        self.assertAlmostEqual(shares[0], 0.5, delta=0.02)
        self.assertEqual(self.closes()["Tern Lot"].missing.keys(), {"pan", "filter"})

    def test_a_kettle_packed_in_part_pours_what_is_left_of_it(self) -> None:
        one, other = self.take_in(vessel="finisher-1", woodlot="tern-lot"), self.take_in()
        self.drawn(one, 80, "20 kg")
        self.drawn(other, 81, "20 kg")
        self.jarred(one, 100, 12, more_left="1")
        packed = self.at(one, 101).of_kind(JarFacts)[0].facts.mass_kg
        self.sure(other, "added", 105, **{"from": one})
        poured = self.at(one, 106).of_kind(PouredFacts)[0].facts.mass_kg
        self.assertAlmostEqual(poured, 20 - packed, delta=0.2)
        self.closes()

    def test_what_was_drawn_is_not_mixed_with_what_comes_later(self) -> None:
        mixer = Mixer()
        mixer.put("pan", {"tern-lot": 10.0})
        mixer.take("pan", 8.0)
        mixer.put("pan", {"birch-row": 2.0})
        self.assertEqual(mixer.take("pan", 1.0), {"tern-lot": 0.5, "birch-row": 0.5})

    def test_jars_leave_and_come_back(self) -> None:
        code = self.mixed()
        self.drawn(code, 80)
        self.jarred(code, 100, 30)
        out = {"lot": code, "size_1": "500 ml", "reason": "woodlot", "woodlot": "tern-lot"}
        for wrong in ({"count_1": "31"}, {"size_1": "250 ml"}, {"reason": "theft"}, {"lot": "X"}):
            with self.assertRaises(BadInput):
                self.put(code, "taken_out", 110, **out | {"count_1": "6"} | wrong)
        line = self.put(code, "taken_out", 110, **out, count_1="6")
        self.put(code, "taken_out", 120, **out | {"count_1": "4", "reason": "sold"})
        self.put(code, "came_back", 130, lot=code, size_1="500 ml", count_1="1")
        self.assertEqual(jars.jars_of(self.db, code), [flow.Jar(500, 21)])
        self.assertEqual(kept_lots.shelf_sum(self.db).jars, 21)
        books = self.closes()
        kg = flows_of(self.db, code).solids_kg / 31
        self.assertAlmostEqual(books["Tern Lot"].delivered_kg, 6 * kg, delta=GRAM)
        self.assertAlmostEqual(books["North Kiln"].delivered_kg, 0)
        for percent, minutes in ((25.0, 90), (40.0, 101)):
            # What was packed at noon and a hundred minutes is shared as was agreed then.
            kitchen = replace(load_kitchen(self.db), toll_percent=percent)
            save_kitchen(self.db, kitchen, NOON + timedelta(minutes=minutes))
        tern = self.closes()["Tern Lot"]
        self.assertAlmostEqual(tern.owed_kg, 0.75 * tern.packed_kg - 6 * kg, delta=GRAM)
        self.strike(code, line.id)
        self.assertEqual(jars.jars_of(self.db, code), [flow.Jar(500, 27)])

    def test_jars_that_left_are_not_uncounted(self) -> None:
        code = self.take_in()
        self.drawn(code, 80, "20 kg")
        self.jarred(code, 100, 20)
        packed = self.at(code).last(JarFacts)
        self.put(code, "taken_out", 110, lot=code, size_1="500 ml", count_1="15", reason="sold")
        with self.assertRaises(BadInput) as caught:
            self.strike(code, packed.id)
        self.assertIn("left the shelf", caught.exception.errors["why"])
        fewer = {"fill": "85 C", "lot": code, "size_1": "500 ml", "count_1": "14"}
        with self.assertRaises(BadInput):
            self.put(code, "jar", 130, **fewer, supersedes=packed.id, why="miscounted")
        self.put(code, "jar", 130, **fewer | {"count_1": "16"}, supersedes=packed.id, why="counted")
        self.assertEqual(jars.jars_of(self.db, code), [flow.Jar(500, 1)])
        self.closes()


class PutRight(FlowCase):
    """Whatever was entered wrongly can be put right, and takes nothing else with it."""

    def correct(self, code: str, minutes: float, **fields: str) -> object:
        line = self.at(code).taken_in
        typed = {k: v for k, v in line.typed.items() if k != "id"} | fields
        return self.sure(code, "take_in", minutes, **typed, supersedes=line.id, why="wrong")

    def test_woodlot_vessel_sugar_and_time_of_a_take_in(self) -> None:
        code = self.take_in()
        self.drawn(code, 80)
        self.jarred(code, 100, 20)
        self.correct(code, 110, woodlot="birch-row", vessel="finisher-1", sugar_kind="birch", at="11:30")
        batch = self.at(code)
        self.assertEqual((batch.woodlot.name, batch.vessel.name), ("Birch Row", "Finisher 1"))
        self.assertEqual(batch.batch.sugar_kind, "birch")
        self.assertEqual(batch.taken_in.at, NOON - timedelta(minutes=30))
        (lot,) = kept_lots.newest_lots(self.db, limit=9)
        self.assertEqual(lot.woodlot_ids, ("birch-row",))
        self.assertEqual(list(self.closes()), ["Birch Row"])

    def test_a_vessel_that_is_taken_is_not_moved_into(self) -> None:
        self.take_in(vessel="finisher-1")
        code = self.take_in()
        with self.assertRaises(BadInput) as caught:
            self.correct(code, 20, vessel="finisher-1")
        self.assertIn("vessel", caught.exception.errors)

    def test_a_lot_code(self) -> None:
        code = self.take_in()
        self.drawn(code, 80)
        self.jarred(code, 100, 20)
        packed = self.at(code).last(JarFacts)
        self.jarred(code, 110, 20, lot="K-7", supersedes=packed.id, why="misread")
        self.assertEqual(jars.lot_codes(self.db, self.at(code).batch.id), ["K-7"])
        self.assertIsNone(jars.lot_owner(self.db, code))
        self.closes()

    def test_a_batch_opened_by_mistake_is_called_off_and_frees_its_vessel(self) -> None:
        code = self.take_in()
        line = self.put(code, "called_off", 5, why="wrong pan")
        self.assertEqual(waiting(self.db)["pan"], [])
        self.assertEqual(accounts(self.db, 2026).woodlots, [])
        again = self.take_in()
        with self.assertRaises(BadInput):
            self.put(code, "boiling", 10)
        with self.assertRaises(BadInput) as caught:
            self.strike(code, line.id)
        self.assertIn(again, caught.exception.errors["why"])
        self.put(again, "called_off", 12, why="no sap")
        self.strike(code, line.id)
        self.assertEqual([b.code for b in waiting(self.db)["pan"]], [code])
        self.drawn(code, 80)
        with self.assertRaises(BadInput):
            self.put(code, "called_off", 90, why="late")
        self.closes()

    def test_a_draw_stands_while_its_vessel_is_taken_again(self) -> None:
        code = self.take_in()
        self.drawn(code, 80)
        again = self.take_in(NOON + timedelta(minutes=90))
        draw = self.at(code).first(DrawFacts)
        with self.assertRaises(BadInput) as caught:
            self.strike(code, draw.id)
        self.assertIn(again, caught.exception.errors["why"])

    def test_one_id_names_one_line(self) -> None:
        code = self.take_in(id="take-in-000001")
        self.assertEqual(self.take_in(id="take-in-000001"), code)
        with self.assertRaises(IdReused):
            self.take_in(id="take-in-000001", amount="31 kg")
        fields = {"id": "note-line-0001", "text": "small bubbles"}
        first = self.put(code, "note", 5, **fields)
        self.assertEqual(self.put(code, "note", 9, **fields).at, first.at)
        for kind, other in (("note", {"text": "foam"}), ("foam", {"defoamer": "oil"})):
            with self.assertRaises(IdReused):
                self.put(code, kind, 6, **fields | other)
        self.assertEqual(len(self.at(code).entries), 2)

    def test_a_clock_that_was_wrong_locks_nobody_out(self) -> None:
        code = self.take_in(NOON + timedelta(hours=5))
        with self.assertRaises(BadInput) as caught:
            self.put(code, "refractometer", 60, reading="58", sample="20 C")
        self.assertRegex(caught.exception.asks["at"], r"18 March 2026, \d\d:00.*18 March 2026")
        self.sure(code, "refractometer", 60, reading="66.9", sample="20 C")
        self.sure(code, "draw", 61)
        self.assertEqual(waiting(self.db)["pan"], [])
        self.correct(code, 90, at="2026-03-18 11:00")
        self.assertEqual(self.at(code).entries[0].kind, "take_in")


class Histories(FlowCase):
    def test_any_history_closes_to_the_gram_and_traces_both_ways(self) -> None:
        for seed in range(6):
            with self.subTest(seed):
                self.doCleanups()
                self.setUp()
                self._play(random.Random(seed))
                self.closes()
                for lot in kept_lots.newest_lots(self.db, limit=99):
                    self._traces(lot.code)

    def _play(self, rng: random.Random) -> None:
        codes: list[str] = []
        for minute in range(0, 400, 5):
            try:
                self._something(rng, codes, minute)
            except (BadInput, NotFound):
                continue

    def _something(self, rng: random.Random, codes: list[str], minute: int) -> None:
        doing = rng.choice(("take_in", "draw", "part_draw", "pour", "jar", "out", "strike", "amend"))
        if doing == "take_in" or not codes:
            lots = rng.sample(("north-kiln", "tern-lot", "upper-fold", "birch-row"), 2)
            second = {"woodlot_2": lots[1], "amount_2": "9 kg", "brix_2": "50"}
            more = second if rng.random() < 0.5 else {}
            vessel = rng.choice(("finisher-1", "finisher-2"))
            at = NOON + timedelta(minutes=minute)
            codes.append(self.take_in(at, vessel=vessel, woodlot=lots[0], **more))
            return
        code, other = rng.choice(codes), rng.choice(codes)
        lines = self.at(code, 999).current
        if doing == "draw":
            self.sure(code, "draw", minute, mass=f"{rng.uniform(8, 25):.1f} kg")
        elif doing == "part_draw":
            self.sure(code, "part_draw", minute, mass=f"{rng.uniform(2, 6):.1f} kg")
        elif doing == "pour":
            much = {} if rng.random() < 0.4 else {"mass": f"{rng.uniform(1, 6):.1f} kg"}
            self.sure(code, "added", minute, **{"from": other}, **much)
        elif doing == "jar":
            self.jarred(code, minute, rng.randrange(1, 20), lot=f"{code}-{rng.randrange(2)}")
        elif doing == "out":
            fields = {"lot": f"{code}-0", "size_1": "500 ml", "count_1": f"{rng.randrange(1, 9)}"}
            self.put(code, "taken_out", minute, **fields, reason=rng.choice(("sold", "broken")))
        elif doing == "strike":
            self.strike(code, rng.choice(lines).id, minute)
        else:
            line = self.at(code, 999).taken_in
            typed = {k: v for k, v in line.typed.items() if k != "id"}
            typed |= {"amount": f"{rng.uniform(20, 40):.1f} kg", "supersedes": line.id, "why": "x"}
            self.sure(code, "take_in", minute, **typed)

    def _traces(self, code: str) -> None:
        """What a lot is made of adds up, and each delivery above finds the lot below it."""
        up = flows_of(self.db, code, "lot")
        for kind in ("delivery", "woodlot"):
            came = sum(x.solids_kg for x in up.came_from if x.kind == kind)
            self.assertAlmostEqual(came, up.solids_kg, delta=GRAM)
        for delivery in (x for x in up.came_from if x.kind == "delivery"):
            down = flows_of(self.db, delivery.code, "delivery")
            here = next(x for x in down.went_into if (x.kind, x.code) == ("lot", code))
            self.assertAlmostEqual(here.solids_kg, delivery.solids_kg, delta=GRAM)

"""Who has hardly an instrument: what is asked for and offered, what the coach says, whether it adds up."""

from datetime import timedelta
from math import pi
from sqlite3 import Connection

from lumbrel.core.pan.coach import Stage
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput
from lumbrel.services.kitchen.setup import set_up
from lumbrel.services.pan.board import board
from lumbrel.services.pan.choices import choices
from lumbrel.services.pan.coach import coach, finished
from lumbrel.services.pan.yields import check_of, yield_of
from lumbrel.services.record.kept import ready
from lumbrel.services.shelf.lots import batch_of_lot
from lumbrel.services.stations import choices_for, slip
from lumbrel.services.take_in import opening
from lumbrel.store.db import connect
from lumbrel.web.pan.picture import agreement
from tests.support.kitchen import NOON, KitchenCase

SETUP = {
    "id": "set-up-0001",
    "where": "elevation",
    "units": "us",
    "elevation": "1371",
    "wide": "6.5",
}


def yield_of_so_much(db: Connection, code: str) -> float:
    """How much there should be, kg, an hour later."""
    context = contexts.load(db, code, NOON + timedelta(hours=2))
    return check_of(context, 19.0).check.expected_kg


class FirstBoil(KitchenCase):
    def first(self, *owned: str) -> str:
        """A kitchen of a pot and little else, and what was taken in there; returns its code."""
        self.db = connect(self.folder / "first.sqlite3")
        self.addCleanup(self.db.close)
        ready(self.db)
        set_up(self.db, NOON, SETUP | dict.fromkeys(owned, "1"))
        page = opening.page(self.db, NOON)
        self.assertTrue(page.first_boil)
        fields = {
            "vessel": page.vessels[0].id,
            "woodlot": page.woodlots[0].id,
            "tree": "sugar maple",
        }
        self.assertEqual(page.measure, "mass")
        fields |= {"amount": "3 qt", "amount_by": "mass", "brix_by": "unknown", "raw_sap": "7 gal"}
        fields |= {"temperature": "45 C", "sugar_kind": "maple"}
        # All the sap still in the pot is sap: nothing has been boiled off.
        raw = opening.page(self.db, NOON, fields | {"amount": "7 gal", "temperature": "10 C"})
        self.assertEqual(raw.why_not, "")
        self.assertAlmostEqual(raw.charge.brix, 2.0, delta=0.05)
        less = opening.page(self.db, NOON, fields | {"raw_sap": "2 qt"})
        self.assertRegex(less.why_not, "There was more sap at first")
        becomes = opening.page(self.db, NOON, fields).charge
        # The mark on the stick, by the depth and by the water that stands there.
        area_dm2 = pi * (6.5 * 0.254 / 2) ** 2
        self.assertAlmostEqual(becomes.stick_water_l, area_dm2 * becomes.depth_done_mm / 100, 6)
        code = opening.open_batch(self.db, NOON, fields)
        # As it was measured last, it is asked for next.
        self.assertEqual(opening.page(self.db, NOON).measure, "volume")
        return code

    def said(self, code: str, minutes: float):
        return coach(board(self.db, code, NOON + timedelta(minutes=minutes)))

    def test_what_is_seen_has_a_place_of_its_own_where_nothing_reads_density(self) -> None:
        code = self.first("spoon")
        offers = choices(contexts.load(self.db, code, NOON))
        self.assertEqual((offers.reads, offers.first), (("sign", "depth", "event"), "sign"))
        self.assertEqual([words for _, _, words in offers.signs][:2], ["under 62 Brix", "62 ± 4 Brix"])
        self.put(code, "depth", 40, depth="4.9 in")
        again = choices(contexts.load(self.db, code, NOON + timedelta(minutes=41)))
        self.assertEqual(again.first, "depth")
        self.assertEqual(self.first_of("candy_thermometer"), ("thermometer", "sign", "depth", "event"))
        self.assertNotIn("sign", self.first_of("hydrometer"))

    def first_of(self, owned: str) -> tuple[str, ...]:
        self.folder = self.folder / owned
        self.folder.mkdir()
        code = self.first(owned)
        return choices(contexts.load(self.db, code, NOON)).reads

    def test_the_coach_leads_from_the_fire_to_the_draw(self) -> None:
        code = self.first("spoon")
        begun = self.said(code, 2)
        self.assertEqual((begun.stage, begun.practised), (Stage.WARMING, False))
        self.assertIn("hard boil", begun.do)
        self.put(code, "boiling", 15)
        thin = self.said(code, 20)
        self.assertEqual(thin.stage, Stage.THIN)
        self.assertIn("the stick", thin.do)
        # Nobody measured it: it may foam long before the middle of what is thought.
        self.assertGreater(thin.away_minutes, 3)
        seen = board(self.db, code, NOON + timedelta(minutes=70))
        self.assertLess(self.said(code, 70).away_minutes, 0.15 * seen.minutes_left)
        self.put(code, "sign", 110, sign="drops", sign_confirmed="1")
        soon = board(self.db, code, NOON + timedelta(minutes=110.2))
        seen = [(word.label, word.under) for word in agreement(soon).words]
        self.assertIn(("Signs", True), seen)
        self.put(code, "sign", 122, sign="foam", sign_confirmed="1")
        foam = self.said(code, 122.1)
        self.assertEqual((foam.stage, foam.look_for, foam.away_minutes), (Stage.FOAM, "two_drops", 0))
        self.put(code, "sign", 124, sign="sheet", sign_confirmed="1")
        mark = self.said(code, 125)
        self.assertEqual(mark.stage, Stage.MARK)
        self.assertIn("Kill the heat", mark.do)

    def test_a_thermometer_is_first_set_and_then_read(self) -> None:
        code = self.first("candy_thermometer")
        self.assertRegex(self.said(code, 2).do, "Thermometer 1 in a pot of boiling water")
        self.put(code, "boiling", 15)
        self.assertIn("read Thermometer 1 in the boil", self.said(code, 20).do)

    def test_it_grows_quiet_after_ten(self) -> None:
        for i in range(10):
            code = self.take_in(NOON + timedelta(days=i), woodlot="north-kiln")
            self.assertFalse(coach(board(self.db, code, NOON + timedelta(days=i))).practised)
            self.put(code, "draw", 1440 * i + 60, mass="20 kg", mass_confirmed="1")
        last = self.take_in(NOON + timedelta(days=11))
        context = contexts.load(self.db, last, NOON + timedelta(days=11))
        self.assertEqual(finished(context), 10)
        self.assertTrue(coach(board(self.db, last, NOON + timedelta(days=11))).practised)

    def test_it_is_said_whether_it_adds_up(self) -> None:
        code = self.take_in()
        with self.assertRaises(BadInput) as early:
            self.put(code, "measured", 10, amount="20 kg")
        self.assertIn("once it is drawn off", early.exception.errors["amount"])
        self.put(code, "refractometer", 60, instrument="hand-prism", reading="66.9", sample="20 C")
        self.put(code, "draw", 61)
        self.put(code, "measured", 62, amount="19.8 kg")
        fits = yield_of(contexts.load(self.db, code, NOON + timedelta(minutes=63)))
        self.assertTrue(fits.check.agrees)
        self.assertFalse(fits.guessed)
        self.put(code, "measured", 64, amount="12 L", heat="90 C")
        short = yield_of(contexts.load(self.db, code, NOON + timedelta(minutes=65)))
        self.assertAlmostEqual(short.check.measured_kg, 12 * 1.292, delta=0.05)
        self.assertEqual(short.check.meanings[0].key, "lost")
        lines = slip.lines(contexts.load(self.db, code, NOON + timedelta(minutes=65)))
        self.assertRegex(lines[-1].detail, r"80 % of the 19\.3")
        with self.assertRaises(BadInput):
            self.put(code, "measured", 66, amount="9 t")

    def test_what_turns_out_to_be_no_syrup_has_no_yield(self) -> None:
        code = self.take_in(brix="30")
        self.put(code, "draw", 20, mass_confirmed="1")
        self.put(code, "measured", 21, amount="28 kg")
        self.put(
            code,
            "refractometer",
            30,
            instrument="hand-prism",
            reading="12",
            sample="20 C",
            reading_confirmed="1",
        )
        self.assertIsNone(yield_of(contexts.load(self.db, code, NOON + timedelta(minutes=31))))
        with self.assertRaises(BadInput) as refused:
            self.put(code, "measured", 32, amount="28 kg")
        self.assertIn("Brix", refused.exception.errors["amount"])

    def test_what_stayed_in_the_filter_is_not_missed(self) -> None:
        code = self.take_in()
        self.put(code, "refractometer", 60, instrument="hand-prism", reading="66.9", sample="20 C")
        self.put(code, "draw", 61)
        before = yield_of_so_much(self.db, code)
        self.put(code, "filter", 70, method="felt", temperature="90 C", out="18 kg")
        self.assertAlmostEqual(before - yield_of_so_much(self.db, code), 1.9, delta=0.4)

    def test_the_instrument_read_last_is_offered_first(self) -> None:
        code = self.take_in()
        for minute, glass in ((40, "probe-1"), (45, "dial-a")):
            self.put(code, "thermometer", minute, instrument=glass, reading="100.9 C")
            offers = choices(contexts.load(self.db, code, NOON + timedelta(minutes=minute + 1)))
            self.assertEqual((offers.hand_held, offers.thermometers[0][0]), (glass, glass))

    def test_jars_filled_by_feel_are_said_to_be(self) -> None:
        code = self.first("spoon")
        self.put(code, "draw", 70, mass_confirmed="1")
        offers = choices_for("filter", contexts.load(self.db, code, NOON + timedelta(minutes=131)))
        self.assertEqual((offers.through, offers.felt[0][1]), ("paper", "just off the boil"))
        self.put(code, "filter", 131, method="paper", temperature="90 C", felt="1")
        jars = choices_for("jar", contexts.load(self.db, code, NOON + timedelta(minutes=139)))
        self.assertEqual([size for size, _ in jars.rows][:2], ["16 floz", "8 floz"])
        self.put(code, "jar", 140, lot=code, size_1="8 floz", count_1="2", fill="90 C", felt="1")
        line = slip.lines(contexts.load(self.db, code, NOON + timedelta(hours=3)))[-1]
        self.assertRegex(line.detail, r"194\s°F, by feel")
        self.assertEqual(batch_of_lot(self.db, code), code)

"""What an instrument teaches of itself, and how far it is trusted."""

from datetime import timedelta

from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.physics import air, sucrose, water
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput
from lumbrel.services.bench import cards, checks, curves, profile
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day import ladder
from lumbrel.services.day.checks import test_boils
from lumbrel.services.kitchen import overview, register
from lumbrel.services.pan import board as boards
from lumbrel.services.pan.cup import TypedCup, cup
from lumbrel.services.stations import slip
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import (
    HydrometerDetail,
    ThermometerDetail,
    instruments_of,
    retire_instrument,
)
from tests.support.kitchen import NOON, KitchenCase


class OwnCurve(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.stem = instruments_of(self.db, HydrometerDetail)[0]
        self.bent = Hydrometer(shift=0.9)

    def draw(self, day: int, true: float, hot_at: float = 2, between: bool = False) -> str:
        """A batch drawn, read hot so many minutes after the draw and cold next morning."""
        at = day * 1440.0
        code = self.take_in(NOON + timedelta(minutes=at))
        self.put(code, "refractometer", at + 80, reading="66.9", sample="20 C")
        self.put(code, "draw", at + 84)
        mark = self.bent.mark(true, 90)
        self.put(code, "hydrometer", at + 84 + hot_at, reading=f"{mark:.2f}", cup="90 C")
        if between:
            self.put(code, "added", at + 90, mass="0.2 kg", brix="0")
        cold = Hydrometer().mark(true, 20)
        self.put(code, "hydrometer", at + 1100, reading=f"{cold:.2f}", cup="20 C")
        return code

    def test_used_from_the_second_pair_on(self) -> None:
        self.draw(0, 66.9)
        one = curves.own_curve(self.db, self.stem)
        self.assertEqual((len(one.pairs), one.used), (1, False))
        self.assertEqual(curves.hydrometer_of(self.db, self.stem).shift, 1.0)
        code = self.draw(1, 67.6)
        two = curves.own_curve(self.db, self.stem)
        self.assertTrue(two.used)
        self.assertAlmostEqual(two.shift, 0.9, delta=0.005)
        self.assertEqual(two.pairs[-1].batch_code, code)
        later = contexts.load(self.db, code, NOON + timedelta(days=4))
        shown = cup(later, 66.9, TypedCup(instrument_id=self.stem.id, cup_c=90.0))
        self.assertAlmostEqual(shown.mark_brix, self.bent.mark(66.9, 90.0), delta=0.05)

    def test_what_is_no_pair_teaches_nothing(self) -> None:
        self.draw(0, 66.9, hot_at=-3)
        self.draw(1, 66.9, between=True)
        self.assertEqual(curves.own_curve(self.db, self.stem).pairs, [])

    def test_the_card_is_the_hydrometers_own(self) -> None:
        card = cards.hydrometer_card(self.bent)
        row, column = card.rows.index(90.0), card.columns.index("66.9 Brix")
        self.assertAlmostEqual(card.cells[row][column], self.bent.mark(66.9, 90))
        for cells in zip(*card.cells, strict=True):
            self.assertEqual(list(cells), sorted(cells, reverse=True))


class Warming(KitchenCase):
    def test_a_probe_that_warms_through_says_nothing_of_density(self) -> None:
        code = self.take_in(vessel="finisher-1")
        day_entries.test_boil(self.db, NOON, {"thermometer": "probe-1", "reading": "98.6"})
        self.put(code, "boiling", 15)
        offset = 98.6 - water.boiling_point_c(96_410.0)
        samples = [samples_store.Sample(NOON + timedelta(minutes=15.2), 98.7)]
        for minute in range(16, 50):
            brix = 1350 / (30 - 0.2 * (minute - 15))
            shows = sucrose.boiling_point_c(brix, 96_410.0, 0.01) + offset
            samples.append(samples_store.Sample(NOON + timedelta(minutes=minute), shows))
        samples_store.add_samples(self.db, "probe-1", samples)
        board = boards.board(self.db, code, NOON + timedelta(minutes=49))
        self.assertAlmostEqual(board.evidence.fitted.rate_kg_per_min, 0.2, delta=0.01)
        truth = (30 - 1350 / 66.9) / 0.2 + 15 - 49
        self.assertTrue(board.low_left < truth < board.high_left)


class Trust(KitchenCase):
    def test_melting_ice_gives_the_slope(self) -> None:
        dial = next(i for i in instruments_of(self.db, ThermometerDetail) if i.id == "dial-a")
        day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "99.6"})
        flat = {r.key: r.shown_c for r in ladder.today(self.db, NOON, "dial-a").rungs}
        with self.assertRaisesRegex(BadInput, "Melting ice is 0"):
            checks.take_ice_point(self.db, dial, NOON, {"ice": "32"})
        checks.take_ice_point(self.db, dial, NOON, {"ice": "31 F"})
        sloped = {r.key: r.shown_c for r in ladder.today(self.db, NOON, "dial-a").rungs}
        self.assertAlmostEqual(sloped["water"], 99.6)
        boil = water.boiling_point_c(air.pressure_at_elevation_pa(418))
        slope = (99.6 - boil + 1 / 1.8) / boil
        above = flat["granulated-sugar"] - flat["water"]
        self.assertAlmostEqual(sloped["granulated-sugar"] - flat["granulated-sugar"], slope * above)

    def test_a_thermometer_is_trusted_for_a_day(self) -> None:
        dial = next(i for i in instruments_of(self.db, ThermometerDetail) if i.id == "dial-a")
        self.assertIn("no test boil", profile.profile(self.db, dial, NOON).verdict)
        day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "99.4"})
        fresh = profile.profile(self.db, dial, NOON + timedelta(hours=1))
        self.assertTrue(fresh.good)
        boil = water.boiling_point_c(test_boils(self.db, "dial-a", NOON)[0].facts.station_pressure_pa)
        self.assertAlmostEqual(fresh.offsets[0].offset_k, 99.4 - boil)
        stale = profile.profile(self.db, dial, NOON + timedelta(days=3))
        self.assertEqual((stale.good, "3 days" in stale.verdict), (False, True))


class Prove(KitchenCase):
    def test_a_draw_asks_to_be_proved_cold_next_morning(self) -> None:
        code = self.take_in()
        self.put(code, "refractometer", 80, reading="66.9", sample="20 C")
        self.put(code, "draw", 84)
        asked = [
            [b.code for b in overview.due_cold_checks(self.db, NOON + timedelta(hours=h))]
            for h in (3, 20, 90)
        ]
        self.assertEqual(asked, [[], [code], []])
        self.put(code, "hydrometer", 20 * 60, reading="66.5", cup="21 C")
        self.assertEqual(overview.due_cold_checks(self.db, NOON + timedelta(hours=21)), [])

    def test_a_printed_hot_mark_bends_the_curve(self) -> None:
        fields = {
            "name": "Marked",
            "low": "45",
            "high": "75",
            "glass": "soda-lime",
            "true_at": "60 F",
        }
        hot = fields | {"mark_reading": "59.6", "mark_at": "211 F"}
        register.add_to_kitchen(self.db, "hydrometer", hot, NOON)
        stem = instruments_of(self.db, HydrometerDetail)[-1]
        own = curves.hydrometer_of(self.db, stem)
        self.assertAlmostEqual(own.mark(66.9, (211 - 32) / 1.8), 59.6, delta=1e-6)
        with self.assertRaisesRegex(BadInput, "cannot be right"):
            register.add_to_kitchen(self.db, "hydrometer", hot | {"name": "X", "mark_reading": "66"}, NOON)

    def test_retired_it_is_offered_no_more_and_its_readings_stay(self) -> None:
        code = self.take_in()
        self.put(code, "hydrometer", 60, reading="52", cup="90 C")
        before = slip.lines(contexts.load(self.db, code, NOON))[-1].value
        retire_instrument(self.db, "long-stem", NOON)
        self.assertEqual(instruments_of(self.db, HydrometerDetail), [])
        self.assertEqual(slip.lines(contexts.load(self.db, code, NOON))[-1].value, before)
        with self.assertRaisesRegex(BadInput, "Register a hydrometer"):
            self.put(code, "hydrometer", 62, reading="53", cup="90 C")
        retire_instrument(self.db, "long-stem", NOON + timedelta(minutes=1), retired=False)
        self.put(code, "hydrometer", 62, reading="53", cup="90 C")

    def test_a_solution_to_check_with(self) -> None:
        _, half, dense = cards.check_solutions(Hydrometer())
        self.assertEqual((half.sugar_kg, half.water_kg), (0.5, 0.5))
        self.assertAlmostEqual(half.density_kg_m3, 1229.65, delta=0.02)
        self.assertAlmostEqual(dense.shows_brix, Hydrometer().mark(66, 20))

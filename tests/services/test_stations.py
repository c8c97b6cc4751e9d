"""The job from the day check to the shelf, through the services alone."""

import csv
import io
import json
from datetime import timedelta

from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.physics import air, sucrose, water
from lumbrel.exchange import batch_files
from lumbrel.services import stations
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import newest
from lumbrel.services.base.facts import DrawFacts
from lumbrel.services.base.form import BadInput
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day import ladder
from lumbrel.services.jar import labels
from lumbrel.services.pan import board as boards
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.shelf import lots
from lumbrel.services.stations import slip, waiting
from lumbrel.services.take_in import opening
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import BarometerDetail, Instrument, add_instrument
from tests.support.kitchen import NOON, KitchenCase


class DayCheck(KitchenCase):
    def test_bases_and_the_thermometers_own_marks(self) -> None:
        day_entries.set_pressure(self.db, NOON, {"basis": "station", "pressure": "960 hPa"})
        day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "211.6 F"})
        today = ladder.today(self.db, NOON, "dial-a")
        boil = water.boiling_point_c(96_000)
        self.assertAlmostEqual(today.pressure.boil_c, boil)
        shown = {rung.key: rung.shown_c for rung in today.rungs}
        self.assertAlmostEqual(shown["water"], (211.6 - 32) / 1.8)
        step = sucrose.boiling_point_c(66.9, 96_000, 0.01) - boil
        self.assertAlmostEqual(shown["finish-66.9"], (211.6 - 32) / 1.8 + step)
        self.assertEqual(len([r for r in today.rungs if r.rank == "candy"]), 8)

    def test_a_forecast_is_brought_to_the_pan(self) -> None:
        day_entries.set_pressure(
            self.db,
            NOON,
            {"basis": "forecast", "pressure": "1008", "elevation": "418 m", "outdoor": "2 C"},
        )
        self.assertAlmostEqual(ladder.today(self.db, NOON).pressure.pa, 95_725, delta=10)

    def test_a_forecast_typed_as_station_pressure_is_asked_about(self) -> None:
        fields = {"basis": "station", "pressure": "1008 hPa"}
        with self.assertRaises(BadInput) as caught:
            day_entries.set_pressure(self.db, NOON, fields)
        self.assertIn("418 m", caught.exception.asks["pressure"])
        self.assertEqual(ladder.today(self.db, NOON).pressure.basis, "elevation")
        day_entries.set_pressure(self.db, NOON, fields | {"pressure_confirmed": "1"})
        self.assertEqual(ladder.today(self.db, NOON).pressure.basis, "station")

    def test_a_test_boil_goes_stale_with_the_barometer(self) -> None:
        add_instrument(self.db, Instrument(id="bar", name="Bar", detail=BarometerDetail()))
        later = NOON + timedelta(hours=2)
        samples_store.add_samples(self.db, "bar", [samples_store.Sample(NOON, 96_000.0)])
        day_entries.test_boil(self.db, NOON, {"thermometer": "probe-1", "reading": "98.9"})
        samples_store.add_samples(self.db, "bar", [samples_store.Sample(later, 95_500.0)])
        chosen = ladder.today(self.db, later, "probe-1").chosen
        self.assertIn("fallen", chosen.stale)
        offset = 98.9 - water.boiling_point_c(96_000)
        shown = chosen.calibration.indicated_c(water.boiling_point_c(95_500))
        self.assertAlmostEqual(shown, water.boiling_point_c(95_500) + offset)

    def test_a_boil_in_the_wrong_unit_is_refused_with_the_right_one(self) -> None:
        with self.assertRaises(BadInput) as caught:
            day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "211.6 C"})
        self.assertIn("other unit", caught.exception.errors["reading"])


class Batch(KitchenCase):
    def test_from_near_syrup_to_a_lot(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 15)
        rate = 0.15
        for minute, kind in ((25, "refractometer"), (50, "hydrometer"), (60, "hydrometer")):
            brix = 30 * 45 / (30 - rate * (minute - 15))
            if kind == "refractometer":
                self.put(code, kind, minute, reading=f"{brix:.1f}", sample="20 C")
            else:
                mark = Hydrometer().mark(brix, 90.0)
                self.put(code, kind, minute, reading=f"{mark:.2f}", cup="90 C")
        board = boards.board(self.db, code, NOON + timedelta(minutes=60))
        truth = (30 - 30 * 45 / 66.9) / rate + 15 - 60
        self.assertEqual(board.verdict.call.value, "keep_boiling")
        self.assertAlmostEqual(board.minutes_left, truth, delta=1.5)
        self.assertTrue(board.low_left < truth < board.high_left)
        self.assertAlmostEqual(board.cup.mark_brix, 60.0, delta=0.3)
        until_look = (board.next_check_at - NOON) / timedelta(minutes=1) - 60
        self.assertAlmostEqual(until_look, board.low_left / 2, delta=0.5)
        done = 60 + truth
        self.put(code, "refractometer", done, reading="66.7", sample="20 C")
        ready = boards.board(self.db, code, NOON + timedelta(minutes=done))
        self.assertEqual(ready.verdict.call.value, "draw_now")
        draw = self.put(code, "draw", done)
        self.assertAlmostEqual(draw.facts.rate_kg_per_min, rate, delta=0.01)
        self.put(code, "filter", done + 10, method="layers", temperature="190 F", twice="1")
        self.put(code, "colour", done + 20, by="meter", transmittance="64", path="20 mm")
        self.put(
            code,
            "jar",
            done + 30,
            fill="85 C",
            lot="K-7/1",
            size_1="500 ml",
            count_1="28",
            size_2="250 ml",
        )
        (lot,) = lots.find(self.db, NOON, text="k-7").lots
        self.assertEqual((lot.grade, lot.jar_count, lot.woodlot), ("Golden", 28, "North Kiln"))
        self.assertEqual(lots.find(self.db, NOON, grade="Dark").lots, [])
        self.assertEqual(len(lots.find(self.db, NOON, woodlot="North Kiln").lots), 1)
        self._exports(code)

    def _exports(self, code: str) -> None:
        at = contexts.load(self.db, code, NOON + timedelta(hours=5))
        document = json.loads(batch_files.as_json(at))
        self.assertEqual(document["lot"], "K-7/1")
        self.assertEqual(document["slip"][0]["typed"]["amount"], "30 kg")
        rows = list(csv.DictReader(io.StringIO(batch_files.as_csv(at))))
        self.assertEqual(len(rows), len(at.entries))
        self.assertIn("reading=66.7", next(r["typed"] for r in rows if r["brix"].startswith("66.7")))

    def test_the_same_id_opens_and_writes_once(self) -> None:
        first, again = self.take_in(id="take-in-0001"), self.take_in(id="take-in-0001")
        self.assertEqual(first, again)
        for _ in range(2):
            self.put(first, "note", 5, text="sheeting", id="note-000001")
        self.assertEqual(len(contexts.load(self.db, first, NOON).entries), 2)

    def test_take_in_by_depth_and_volume_agree_with_mass(self) -> None:
        charge = opening.page(
            self.db,
            NOON,
            {
                "vessel": "finisher-1",
                "sugar_kind": "maple",
                "amount_by": "mass",
                "amount": "7 gal",
                "brix": "45",
                "temperature": "20 C",
            },
        ).charge
        self.assertAlmostEqual(charge.mass_kg, 26.4979 * sucrose.density_kg_m3(45, 20) / 1000, delta=1e-3)
        by_depth = opening.page(
            self.db,
            NOON,
            {
                "vessel": "finisher-1",
                "sugar_kind": "maple",
                "amount_by": "depth",
                "amount": f"{charge.depth_now_mm} mm",
                "brix": "45",
                "temperature": "20 C",
            },
        ).charge
        self.assertAlmostEqual(by_depth.mass_kg, charge.mass_kg, delta=1e-6)
        self.assertAlmostEqual(charge.solids_kg, charge.mass_kg * 0.45, delta=1e-9)
        hot = opening.page(
            self.db,
            NOON,
            {
                "vessel": "finisher-1",
                "sugar_kind": "maple",
                "amount_by": "volume",
                "amount": "26.4979 L",
                "brix": "45",
                "temperature": "95 C",
            },
        ).charge
        cold_density = sucrose.density_kg_m3(45, 95)
        self.assertAlmostEqual(hot.mass_kg, 26.4979 * cold_density / 1000, delta=1e-3)

    def test_an_amendment_supersedes_and_keeps_what_was_typed(self) -> None:
        code = self.take_in()
        with self.assertRaises(BadInput) as asked:
            self.put(code, "hydrometer", 30, reading="59.4", cup="90 C")
        self.assertIn("wrong line", asked.exception.asks["reading"])
        sure = {"reading": "59.4", "cup": "90 C", "reading_confirmed": "1"}
        wrong = self.put(code, "hydrometer", 30, **sure)
        with self.assertRaises(BadInput):
            self.put(code, "hydrometer", 33, reading="49.4", cup="90 C", supersedes=wrong.id)
        self.put(code, "hydrometer", 33, reading="49.4", cup="90 C", supersedes=wrong.id, why="misread")
        lines = slip.lines(contexts.load(self.db, code, NOON + timedelta(hours=1)))
        old, new = (line for line in lines if line.entry.kind == "hydrometer")
        self.assertTrue(old.entry.superseded)
        self.assertEqual(old.entry.typed["reading"], "59.4")
        self.assertEqual(new.entry.at, old.entry.at)
        with self.assertRaises(BadInput):
            self.put(code, "hydrometer", 34, reading="50", cup="90 C", supersedes=wrong.id, why="x")

    def test_one_liar_is_named_and_not_averaged_in(self) -> None:
        code = self.take_in()
        day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "98.6"})
        self.put(code, "boiling", 15)
        self.put(code, "refractometer", 59, reading="58", sample="20 C")
        at_58 = ladder.today(self.db, NOON).chosen.calibration.indicated_c(
            sucrose.boiling_point_c(58, air.pressure_at_elevation_pa(418), 0.01)
        )
        self.put(code, "thermometer", 60, instrument="dial-a", reading=f"{at_58:.2f} C")
        before = boards.board(self.db, code, NOON + timedelta(minutes=60))
        liar = {"reading": "57.4", "cup": "95 C", "assumed": "1"}
        with self.assertRaises(BadInput) as caught:
            self.put(code, "hydrometer", 60, **liar)
        self.assertIn("By all that was read before", caught.exception.asks["reading"])
        self.put(code, "hydrometer", 60, **liar, reading_confirmed="1")
        last = slip.lines(contexts.load(self.db, code, NOON))[-1]
        self.assertIn("asked about and kept", last.detail)
        board = boards.board(self.db, code, NOON + timedelta(minutes=60))
        self.assertEqual(board.verdict.call.value, "disagree")
        self.assertEqual(board.odd, "Long stem")
        self.assertIn("assumed", board.cause.cause)
        self.assertAlmostEqual(board.believed.brix, 58.2, delta=0.5)
        self.assertAlmostEqual(board.minutes_left, before.minutes_left, delta=1e-6)
        with self.assertRaises(BadInput) as caught:
            self.put(code, "draw", 60)
        self.assertIn("mass", caught.exception.asks)

    def test_overshoot_is_mended_with_the_water_it_says(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.put(code, "refractometer", 90, reading="69.2", sample="20 C")
        board = boards.board(self.db, code, NOON + timedelta(minutes=90))
        self.assertEqual(board.verdict.call.value, "over")
        self.put(code, "draw", 90, mass="20 kg")
        after = after_draw(contexts.load(self.db, code, NOON + timedelta(minutes=91)))
        water_kg = after.water_to_put_back_kg
        self.assertAlmostEqual(water_kg, 20 * (after.brix / 66.9 - 1), delta=1e-6)
        self.put(code, "added", 95, mass=f"{water_kg} kg", brix="0")
        mended = after_draw(contexts.load(self.db, code, NOON + timedelta(minutes=96)))
        self.assertAlmostEqual(mended.brix, 66.9, delta=1e-6)

    def test_defoamer_brings_its_allergen_to_the_label(self) -> None:
        code = self.take_in()
        self.put(code, "foam", 30, defoamer="butter")
        self.put(code, "refractometer", 85, reading="66.9", sample="20 C")
        self.put(code, "draw", 85)
        self.put(code, "jar", 100, fill="85 C", lot="A1", size_1="250 ml", count_1="8")
        self.assertEqual(labels.labels(self.db, code, NOON)[0].allergens, ("milk",))

    def test_an_off_flavour_is_no_grade(self) -> None:
        code = self.take_in()
        self.put(code, "refractometer", 85, reading="66.9", sample="20 C")
        self.put(code, "draw", 85)
        self.put(code, "colour", 90, by="eye", grade="Amber", buddy="1")
        self.put(code, "jar", 100, fill="85 C", lot="A1", size_1="250 ml", count_1="8")
        (label,) = labels.labels(self.db, code, NOON)
        self.assertEqual((label.grade, label.for_processing), ("", True))
        self.assertTrue(lots.find(self.db, NOON).lots[0].row.for_processing)

    def test_what_is_seen_or_weighed_says_whose_moment_it_is(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 5)
        cup = {"mass": "330 g", "temperature": "90 C", "volume": "250 ml"}
        for kind, fields in (
            ("sign", {"sign": "foam"}),
            ("weighed", cup),
            ("scale", {"mass": "29 kg"}),
        ):
            sure = {"sign_confirmed": "1", "mass_confirmed": "1"}
            for said, whose in (({}, "typed"), ({"dipped_ago": "80 s"}, "dip")):
                line = self.put(code, kind, 15, **fields, **sure, **said)
                self.assertEqual(line.facts.dated, whose, kind)
        self.put(code, "scale", 16, mass="31 kg", empty="2 kg", mass_confirmed="1")
        again = self.put(code, "scale", 17, mass="31 kg", mass_confirmed="1")
        self.assertEqual(again.facts.empty_kg, 2.0, "as it was last time")

    def test_what_happens_at_the_fire_is_refused_once_it_was_drawn(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 5)
        off = self.put(code, "heat", 84)
        self.put(code, "draw", 85)
        again = {"supersedes": off.id, "why": "sooner", "at": "13:23"}
        self.assertEqual(self.put(code, "heat", 89, **again).at, NOON + timedelta(minutes=83))
        kinds = [one for station in stations.STATIONS for one in station.line_kinds if one.on_fire]
        self.assertGreater(len(kinds), 3)
        for kind in kinds:
            with self.assertRaises(BadInput) as refused:
                self.put(code, kind.key, 90)
            self.assertIn("on the fire any more", refused.exception.errors["kind"], kind.key)

    def test_a_struck_draw_brings_the_batch_back_and_teaches_nothing(self) -> None:
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.put(code, "refractometer", 85, reading="66.9", sample="20 C")
        draw = self.put(code, "draw", 85)
        self.assertEqual(len(newest(self.db, DrawFacts)), 1)
        with self.assertRaises(BadInput):
            slip.strike(self.db, code, {"supersedes": draw.id}, NOON + timedelta(minutes=86))
        slip.strike(self.db, code, {"supersedes": draw.id, "why": "wrong pan"}, NOON + timedelta(minutes=86))
        self.assertEqual(newest(self.db, DrawFacts), [])
        self.assertEqual([b.code for b in waiting(self.db)["pan"]], [code])
        self.put(code, "draw", 88)

    def test_questions_and_refusals_write_nothing(self) -> None:
        code = self.take_in()
        self.put(code, "refractometer", 85, reading="66.9", sample="20 C")
        self.put(code, "draw", 85)
        before = len(contexts.load(self.db, code, NOON).entries)
        for kind, fields, name in (
            ("jar", {"fill": "70 C", "lot": "A1", "size_1": "500 ml", "count_1": "10"}, "fill"),
            ("jar", {"fill": "85 C", "lot": "A1", "size_1": "500 ml", "count_1": "400"}, "size_1"),
            ("jar", {"fill": "85 C", "lot": "'; <script>", "size_1": "1 L", "count_1": "1"}, "lot"),
            ("filter", {"method": "felt", "temperature": "60 C"}, "temperature"),
            ("colour", {"by": "meter", "transmittance": "0", "path": "10 mm"}, "transmittance"),
            ("hydrometer", {"reading": "60"}, "cup"),
            ("refractometer", {"reading": "66", "sample": "60 C"}, "sample"),
            ("thermometer", {"reading": "219"}, "reading"),
            ("draw", {}, "kind"),
        ):
            with self.subTest(kind, fields=fields), self.assertRaises(BadInput) as caught:
                self.put(code, kind, 95, **fields)
            self.assertIn(name, caught.exception.errors | caught.exception.asks)
        self.assertEqual(len(contexts.load(self.db, code, NOON).entries), before)
        self.assertEqual(lots.find(self.db, NOON).lots, [])

    def test_a_busy_vessel_takes_no_second_batch(self) -> None:
        self.take_in()
        with self.assertRaises(BadInput) as caught:
            self.take_in()
        self.assertIn("vessel", caught.exception.errors)

    def test_the_line_follows_the_work(self) -> None:
        code = self.take_in()
        states = {s.station.key: s for s in stations.line(self.db, NOON + timedelta(minutes=40))}
        self.assertEqual(states["pan"].href, f"/pan/{code}")
        self.put(code, "refractometer", 85, reading="66.9", sample="20 C")
        self.put(code, "draw", 85)
        states = {s.station.key: s for s in stations.line(self.db, NOON + timedelta(minutes=90))}
        self.assertEqual((states["pan"].state.words, states["filter"].state.words), ("cold", "1 waiting"))

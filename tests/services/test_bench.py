"""Instruments checked against something known, and what that does to every later reading."""

from datetime import timedelta

from lumbrel.core.bench import refractometer
from lumbrel.core.bench.hydrometer import Hydrometer
from lumbrel.core.physics import air, sucrose, water
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.facts import ColourFacts, HydrometerFacts
from lumbrel.services.base.form import BadInput, Form, NotFound
from lumbrel.services.base.line import Line
from lumbrel.services.base.said import in_full
from lumbrel.services.bench import cards, checks, cup_probe, curves, profile
from lumbrel.services.day import calculations, ladder
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day import working as day_working
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.kitchen import register
from lumbrel.services.methods import compare
from lumbrel.services.pan import board as boards
from lumbrel.services.pan import working as pan_working
from lumbrel.services.pan.cup import TypedCup, cup
from lumbrel.services.stations import slip
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import instruments
from lumbrel.store.kitchen import load_kitchen
from tests.support.kitchen import NOON, KitchenCase


class BenchCase(KitchenCase):
    def owned(self, key: str):
        return next(i for i in instruments(self.db) if key in (i.id, i.name))

    def add(self, what: str, name: str, **fields: str):
        register.add_to_kitchen(self.db, what, {"name": name, **fields}, NOON)
        return self.owned(name)

    def check(self, key: str, minutes: float = 0, **fields: str) -> None:
        at = NOON + timedelta(minutes=minutes)
        checks.take_scale_check(self.db, self.owned(key), at, fields)

    def board(self, code: str, minutes: float) -> boards.Board:
        return boards.board(self.db, code, NOON + timedelta(minutes=minutes))

    def last(self, code: str, minutes: float) -> Line:
        return slip.lines(contexts.load(self.db, code, NOON + timedelta(minutes=minutes)))[-1]


class Checking(BenchCase):
    def test_a_refractometers_zero_is_taken_off_from_then_on(self) -> None:
        code = self.take_in()
        self.put(code, "refractometer", 50, reading="55.0", sample="24 C")
        before = self.last(code, 50).reading.brix
        zero = 0.5 - refractometer.temperature_correction(0.5, 24.0)
        self.check("hand-prism", 51, against="water", reading=f"{zero:.2f}", temperature="24 C")
        self.assertAlmostEqual(self.last(code, 52).reading.brix, before)
        self.put(code, "refractometer", 53, reading="55.0", sample="24 C", reading_confirmed="1")
        self.assertAlmostEqual(self.last(code, 54).reading.brix, before - 0.5, delta=0.02)
        there = contexts.load(self.db, code, NOON + timedelta(minutes=54))
        read = in_full(there, there.current[-1])
        assert read is not None
        self.assertIn("shows too much by", [s[0] for s in read.steps])

    def test_a_hydrometer_in_a_weighed_solution(self) -> None:
        shows = Hydrometer().mark(66.0, 21.0) + 0.7
        self.check("long-stem", against="solution", brix="66", reading=f"{shows:.2f}", temperature="21 C")
        own = curves.hydrometer_of(self.db, self.owned("long-stem"), NOON)
        self.assertAlmostEqual(own.offset_brix, 0.7, delta=0.01)
        seen = profile.profile(self.db, self.owned("long-stem"), NOON)
        self.assertIn("too much", seen.verdict)
        with self.assertRaisesRegex(BadInput, "begins at 45"):
            self.check("long-stem", against="water", reading="0", temperature="20 C")
        with self.assertRaises(BadInput) as asked:
            self.check("long-stem", against="solution", brix="66", reading="69", temperature="21 C")
        self.assertIn("reading", asked.exception.asks)
        with self.assertRaisesRegex(BadInput, "more than any that still works"):
            self.check("long-stem", against="solution", brix="50", reading="66", temperature="21 C")

    def test_so_much_sugar_into_so_much_water(self) -> None:
        kitchen = load_kitchen(self.db)
        made = checks.mixture(Form({"sugar": "330 g", "water": "170 g"}, kitchen))
        self.assertAlmostEqual(made.brix, 66.0)
        self.assertAlmostEqual(made.density_kg_m3, sucrose.density_kg_m3(66, 20))
        self.assertIsNone(checks.mixture(Form({"sugar": "330 g"}, kitchen)))
        with self.assertRaisesRegex(BadInput, "does not dissolve"):
            checks.mixture(Form({"sugar": "9 kg", "water": "1 kg"}, kitchen))

    def test_a_check_older_than_a_year_is_asked_about_once_a_batch(self) -> None:
        stem = self.add(
            "hydrometer",
            "Old stem",
            low="45",
            high="75",
            glass="soda-lime",
            calibrated_on="2025-01",
        )
        code = self.take_in()
        read = {"instrument": stem.id, "reading": "50", "cup": "90 C"}
        with self.assertRaises(BadInput) as caught:
            self.put(code, "hydrometer", 40, **read)
        self.assertIn("The last check of Old stem is 15 months old", caught.exception.asks["reading"])
        self.put(code, "hydrometer", 40, **read, reading_confirmed="1")
        self.assertIn("asked about and kept", self.last(code, 40).detail)
        self.put(code, "hydrometer", 41, **read)
        self.assertFalse(profile.profile(self.db, stem, NOON).good)
        with self.assertRaisesRegex(BadInput, "14 March 2025"):
            self.add("hydrometer", "X", low="45", high="75", glass="soda-lime", calibrated_on="spring")

    def test_a_barometer_that_shows_sea_level(self) -> None:
        shelf = self.add("barometer", "Shelf", shows="sea-level")
        self.check("Shelf", reading="1012 hPa", true="1010 hPa")
        day_entries.set_pressure(
            self.db,
            NOON,
            {
                "basis": "station",
                "barometer": shelf.id,
                "pressure": "1010 hPa",
                "outdoor": "10 C",
                "elevation": "418 m",
            },
        )
        here = pressure_at(self.db, load_kitchen(self.db), NOON)
        wanted = air.station_pressure_from_sea_level_pa(100_800, 418, 10)
        self.assertAlmostEqual(here.pa, wanted, delta=0.1)
        samples_store.add_samples(self.db, shelf.id, [samples_store.Sample(NOON, 101_000.0)])
        followed = pressure_at(self.db, load_kitchen(self.db), NOON)
        self.assertEqual((followed.basis, round(followed.pa)), ("barometer", round(wanted)))

    def test_a_vial_of_another_path_than_its_references_is_asked_about(self) -> None:
        wide = self.add("vial", "Wide", path="20 mm")
        row = self.add("reference", "Row", path="10 mm", made_of="glass", calibrated_on="2026-01")
        code = self.take_in()
        self.put(code, "refractometer", 80, reading="66.9", sample="20 C")
        self.put(code, "draw", 84)
        seen = {"by": "eye", "grade": "Amber", "vial": wide.id, "reference": row.id}
        with self.assertRaises(BadInput) as caught:
            self.put(code, "colour", 90, **seen)
        self.assertIn("looks darker than it is", caught.exception.asks["grade"])
        self.put(code, "colour", 90, by="meter", transmittance="64", vial=wide.id)
        facts = contexts.load(self.db, code, NOON + timedelta(hours=2)).first(ColourFacts).facts
        self.assertAlmostEqual(facts.transmittance_10mm_percent, 80.0)

    def test_the_ladder_by_pressure(self) -> None:
        day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "99.4"})
        card = cards.thermometer_card(ladder.today(self.db, NOON, "dial-a"))
        boil = water.boiling_point_c(air.pressure_at_elevation_pa(418))
        for hpa, cells in zip(card.rows, card.cells, strict=True):
            water_here = water.boiling_point_c(hpa * 100)
            self.assertAlmostEqual(cells[0], water_here + 99.4 - boil)
            finish = sucrose.boiling_point_c(66.9, hpa * 100, 0.01)
            self.assertAlmostEqual(cells[2] - cells[0], finish - water_here)


class InTheCup(BenchCase):
    def test_the_mark_moves_as_the_cup_cools_and_follows_a_probe(self) -> None:
        code = self.take_in()
        here = contexts.load(self.db, code, NOON + timedelta(minutes=30))
        fresh = cup(here, 60.0, TypedCup(instrument_id="long-stem", cup_c=92.0))
        later = cup(here, 60.0, TypedCup(instrument_id="long-stem", cup_c=92.0, minutes=4))
        self.assertGreater(later.mark_brix, fresh.mark_brix + 0.2)
        self.assertEqual(later.read_c, 92.0)
        with self.assertRaisesRegex(BadInput, "Type the cup's temperature"):
            self.put(code, "hydrometer", 30, reading="50")
        probe = self.add("thermometer", "Dip", sort="digital", stands_in="cup")
        at = NOON + timedelta(minutes=30)
        samples_store.add_samples(self.db, probe.id, [samples_store.Sample(at, 88.0)])
        here = contexts.load(self.db, code, at)
        self.assertEqual(cup(here, 60.0).probe, "Dip")
        self.assertAlmostEqual(cup(here, 60.0).mark_brix, Hydrometer().mark(66.9, 88.0))
        self.put(code, "hydrometer", 30, reading="29.4 Be", reading_confirmed="1")
        facts = contexts.load(self.db, code, at).first(HydrometerFacts).facts
        self.assertEqual((facts.cup_c, facts.cup_by), (88.0, "Dip"))
        self.assertAlmostEqual(facts.reading_brix, 54.0, delta=0.2)
        self.assertIsNone(cup_probe.cup_probe(here, at + timedelta(minutes=2)))


class Sides(BenchCase):
    def boil(self, **taken: str) -> str:
        compare.save(
            self.db,
            {
                "end_point": "computed",
                "boil_by": "test-boil",
                "trust": "all",
                "hot_mark": "cup",
                **taken,
            },
            NOON,
        )
        day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "99.6"})
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.put(code, "refractometer", 59, reading="58", sample="20 C")
        boils = sucrose.boiling_point_c(58, air.pressure_at_elevation_pa(418), 0.01)
        offset = 99.6 - water.boiling_point_c(air.pressure_at_elevation_pa(418))
        self.put(code, "thermometer", 60, instrument="dial-a", reading=f"{boils + offset:.2f} C")
        return code

    def outcomes(self, code: str) -> dict[str, float | None]:
        found = compare.compare(self.board(code, 60))
        return {o.method.key: o.brix for one in found for o in one.outcomes}

    def test_each_method_says_in_brix_what_it_would_have_done(self) -> None:
        said = self.outcomes(self.boil())
        self.assertAlmostEqual(said["computed"], 66.9, delta=1e-6)
        dial = ladder.today(self.db, NOON, "dial-a").chosen.calibration
        pressure = air.pressure_at_elevation_pa(418)
        flat = sucrose.brix_from_boiling_point(dial.true_c((219 - 32) / 1.8), pressure, 0.01)
        self.assertAlmostEqual(said["flat-219"], flat)
        at_its_word = sucrose.boiling_point_c(66.9, pressure, 0.01)
        self.assertAlmostEqual(
            said["barometer"],
            sucrose.brix_from_boiling_point(dial.true_c(at_its_word), pressure, 0.01),
        )
        self.assertLess(said["barometer"], said["test-boil"])
        self.assertEqual((said["66"], said["68.9"]), (66.0, 68.9))
        told = calculations.end_points(
            station_pressure_hpa=pressure / 100, test_boil_reading_c=99.6, target_brix=66.9
        )
        for stop in told.schools:
            self.assertAlmostEqual(stop.brix, said[stop.school], msg=stop.school)

    def test_a_side_taken_sets_the_marks_of_the_next_batch(self) -> None:
        code = self.boil(end_point="flat-219")
        self.assertAlmostEqual(self.board(code, 60).draw_shown_c, (219 - 32) / 1.8)
        finish = next(r for r in ladder.today(self.db, NOON, "dial-a").rungs if r.rank == "finish")
        self.assertAlmostEqual(finish.shown_c, (219 - 32) / 1.8)
        compare.save(
            self.db,
            {"end_point": "computed", "boil_by": "test-boil", "trust": "all", "hot_mark": "cup"},
            NOON,
        )
        self.assertAlmostEqual(self.board(code, 60).draw_shown_c, (219 - 32) / 1.8)
        with self.assertRaises(BadInput):
            compare.save(self.db, {"end_point": "by eye"}, NOON)

    def test_trusting_one_sets_the_others_aside(self) -> None:
        board = self.board(self.boil(trust="refractometer"), 60)
        self.assertEqual([w.reading.kind for w in board.evidence.words], ["refractometer"])
        self.assertEqual([w.reading.kind for w in board.evidence.set_aside], ["thermometer"])

    def test_a_thermometer_at_its_word_says_so_by_its_doubt(self) -> None:
        at_its_word = self.board(self.boil(boil_by="elevation"), 60).evidence.readings[-1]
        pressure = air.pressure_at_elevation_pa(418)
        shown = at_its_word.facts.reading_c
        self.assertAlmostEqual(at_its_word.brix, sucrose.brix_from_boiling_point(shown, pressure, 0.01))
        self.assertGreater(at_its_word.sigma_brix, 3)

    def test_the_printed_mark_is_met_whatever_the_cup(self) -> None:
        stem = self.add(
            "hydrometer",
            "Marked",
            low="45",
            high="75",
            glass="soda-lime",
            mark_reading="59.6",
            mark_at="211 F",
        )
        code = self.boil(hot_mark="printed")
        for minutes, warm in ((62, "95 C"), (63, "85 C")):
            self.put(code, "hydrometer", minutes, instrument=stem.id, reading="52.0", cup=warm)
            self.assertAlmostEqual(self.last(code, minutes).reading.brix, 66.9 + 52.0 - 59.6)
        self.assertAlmostEqual(self.board(code, 63).cup.mark_brix, 59.6)
        self.assertLess(self.outcomes(code)["printed"] or 0, 66.9)


class Workings(BenchCase):
    def test_every_budget_adds_up_to_the_doubt_it_explains(self) -> None:
        day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "99.6"})
        code = self.take_in()
        self.put(code, "boiling", 15)
        self.put(code, "refractometer", 59, reading="58", sample="20 C", hot_drop="1")
        self.put(code, "hydrometer", 60, reading="51", cup="92 C", assumed="1")
        self.put(code, "thermometer", 60, instrument="dial-a", reading="103.0 C")
        board = self.board(code, 61)
        self.assertGreaterEqual(len(board.evidence.readings), 3)
        for reading in board.evidence.readings:
            whole = sum(sigma**2 for _, sigma in reading.budget) ** 0.5
            self.assertAlmostEqual(whole, reading.sigma_brix, delta=1e-6, msg=reading.kind)
        joint = pan_working.of_pan(board, "density")
        self.assertAlmostEqual(joint.sigma, board.believed.sigma_brix, delta=1e-6)
        for figure in pan_working.OF_PAN:
            self.assertTrue(pan_working.of_pan(board, figure).steps)
        low = pan_working.of_pan(board, "minutes")
        self.assertAlmostEqual(low.value, board.minutes_left)
        with self.assertRaises(NotFound):
            pan_working.of_pan(board, "luck")

    def test_a_rung_says_what_it_stands_on(self) -> None:
        day_entries.test_boil(self.db, NOON, {"thermometer": "dial-a", "reading": "99.6"})
        today = ladder.today(self.db, NOON, "dial-a")
        for rung in today.rungs:
            said = day_working.rung(today, rung.key)
            self.assertEqual(said.value, rung.shown_c)
        steps = {s.label: s.value for s in day_working.rung(today, "finish-66.9").steps}
        self.assertAlmostEqual(steps["true"] + steps["reads high by"], said_at(today, "finish-66.9"))


def said_at(today: ladder.DayCheck, key: str) -> float:
    return next(r.shown_c for r in today.rungs if r.key == key)

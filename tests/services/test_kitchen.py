"""Settings, registration, forms as typed, candy, concurrency, prints' figures."""

import re
import threading
from datetime import timedelta

from lumbrel.core.physics import air, water
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.facts import RefractometerFacts
from lumbrel.services.base.form import BadInput, Form
from lumbrel.services.candy import plan
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day import ladder
from lumbrel.services.day.pressure import pressure_at
from lumbrel.services.kitchen import register, settings
from lumbrel.services.pan.rate import learned_rate
from lumbrel.services.stations import slip
from lumbrel.services.take_in.opening import open_batch
from lumbrel.store.db import opened
from lumbrel.store.instruments import (
    HydrometerDetail,
    RefractometerDetail,
    instruments,
    instruments_of,
)
from lumbrel.store.kitchen import Kitchen, load_kitchen, vessels
from lumbrel.words import LANGUAGES, speaking
from tests.support.kitchen import NOON, KitchenCase


class Settings(KitchenCase):
    def test_registering_your_own(self) -> None:
        for what, fields in (
            (
                "vessel",
                {
                    "name": "Big pan",
                    "shape": "rectangular",
                    "purpose": "finisher",
                    "length": "24 in",
                    "width": "16 in",
                },
            ),
            ("woodlot", {"name": "Ridge", "sugar_kind": "walnut"}),
            ("thermometer", {"name": "Glass one", "sort": "glass"}),
            (
                "hydrometer",
                {
                    "name": "Short stem",
                    "low": "50",
                    "high": "70",
                    "glass": "borosilicate",
                    "true_at": "68 F",
                },
            ),
            ("refractometer", {"name": "Sap prism", "low": "0", "high": "32", "compensated": "1"}),
        ):
            register.add_to_kitchen(self.db, what, fields, NOON)
            with self.assertRaises(BadInput) as caught:
                register.add_to_kitchen(self.db, what, fields, NOON)
            self.assertIn("already", caught.exception.errors["name"])
        self.assertAlmostEqual(vessels(self.db)[-1].sizes_mm[0], 609.6)
        stem = next(i for i in instruments_of(self.db, HydrometerDetail) if i.name == "Short stem")
        self.assertAlmostEqual(stem.detail.calibration_temperature_c, 20.0)
        code = self.take_in()
        with self.assertRaises(BadInput) as caught:
            prism = next(i for i in instruments_of(self.db, RefractometerDetail) if i.name == "Sap prism")
            self.put(code, "refractometer", 20, instrument=prism.id, reading="32", sample="20 C")
        self.assertIn("end of its range", caught.exception.asks["reading"])

    def test_refused_registrations_leave_nothing(self) -> None:
        before = len(instruments(self.db)), len(vessels(self.db))
        for what, fields, name in (
            ("vessel", {"name": "X", "shape": "oval", "purpose": "finisher"}, "shape"),
            (
                "vessel",
                {"name": "X", "shape": "round", "purpose": "finisher", "diameter": "2 km"},
                "diameter",
            ),
            ("hydrometer", {"name": "X", "low": "70", "high": "50", "glass": "soda-lime"}, "high"),
            (
                "hydrometer",
                {"name": "X", "low": "50", "high": "70", "glass": "soda-lime", "true_at": "60"},
                "true_at",
            ),
            ("thermometer", {"name": "", "sort": "dial"}, "name"),
        ):
            with self.subTest(what, fields=fields), self.assertRaises(BadInput) as caught:
                register.add_to_kitchen(self.db, what, fields, NOON)
            self.assertIn(name, caught.exception.errors)
        self.assertEqual((len(instruments(self.db)), len(vessels(self.db))), before)

    def test_a_bad_time_zone_is_refused(self) -> None:
        fields = {"name": "K", "target": "66.9", "margin": "0", "time_zone": "Nowhere/At all"}
        fields |= {f"unit_{kind}": unit for kind, unit in load_kitchen(self.db).units.items()}
        with self.assertRaises(BadInput) as caught:
            settings.save_settings(self.db, fields, NOON)
        self.assertEqual(list(caught.exception.errors), ["time_zone"])
        settings.save_settings(self.db, fields | {"time_zone": "America/Toronto"}, NOON)
        self.assertEqual(load_kitchen(self.db).time_zone, "America/Toronto")


class Typed(KitchenCase):
    def test_a_time_of_day_is_today_or_yesterday_and_never_ahead(self) -> None:
        zone = Kitchen(time_zone="UTC")
        for text, hours in (("11:30", -0.5), ("13.15", -22.75), ("", 0)):
            at = Form({"at": text}, zone).time_of_day("at", NOON)
            self.assertEqual(at, NOON + timedelta(hours=hours))
        # In a correction it is of the line's day, however long ago.
        old = NOON - timedelta(days=9, minutes=20)
        for text, hours in (("11:30", -0.5), ("13.15", 1.25), ("23:50", -12 - 1 / 6), ("", -1 / 3)):
            form = Form({"at": text}, zone, corrects_at=old)
            at = form.time_of_day("at", NOON)
            self.assertEqual(at, NOON + timedelta(days=-9, hours=hours), text)
        form = Form({"at": "25:99"}, zone)
        form.time_of_day("at", NOON)
        self.assertIn("14:25", form.errors["at"])

    def test_what_a_refusal_gives_as_an_example_is_understood_in_each_language(self) -> None:
        for language in LANGUAGES.values():
            for clock in ("24", "12"):
                with self.subTest(language.key, clock=clock), speaking(language):
                    kitchen = Kitchen(units=Kitchen().units | {"clock": clock})
                    wrong = Form({"at": "soon"}, kitchen)
                    wrong.time_of_day("at", NOON)
                    example = re.findall(r"\d+(?:\sh\s|:)\d\d(?:\s?[ap]\.?m\.?)?", str(wrong.errors["at"]))[0]
                    yesterday = "hier" if language.catalogue else "yesterday"
                    for text in (example, f"{yesterday} {example}", f"{wrong.example_day}, {example}"):
                        form = Form({"at": text}, kitchen)
                        form.time_of_day("at", NOON)
                        self.assertEqual(form.errors, {}, text)

    def test_an_id_that_is_none_is_replaced(self) -> None:
        self.assertEqual(Form({"id": "abcdefgh-1"}, Kitchen()).client_id(), "abcdefgh-1")
        for odd in ("", "short", "x" * 99, "'; DROP TABLE entry;--"):
            self.assertRegex(Form({"id": odd}, Kitchen()).client_id(), r"^[0-9a-f-]{36}$")


class Air(KitchenCase):
    def test_the_best_basis_wins_and_ages(self) -> None:
        elevation = pressure_at(self.db, load_kitchen(self.db), NOON)
        self.assertEqual((elevation.basis, elevation.sigma_pa), ("elevation", 800.0))
        self.assertAlmostEqual(elevation.pa, air.pressure_at_elevation_pa(418))
        day_entries.set_pressure(self.db, NOON, {"basis": "station", "pressure": "28.26 inHg"})
        fresh = pressure_at(self.db, load_kitchen(self.db), NOON)
        later = pressure_at(self.db, load_kitchen(self.db), NOON + timedelta(hours=11))
        self.assertAlmostEqual(fresh.pa, 28.26 * 3386.389, delta=0.1)
        self.assertGreater(later.sigma_pa, fresh.sigma_pa)
        gone = pressure_at(self.db, load_kitchen(self.db), NOON + timedelta(hours=13))
        self.assertEqual(gone.basis, "elevation")

    def test_earlier_boils_let_today_speak_of_the_boil_itself(self) -> None:
        day_entries.set_pressure(self.db, NOON, {"basis": "station", "pressure": "960 hPa"})
        boil = water.boiling_point_c(96_000)
        for i, offset in enumerate((0.5, 0.6, 0.7, 0.9)):
            day_entries.test_boil(
                self.db,
                NOON + timedelta(minutes=i),
                {"thermometer": "probe-1", "reading": f"{boil + offset:.3f}"},
            )
        row = ladder.today(self.db, NOON + timedelta(hours=1), "probe-1").bases[0]
        self.assertAlmostEqual(row.boil_c, boil + 0.9 - 0.6, delta=2e-3)
        self.assertGreater(row.sigma_k, 0.15)

    def test_birch_stands_higher_on_the_ladder(self) -> None:
        def finish(kind: str) -> float:
            rungs = ladder.today(self.db, NOON, "", kind).rungs
            return next(r.above_water_k for r in rungs if r.rank == "finish")

        self.assertGreater(finish("birch") - finish("maple"), 1.5)


class Together(KitchenCase):
    def test_many_hands_write_at_once_and_each_line_once(self) -> None:
        code = self.take_in()
        failures: list[Exception] = []

        def hand(i: int) -> None:
            try:
                with opened(self.path) as db:
                    for j in range(6):
                        fields = {"id": f"hand-line-{(i % 4):02d}-{j:02d}", "text": f"{i % 4} {j}"}
                        slip.put(db, code, "note", fields, NOON + timedelta(minutes=j))
            except Exception as error:
                failures.append(error)

        hands = [threading.Thread(target=hand, args=(i,)) for i in range(8)]
        for one in hands:
            one.start()
        for one in hands:
            one.join()
        self.assertEqual(failures, [])
        self.assertEqual(len(contexts.load(self.db, code, NOON).entries), 1 + 4 * 6)

    def together(self, calls) -> tuple[list, list[BadInput]]:
        """What calls that start at once return, and what refused them."""
        done: list = []
        refused: list[BadInput] = []
        gate = threading.Barrier(len(calls))

        def run(call) -> None:
            with opened(self.path) as db:
                gate.wait()
                try:
                    done.append(call(db))
                except BadInput as bad:
                    refused.append(bad)

        threads = [threading.Thread(target=run, args=(call,)) for call in calls]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        return done, refused

    def test_two_take_ins_or_draws_at_once_take_turns(self) -> None:
        fields = {
            "vessel": "finisher-2",
            "sugar_kind": "maple",
            "woodlot": "north-kiln",
            "amount_by": "mass",
            "amount": "30 kg",
            "brix": "45",
            "temperature": "60 C",
        }
        same = fields | {"id": "take-in-twice"}
        done, refused = self.together([lambda db: open_batch(db, NOON, same)] * 6)
        self.assertEqual((len(set(done)), len(done), refused), (1, 6, []))
        other = fields | {"vessel": "finisher-1"}
        done, refused = self.together([lambda db: open_batch(db, NOON, other)] * 6)
        self.assertEqual((len(done), len(refused)), (1, 5))
        code, at = done[0], NOON + timedelta(minutes=90)
        slip.put(self.db, code, "refractometer", {"reading": "66.9", "sample": "20 C"}, at)
        done, refused = self.together([lambda db: slip.put(db, code, "draw", {}, at)] * 6)
        self.assertEqual((len(done), len(refused)), (1, 5))
        line = contexts.load(self.db, code, at).first(RefractometerFacts)
        change = {"reading": "66.8", "sample": "20 C", "supersedes": line.id, "why": "misread"}
        done, refused = self.together([lambda db: slip.put(db, code, "refractometer", change, at)] * 4)
        self.assertEqual((len(done), len(refused)), (1, 3))

    def test_a_vessel_learns_its_rate_from_three_draws(self) -> None:
        vessel = vessels(self.db)[1]
        self.assertEqual(learned_rate(self.db, vessel, NOON + timedelta(days=9))[2], 0)
        for i in range(3):
            begin = i * 300
            code = self.take_in(NOON + timedelta(minutes=begin))
            self.put(code, "boiling", begin + 15)
            for minute in (50, 80):
                brix = 1350 / (30 - 0.15 * (minute - 15))
                self.put(code, "refractometer", begin + minute, reading=f"{brix:.1f}", sample="20 C")
            self.put(code, "draw", begin + 80, mass_confirmed="1")
        rate, sigma, count = learned_rate(self.db, vessel, NOON + timedelta(days=9))
        self.assertEqual(count, 3)
        self.assertAlmostEqual(rate, 0.15, delta=0.01)
        self.assertLess(sigma, 0.02)


class Candy(KitchenCase):
    def test_a_plan_for_every_confection(self) -> None:
        page = plan.page(self.db, NOON, {"syrup": "10 lb", "brix": "66.9", "piece": "cream"})
        self.assertEqual(len(page.plans), 8)
        self.assertEqual(page.chosen.confection.key, "cream")
        self.assertAlmostEqual(page.syrup_kg, 4.5359, delta=1e-3)
        out = page.syrup_kg * 66.9 / page.chosen.solids_brix * 0.96
        self.assertAlmostEqual(page.chosen.mass_out_kg, out, delta=1e-9)
        colder = page.chosen.supersaturation
        stirred = next(p for p in page.plans if p.confection.key == "stirred-sugar")
        self.assertGreater(colder, stirred.supersaturation)
        self.assertEqual([p.confection.key for p in page.plans if p.hazard][-1], "hard-drops")
        with self.assertRaises(BadInput):
            plan.page(self.db, NOON, {"syrup": "ten"})

"""From the draw to the shelf: what is drawn, weighed, labelled and counted, against figures worked
out by hand. One litre of syrup of 66.9 Brix weighs 1.331 kg at 20 degC."""

import json
from dataclasses import replace
from datetime import timedelta

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.facts import DrawFacts
from lumbrel.services.base.form import BadInput
from lumbrel.services.base.said import in_full
from lumbrel.services.bench import checks
from lumbrel.services.candy import plan
from lumbrel.services.colour.row import row_of
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day import ladder
from lumbrel.services.jar import labels
from lumbrel.services.jar.choices import choices
from lumbrel.services.jar.filling import filling
from lumbrel.services.kitchen.overview import overview
from lumbrel.services.pan import series
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.pan.entries import DEFOAMERS
from lumbrel.services.pan.rate import learned_rate
from lumbrel.services.record.compared import differences
from lumbrel.services.shelf import lots
from lumbrel.services.shelf.trace import summary
from lumbrel.services.stations import slip
from lumbrel.services.take_in.charge import TakenIn, charge
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import BarometerDetail, Instrument, add_instrument
from lumbrel.store.kitchen import load_kitchen, save_kitchen, vessels
from lumbrel.store.samples import Sample
from tests.support.kitchen import NOON, KitchenCase, struck_as_before

BAROMETER = Instrument(id="barometer", name="Barometer", detail=BarometerDetail(shows="station"))
SYRUP_KG_PER_L = 1.331
JARS = {"fill": "85 C", "lot": "A1", "size_1": "500 ml", "count_1": "20"}


class Drawn(KitchenCase):
    """Batches up to the draw."""

    def drawn(self, vessel: str = "finisher-2", brix: float = 66.9, **more: str) -> str:
        """A batch of 30 kg at 45 Brix, boiled 70 minutes and drawn."""
        code = self.take_in(vessel=vessel, **more)
        self.put(code, "boiling", 15)
        self.put(code, "refractometer", 85, reading=f"{brix}", sample="20 C")
        self.put(code, "draw", 85)
        return code

    def at(self, code: str, minutes: float = 300) -> contexts.BatchContext:
        return contexts.load(self.db, code, NOON + timedelta(minutes=minutes))

    def refused(self, name: str, code: str, kind: str, **fields: str) -> None:
        with self.assertRaises(BadInput) as caught:
            self.put(code, kind, 120, **fields)
        self.assertIn(name, caught.exception.errors | caught.exception.asks)


class AfterThePan(Drawn):
    def test_corrected_jars_count_once(self) -> None:
        code = self.drawn()
        first = self.put(code, "jar", 100, **JARS)
        again = JARS | {"count_1": "18", "supersedes": first.id, "why": "two broke"}
        self.put(code, "jar", 110, **again)
        shelf = lots.find(self.db, NOON)
        self.assertEqual((shelf.jar_count, shelf.volume_l), (18, 9.0))

    def test_yield_is_what_of_the_sugar_stands_in_jars(self) -> None:
        code = self.drawn()
        self.assertIsNone(summary(self.at(code))["yield_percent"])
        self.put(code, "jar", 100, **JARS)
        sugar = 10 * SYRUP_KG_PER_L * 0.672
        figures = summary(self.at(code))
        self.assertAlmostEqual(figures["yield_percent"], 100 * sugar / (30 * 0.45), delta=0.5)

    def test_a_label_says_what_its_jar_weighs(self) -> None:
        code = self.drawn()
        self.put(code, "jar", 100, **JARS, size_2="250 ml", count_2="4")
        said = [(label.count, label.mass_g) for label in labels.labels(self.db, code, NOON)]
        for (count, grams), (jars, litres) in zip(said, ((20, 0.5), (4, 0.25)), strict=True):
            self.assertEqual(count, jars)
            self.assertAlmostEqual(grams, 1000 * litres * SYRUP_KG_PER_L, delta=2)

    def test_candy_is_not_jarred(self) -> None:
        code = self.drawn()
        self.put(code, "refractometer", 95, reading="79.5", sample="20 C", reading_confirmed="1")
        self.put(code, "jar", 100, **JARS)
        code = self.drawn("finisher-1")
        self.put(code, "refractometer", 95, reading="80.5", sample="20 C", reading_confirmed="1")
        self.refused("kind", code, "jar", **JARS | {"lot": "B2"})

    def test_every_defoamer_brings_its_own_allergen(self) -> None:
        with_milk = {"butter", "margarine", "cream"}
        self.assertLess(with_milk, set(DEFOAMERS))
        for name in DEFOAMERS:
            code = self.take_in(id=f"take-in-{name}", vessel="finisher-2")
            self.put(code, "foam", 30, defoamer="oil")
            self.put(code, "foam", 31, defoamer=name)
            self.put(code, "refractometer", 85, reading="66.9", sample="20 C")
            self.put(code, "draw", 85)
            self.put(code, "jar", 100, **JARS | {"lot": f"lot {name}"})
            said = labels.labels(self.db, code, NOON)[0].allergens
            self.assertEqual(said, ("milk",) if name in with_milk else (), name)

    def test_a_hot_pan_carries_the_syrup_on_after_the_draw(self) -> None:
        code = self.drawn()
        drawn = self.at(code).first(DrawFacts).facts.brix
        after = after_draw(self.at(code))
        self.assertAlmostEqual(after.brix, drawn / 0.995, delta=0.01)

    def test_another_batchs_lot_is_refused_and_a_second_of_its_own_is_not(self) -> None:
        self.put(self.drawn(), "jar", 100, **JARS)
        code = self.drawn("finisher-1")
        self.refused("lot", code, "jar", **JARS)
        self.put(code, "jar", 120, **JARS | {"lot": "B2"})
        more = {"lot": "C3", "count_1": "6", "size_1_confirmed": "1"}
        self.put(code, "jar", 125, **JARS | more)
        self.assertEqual({lot.code for lot in lots.find(self.db, NOON).lots}, {"A1", "B2", "C3"})

    def test_the_dipstick_knows_of_the_sugar_that_was_put_in(self) -> None:
        code = self.take_in(vessel="finisher-1")
        self.put(code, "boiling", 15)
        self.put(code, "added", 30, mass="4 kg", brix="60")
        self.put(code, "depth", 40, depth="96 mm")
        context = self.at(code)
        reading = in_full(context, context.current[-1])
        assert reading is not None
        solids = next(step.value for step in reading.steps if step.label == "solids")
        self.assertAlmostEqual(solids, 30 * 0.45 + 4 * 0.60, delta=0.001)

    def test_the_barometer_rises_and_falls_as_it_does(self) -> None:
        add_instrument(self.db, BAROMETER)
        for day, change in enumerate((-300.0, 450.0)):
            noon = NOON + timedelta(days=day)
            for hours, pa in ((-3.1, 96000.0), (-0.1, 96000.0 + change)):
                at = noon + timedelta(hours=hours)
                samples_store.add_samples(self.db, BAROMETER.id, [Sample(at, pa)])
            self.assertAlmostEqual(overview(self.db, noon).trend, change)

    def test_a_run_in_fahrenheit_is_the_same_run(self) -> None:
        code = self.take_in(vessel="finisher-1")
        sent = [Sample(NOON + timedelta(minutes=m), 20.0 + m) for m in range(1, 60)]
        samples_store.add_samples(self.db, "probe-1", sent)
        lines = slip.lines(self.at(code, 60))
        celsius = json.loads(series.as_json(self.at(code, 60), lines))["samples"]
        kitchen = load_kitchen(self.db)
        save_kitchen(self.db, replace(kitchen, units=kitchen.units | {"temperature": "F"}), NOON)
        told = json.loads(series.as_json(self.at(code, 60), lines))
        self.assertEqual((told["unit"], told["samples"]["at"]), ("°F", celsius["at"]))
        for fahrenheit, c in zip(told["samples"]["value"], celsius["value"], strict=True):
            self.assertAlmostEqual((fahrenheit - 32) / 1.8, c, delta=0.01)

    def test_a_lot_opens_though_its_draw_was_struck(self) -> None:
        code = self.drawn()
        self.put(code, "jar", 100, **JARS)
        draw = self.at(code).first(DrawFacts)
        why = {"supersedes": draw.id, "why": "wrong pan"}
        with self.assertRaises(BadInput) as caught:
            slip.strike(self.db, code, why, NOON + timedelta(minutes=110))
        self.assertIn("jarred", caught.exception.errors["why"])
        # Earlier versions let it be struck.
        struck_as_before(self.db, draw)
        self.assertIsNone(summary(self.at(code))["final_brix"])
        self.assertEqual(lots.batch_of_lot(self.db, "A1"), code)


class Kept(Drawn):
    """What one batch, vessel or day teaches is not another's."""

    def test_the_pressure_typed_last_is_the_one_that_counts(self) -> None:
        for hours, hpa in ((-3, "955 hPa"), (-1, "965 hPa")):
            at = NOON + timedelta(hours=hours)
            day_entries.set_pressure(self.db, at, {"basis": "station", "pressure": hpa})
        self.assertAlmostEqual(ladder.today(self.db, NOON).pressure.pa, 96500.0)

    def test_a_barometers_own_error_is_taken_off_what_is_typed_from_it(self) -> None:
        add_instrument(self.db, BAROMETER)
        checks.take_scale_check(self.db, BAROMETER, NOON, {"reading": "970 hPa", "true": "966 hPa"})
        at = NOON + timedelta(minutes=5)
        fields = {"basis": "station", "pressure": "964 hPa", "barometer": BAROMETER.id}
        day_entries.set_pressure(self.db, at, fields)
        self.assertAlmostEqual(ladder.today(self.db, at).pressure.pa, 96000.0)

    def test_a_flaw_seen_beside_a_meter_keeps_it_from_a_grade(self) -> None:
        code = self.drawn()
        fields = {"by": "meter", "transmittance": "80", "path": "10 mm"}
        self.assertFalse(self.put(code, "colour", 90, **fields).facts.for_processing)
        code = self.drawn("finisher-1")
        self.assertTrue(self.put(code, "colour", 90, **fields, scorched="1").facts.for_processing)

    def test_cloud_and_a_taste_that_does_not_fit_are_asked_about(self) -> None:
        code = self.drawn()
        self.put(code, "filter", 85, method="layers", temperature="90 C", clarity="cloudy")
        fields = {"by": "meter", "transmittance": "80", "path": "10 mm", "taste": "robust"}
        with self.assertRaises(BadInput) as asked:
            self.put(code, "colour", 90, **fields)
        self.assertEqual(set(asked.exception.asks), {"cloudy", "taste"})
        done = self.put(code, "colour", 90, **{**fields, "taste": "rich"}, cloudy="1")
        self.assertEqual((done.facts.flaws, done.facts.taste), (("cloudy",), "rich"))

    def test_an_eye_says_between_which_and_no_bare_name(self) -> None:
        code = self.drawn()
        self.put(code, "filter", 95, method="felt", temperature="90 C")
        seen = self.put(code, "colour", 100, by="eye", seen="75-62").facts
        self.assertEqual((seen.grade, seen.between), ("Amber", (75.0, 62.0)))
        self.assertTrue(0.05 < seen.chances["Golden"] < 0.2)
        row = row_of(self.at(code))
        self.assertEqual(row.limits, (62.0, 75.0))
        self.assertEqual([code for code, _ in row.season], [code])
        self.assertEqual(differences(self.db), [])
        line = next(one for one in slip.lines(self.at(code)) if one.entry.kind == "colour")
        self.assertIn("Golden", line.detail)

    def test_a_blank_that_is_not_set_to_a_hundred_is_allowed_for(self) -> None:
        code = self.drawn()
        meter = {"by": "meter", "path": "10 mm"}
        self.refused("transmittance", code, "colour", transmittance="96", blank="95", **meter)
        self.refused("blank", code, "colour", transmittance="40", blank="20", **meter)
        seen = self.put(code, "colour", 100, transmittance="57", blank="95", **meter).facts
        self.assertAlmostEqual(seen.transmittance_10mm_percent, 60.0)

    def test_what_was_put_in_boiled_off_too(self) -> None:
        rates = []
        for vessel, added in (("finisher-1", 0.0), ("finisher-2", 3.0)):
            code = self.take_in(vessel=vessel)
            self.put(code, "boiling", 15)
            if added:
                self.put(code, "added", 30, mass=f"{added} kg", brix="0")
            self.put(code, "refractometer", 85, reading="66.9", sample="20 C")
            draw = self.put(code, "draw", 85, mass_confirmed="1").facts
            lost = 30 + added - draw.mass_kg
            rates.append(draw.rate_kg_per_min * 70 - lost)
        for difference in rates:
            self.assertAlmostEqual(difference, 0.0, delta=0.6)

    def test_each_vessel_learns_of_its_own_draws_only(self) -> None:
        for _ in range(3):
            self.drawn("finisher-2")
        finisher_1, finisher_2, _ = vessels(self.db)
        self.assertEqual(learned_rate(self.db, finisher_2, NOON + timedelta(days=2)).draws, 3)
        self.assertEqual(learned_rate(self.db, finisher_1, NOON + timedelta(days=2)).draws, 0)

    def test_a_hot_charge_stands_higher_than_a_cold_one(self) -> None:
        finisher_1 = vessels(self.db)[0]
        depths = []
        for celsius in (20.0, 90.0):
            taken = TakenIn(
                vessel=finisher_1,
                mass_kg=30.0,
                brix=45.0,
                temperature_c=celsius,
                target_brix=66.9,
                sugar_kind="maple",
            )
            depths.append(charge(self.db, taken, NOON).depth_now_mm)
        # 30 kg of 1203 kg/m3 on 0.24 m2; from 20 to 90 degC it grows by 3.7 percent.
        self.assertAlmostEqual(depths[0], 30 / 1.203 / 0.24, delta=0.6)
        self.assertAlmostEqual(depths[1] / depths[0], 1.037, delta=0.004)

    def test_the_shelf_is_searched_by_woodlot_and_counts_what_it_shows(self) -> None:
        self.put(self.drawn(), "jar", 100, **JARS)
        other = self.drawn("finisher-1", woodlot="tern-lot")
        self.put(other, "jar", 100, **JARS | {"lot": "B2", "count_1": "16"})
        found = lots.find(self.db, NOON, woodlot="Tern Lot")
        self.assertEqual([lot.code for lot in found.lots], ["B2"])
        self.assertEqual((found.jar_count, found.volume_l, found.total), (16, 8.0, 2))

    def test_jars_offered_are_what_the_filter_lets_through(self) -> None:
        code = self.drawn()
        after = after_draw(self.at(code))
        (size, count), *_ = choices(self.at(code)).rows
        litres = 0.97 * after.mass_kg / SYRUP_KG_PER_L
        self.assertEqual(size, "500 ml")
        self.assertAlmostEqual(int(count), litres / 0.5, delta=1.01)
        filled = filling(self.at(code))
        self.assertAlmostEqual(filled.volume_l, after.mass_kg / SYRUP_KG_PER_L, delta=0.05)
        self.assertAlmostEqual(filled.bigger, 0.03, delta=0.006)

    def test_thinner_syrup_brings_it_to_its_own_target(self) -> None:
        code = self.take_in(target="67.5")
        self.put(code, "refractometer", 85, reading="69.0", sample="20 C")
        self.put(code, "draw", 85, mass="20 kg")
        after = after_draw(self.at(code))
        more = after.thinner_kg(60.0)
        mixed = (20 * after.brix + more * 60.0) / (20 + more)
        self.assertAlmostEqual(mixed, 67.5, delta=0.001)

    def test_a_forecast_typed_as_the_barometers_is_asked_about(self) -> None:
        with self.assertRaises(BadInput) as caught:
            fields = {"basis": "station", "pressure": "1013 hPa"}
            day_entries.set_pressure(self.db, NOON, fields)
        self.assertIn("reduced to sea level", caught.exception.asks["pressure"])

    def test_crystal_and_yield_of_a_confection(self) -> None:
        page = plan.page(self.db, NOON, {"syrup": "4 kg", "brix": "66.9"})
        firm = next(p for p in page.plans if p.confection.key == "moulded-sugar-firm")
        # At 20 degC 100 g of saturated syrup hold 66.7 g of sugar; 4 percent stay in the pot.
        solids = firm.solids_brix / 100
        self.assertAlmostEqual(firm.crystal_fraction, (solids - 0.667) / (1 - 0.667), delta=0.005)
        self.assertAlmostEqual(firm.mass_out_kg, 4 * 0.669 / solids * 0.96, delta=0.01)

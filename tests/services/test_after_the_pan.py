"""From the draw to the shelf: what is drawn, weighed, labelled and counted, against figures worked
out by hand. One litre of syrup of 66.9 Brix weighs 1.331 kg at 20 degC."""

import json
from dataclasses import replace
from datetime import timedelta

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.facts import DrawFacts
from lumbrel.services.base.form import BadInput
from lumbrel.services.jar import labels
from lumbrel.services.kitchen.overview import overview
from lumbrel.services.pan import series
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.pan.entries import DEFOAMERS
from lumbrel.services.shelf import lots
from lumbrel.services.shelf.trace import summary
from lumbrel.services.stations import slip
from lumbrel.store import samples as samples_store
from lumbrel.store.instruments import BarometerDetail, Instrument, add_instrument
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from lumbrel.store.samples import Sample
from tests.support.kitchen import NOON, KitchenCase

BAROMETER = Instrument("barometer", "Barometer", BarometerDetail(shows="station"))
SYRUP_KG_PER_L = 1.331
JARS = {"fill": "85 C", "lot": "A1", "size_1": "500 ml", "count_1": "20"}


class AfterThePan(KitchenCase):
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

    def test_corrected_jars_count_once(self) -> None:
        code = self.drawn()
        first = self.put(code, "jar", 100, **JARS)
        again = JARS | {"count_1": "18", "supersedes": first.id, "why": "two broke"}
        self.put(code, "jar", 110, **again)
        shelf = lots.find(self.db)
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

    def test_another_batchs_lot_is_refused_and_so_is_a_second_of_its_own(self) -> None:
        self.put(self.drawn(), "jar", 100, **JARS)
        code = self.drawn("finisher-1")
        self.refused("lot", code, "jar", **JARS)
        self.put(code, "jar", 120, **JARS | {"lot": "B2"})
        self.refused("lot", code, "jar", **JARS | {"lot": "C3"})

    def test_the_dipstick_knows_of_the_sugar_that_was_put_in(self) -> None:
        code = self.take_in(vessel="finisher-1")
        self.put(code, "boiling", 15)
        self.put(code, "added", 30, mass="4 kg", brix="60")
        self.put(code, "depth", 40, depth="96 mm")
        reading = slip.lines(self.at(code))[-1].reading
        solids = next(step.value for step in reading.steps if step.label == "solids")
        self.assertAlmostEqual(solids, 30 * 0.45 + 4 * 0.60, delta=0.001)

    def test_the_barometer_rises_and_falls_as_it_does(self) -> None:
        add_instrument(self.db, BAROMETER)
        for change in (-300.0, 450.0):
            for hours, pa in ((-3.1, 96000.0), (-0.1, 96000.0 + change)):
                at = NOON + timedelta(hours=hours)
                samples_store.add_samples(self.db, BAROMETER.id, [Sample(at, pa)])
            self.assertAlmostEqual(overview(self.db, NOON).trend, change)
            self.db.execute("DELETE FROM sample")

    def test_a_run_in_fahrenheit_is_the_same_run(self) -> None:
        code = self.take_in(vessel="finisher-1")
        sent = [Sample(NOON + timedelta(minutes=m), 20.0 + m) for m in range(1, 60)]
        samples_store.add_samples(self.db, "probe-1", sent)
        lines = slip.lines(self.at(code, 60))
        celsius = json.loads(series.as_json(self.at(code, 60), lines))["samples"]
        kitchen = load_kitchen(self.db)
        save_kitchen(self.db, replace(kitchen, units=kitchen.units | {"temperature": "F"}))
        told = json.loads(series.as_json(self.at(code, 60), lines))
        self.assertEqual((told["unit"], told["samples"]["at"]), ("°F", celsius["at"]))
        for fahrenheit, c in zip(told["samples"]["value"], celsius["value"], strict=True):
            self.assertAlmostEqual((fahrenheit - 32) / 1.8, c, delta=0.01)

    def test_a_lot_opens_though_its_draw_was_struck(self) -> None:
        code = self.drawn()
        self.put(code, "jar", 100, **JARS)
        draw = self.at(code).first(DrawFacts)
        why = {"supersedes": draw.id, "why": "wrong pan"}
        slip.strike(self.db, code, why, NOON + timedelta(minutes=110))
        self.assertIsNone(summary(self.at(code))["final_brix"])
        self.assertEqual(lots.batch_of_lot(self.db, "A1"), code)

"""Blending: what comes of it, how much makes a class, and what flows."""

import json
import random
from dataclasses import replace
from datetime import timedelta
from uuid import uuid4

from lumbrel.core.colour.blend import PartOfBlend, blend, within_class
from lumbrel.core.colour.grades import CLASSES, colour_class
from lumbrel.core.errors import OutOfRange
from lumbrel.exchange import logbook, logbook_in
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.facts import AddedFacts
from lumbrel.services.base.form import BadInput
from lumbrel.services.colour import blend as bench
from lumbrel.services.colour import blended
from lumbrel.services.kitchen import safekeeping
from lumbrel.services.pan.drawn import after_draw
from lumbrel.services.record.kept import ready
from lumbrel.services.shelf.accounts import accounts
from lumbrel.services.stations import slip
from lumbrel.store import jars
from lumbrel.store.db import IdReused
from lumbrel.store.db import opened as opened_record
from tests.support.kitchen import NOON, KitchenCase

LATER = NOON + timedelta(hours=4)


def part(litres: float, light: float, brix: float = 66.9, sigma: float = 1.0) -> PartOfBlend:
    return PartOfBlend(volume_l=litres, brix=brix, transmittance_percent=light, sigma_points=sigma)


class Arithmetic(KitchenCase):
    def test_solids_mass_and_absorbance_are_kept(self) -> None:
        parts = [part(10, 80, 67.5), part(5, 40, 66.2), part(0.4, 100, 0, 0.01), part(0, 1)]
        come = blend(parts)
        solids = sum(p.mass_kg * p.brix for p in parts)
        self.assertAlmostEqual(come.mass_kg * come.brix, solids, places=6)
        self.assertAlmostEqual(come.mass_kg, sum(p.mass_kg for p in parts), places=9)
        self.assertAlmostEqual(come.transmittance_percent, 100 * (0.8**10 * 0.4**5) ** (1 / 15.4))
        self.assertLess(come.volume_l, 15.4, "water and syrup take less room together")
        for nothing in ([], [part(0, 50)]):
            with self.assertRaisesRegex(OutOfRange, "above zero"):
                blend(nothing)

    def test_its_doubt_is_that_of_parts_that_are_off(self) -> None:
        chance = random.Random(3)
        parts = [part(10, 70, sigma=3), part(6, 30, sigma=4)]
        said = blend(parts)
        found = []
        for _ in range(4000):
            off = [
                replace(
                    p,
                    transmittance_percent=max(chance.gauss(p.transmittance_percent, p.sigma_points), 1),
                )
                for p in parts
            ]
            found.append(blend(off).transmittance_percent)
        mean = sum(found) / len(found)
        spread = (sum((one - mean) ** 2 for one in found) / len(found)) ** 0.5
        self.assertAlmostEqual(spread, said.sigma_points, delta=0.15)

    def test_how_much_makes_a_class(self) -> None:
        """At the least and the most it is the class 9 times in 10, a little outside it is not."""
        kettle, more = part(12, 45), part(20, 85)
        for wanted in ("Amber", "Dark"):
            within = within_class([kettle], more, wanted)
            assert within
            for litres, outside in ((within.least_l, -0.1), (within.most_l, 0.1)):
                at = blend([kettle, replace(more, volume_l=litres)])
                self.assertGreaterEqual(at.chances[wanted], 0.8999)
                if 0 < litres < more.volume_l:
                    beyond = blend([kettle, replace(more, volume_l=litres + outside)])
                    self.assertLess(beyond.chances[wanted], 0.9)
        self.assertIsNone(within_class([kettle], more, "Very Dark"))
        with self.assertRaises(OutOfRange):
            within_class([kettle], more, "Clear")


class Recorded(KitchenCase):
    def setUp(self) -> None:
        super().setUp()
        self.light = self.drawn("finisher-1", "85")
        self.dark = self.drawn("finisher-2", "40")
        self.jarred = self.drawn("finisher-2", "20")
        self.put(self.jarred, "jar", 80, fill="86 C", lot="J", size_1="500 ml", count_1="10")

    def drawn(self, vessel: str, light: str) -> str:
        code = self.take_in(vessel=vessel)
        self.put(code, "draw", 60, mass="19.9 kg")
        self.put(code, "colour", 70, by="meter", transmittance=light, path="10 mm")
        return code

    def pour(self, code: str, **fields: str) -> None:
        given = {"id": str(uuid4()), **fields}
        blended.record_blend(self.db, code, given, LATER)

    def test_a_blend_is_on_the_slips_and_in_the_flow(self) -> None:
        before, of_dark = (
            after_draw(contexts.load(self.db, code, LATER)) for code in (self.light, self.dark)
        )
        fields = {
            "id": str(uuid4()),
            "b": f"kettle {self.dark}",
            "litres_b": "3 L",
            "c": "lot J 500",
            "litres_c": "2 L",
        }
        for _ in range(2):
            blended.record_blend(self.db, self.light, fields, LATER)
        with self.assertRaises(IdReused):
            blended.record_blend(self.db, self.light, {**fields, "litres_b": "4 L"}, LATER)
        context = contexts.load(self.db, self.light, LATER)
        after = after_draw(context)
        self.assertAlmostEqual(after.volume_l, before.volume_l + 5, delta=0.01)
        whole = (0.85**before.volume_l * 0.4**3 * 0.2**2) ** (1 / (before.volume_l + 5))
        titles = [line.title for line in slip.lines(context)]
        self.assertEqual(titles[-1], f"Colour {colour_class(100 * whole)}")
        self.assertEqual(jars.jars_of(self.db, "J")[0].count, 6)
        giver = contexts.load(self.db, self.dark, LATER)
        self.assertAlmostEqual(after_draw(giver).volume_l, of_dark.volume_l - 3, delta=0.02)
        self.assertIn(f"poured into {self.light}", slip.lines(giver)[-1].title)
        self.assertEqual(safekeeping.check(self.path).problems, [])

    def test_what_was_poured_can_be_struck(self) -> None:
        """The jars stand on the shelf again, the kettle is as full as before, the giver too."""
        before = after_draw(contexts.load(self.db, self.light, LATER)).mass_kg
        self.pour(self.light, b="lot J 500", litres_b="2 L", c=f"kettle {self.dark}", litres_c="1 L")
        for line in contexts.load(self.db, self.light, LATER).of_kind(AddedFacts):
            why = {"supersedes": line.id, "why": "spilt", "id": str(uuid4())}
            slip.strike(self.db, self.light, why, LATER)
        self.assertAlmostEqual(after_draw(contexts.load(self.db, self.light, LATER)).mass_kg, before)
        self.assertEqual(jars.jars_of(self.db, "J")[0].count, 10)
        self.assertEqual(safekeeping.check(self.path).problems, [])

    def test_sugar_that_is_packed_twice_is_owed_once(self) -> None:
        first = accounts(self.db, 2026).total
        self.pour(self.light, b="lot J 500", litres_b="5 L")
        opened = accounts(self.db, 2026).total
        self.assertAlmostEqual(opened.packed_kg, 0.0)
        jars = {"lot": "B", "size_1": "500 ml", "count_1": "20"}
        packed = self.put(self.light, "jar", 300, fill="86 C", **jars).facts
        again = accounts(self.db, 2026).total
        self.assertGreater(first.packed_kg, 3)
        self.assertAlmostEqual(again.packed_kg, packed.mass_kg * packed.brix / 100)
        self.assertAlmostEqual(again.apart_kg, 0.0)

    def test_nothing_comes_back_through_opened_jars(self) -> None:
        """The jarred kettle's lot went into the light one: neither kettle nor jars go the other way."""
        self.pour(self.light, b="lot J 500", litres_b="1 L")
        with self.assertRaisesRegex(BadInput, "poured back"):
            self.put(self.jarred, "added", 250, **{"from": self.light, "mass": "1 kg"})
        self.put(self.light, "jar", 260, fill="86 C", lot="B", size_1="500 ml", count_1="4")
        with self.assertRaisesRegex(BadInput, "come back|packed already"):
            self.pour(self.jarred, b="lot B 500", litres_b="1 L")
        written = logbook.as_json(self.db)
        turned = json.loads(written)
        opened = next(one for one in turned["tables"]["line"] if one["facts"].get("from_lot"))
        opened["about_id"] = contexts.load(self.db, self.jarred, LATER).batch.id
        away = self.folder / "away.sqlite3"
        with opened_record(away) as other:
            ready(other)
            with self.assertRaises(logbook.NotTaken):
                logbook_in.take_in(other, json.dumps(turned))
            logbook_in.take_in(other, written)
        self.assertEqual(safekeeping.check(away).problems, [])

    def test_what_cannot_be_poured(self) -> None:
        own = contexts.load(self.db, self.light, LATER).entries
        for sentence, fields in {
            "above zero": {"b": f"kettle {self.dark}", "litres_b": "0"},
            "only": {"b": f"kettle {self.dark}", "litres_b": "200 L"},
            "from the list": {"b": "barrel 9", "litres_b": "1 L"},
            "pour the same": {"b": "water", "litres_b": "0.1 L", "c": "water", "litres_c": "0.1 L"},
            "zero or more": {"b": "water", "litres_b": "-1 L"},
            "itself": {"b": f"kettle {self.light}", "litres_b": "1 L"},
            "No jars of that size": {"b": "lot J 250", "litres_b": "1 L"},
        }.items():
            with self.subTest(sentence), self.assertRaisesRegex(BadInput, sentence):
                self.pour(self.light, **fields)
        with self.assertRaisesRegex(BadInput, "packed already"):
            self.pour(self.jarred, b="water", litres_b="0.1 L")
        self.assertEqual(len(contexts.load(self.db, self.light, LATER).entries), len(own))

    def test_a_volume_is_met_as_far_as_the_class_allows(self) -> None:
        context = contexts.load(self.db, self.light, LATER)
        asked = {"b": f"kettle {self.dark}", "wanted": "Amber"}
        plain = bench.bench(context, asked)
        assert plain.within
        here = plain.kettle.part.volume_l
        middle = (plain.within.least_l + plain.within.most_l) / 2
        for whole, wanted in (
            (here + middle, middle),
            (1.0, plain.within.least_l),
            (400.0, plain.within.most_l),
        ):
            found = bench.bench(context, {**asked, "volume": f"{whole} L"}).suggested_l
            self.assertAlmostEqual(found, wanted, places=4)
        with self.assertRaisesRegex(BadInput, "between 0.1 and 5000"):
            bench.bench(context, {**asked, "volume": "0"})

    def test_blended_water_thins_and_pales_as_said(self) -> None:
        at_hand = bench.bench(contexts.load(self.db, self.dark, LATER), {"b": "water"})
        source = at_hand.chosen[0]
        assert source
        told = blended.told(
            {
                "kettle": blended.as_text(at_hand.kettle),
                "b": blended.as_text(source),
                "litres_b": "0.5",
                "target": "66.9",
            }
        )
        assert isinstance(told, bench.BlendSaid)
        self.pour(self.dark, b="water", litres_b="0.5 L")
        after = after_draw(contexts.load(self.db, self.dark, LATER))
        self.assertAlmostEqual(after.brix, told.blended.brix, delta=0.01)
        self.assertIsInstance(blended.told({"kettle": "nonsense"}), str)
        self.assertEqual(set(told.blended.chances), {name for name, _, _ in CLASSES})

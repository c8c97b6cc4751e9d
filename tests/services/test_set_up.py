"""The three questions: what they make, what they ask, and that units count as they were chosen."""

import tempfile
import unittest
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.services.day import entries as day_entries
from lumbrel.services.day.ladder import today
from lumbrel.services.kitchen.settings import use_units
from lumbrel.services.kitchen.setup import set_up
from lumbrel.services.pan.choices import PanChoices, choices
from lumbrel.services.record.kept import ready
from lumbrel.services.take_in import opening
from lumbrel.store.db import connect
from lumbrel.store.instruments import instruments
from lumbrel.store.kitchen import load_kitchen, vessels, woodlots
from tests.support.kitchen import NOON

FEET = {"id": "set-up-0001", "where": "elevation", "units": "us", "elevation": "1371"}


class SetUp(unittest.TestCase):
    def setUp(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.db = connect(folder / "own.sqlite3")
        self.addCleanup(self.db.close)
        ready(self.db)

    def test_three_answers_equip_a_kitchen_and_lead_on(self) -> None:
        zone = {"time_zone": "America/Toronto"}
        leads = set_up(self.db, NOON, {**FEET, **zone, "candy_thermometer": "1", "wide": "9.5"})
        self.assertEqual(leads.href, "/day")
        kitchen = load_kitchen(self.db)
        self.assertAlmostEqual(kitchen.elevation_m, 417.9, delta=0.1)
        self.assertEqual(kitchen.time_zone, "America/Toronto")
        self.assertEqual((kitchen.units["mass"], kitchen.units["piece"]), ("lb", "oz"))
        pot = vessels(self.db)[0]
        self.assertEqual((pot.name, pot.purpose), ("Pot 1", "finisher"))
        self.assertAlmostEqual(pot.sizes_mm[0], 241.3)
        self.assertEqual([i.name for i in instruments(self.db)], ["Thermometer 1"])
        self.assertEqual(len(woodlots(self.db)), 1)
        # The first figure: what that thermometer shows when syrup is done.
        boil = {"id": "first-boil", "thermometer": instruments(self.db)[0].id, "reading": "209.5"}
        day_entries.test_boil(self.db, NOON + timedelta(minutes=2), boil)
        day = today(self.db, NOON + timedelta(minutes=3))
        self.assertTrue(day.chosen.tested)
        self.assertGreater(len(day.rungs), 4)

    def test_sent_twice_it_makes_one_kitchen(self) -> None:
        for _ in range(2):
            set_up(self.db, NOON, {**FEET, "hydrometer": "1", "refractometer": "1"})
        self.assertEqual(len(vessels(self.db)), 1)
        self.assertEqual(len(instruments(self.db)), 2)
        # What is there by then is not made again, whatever another screen says.
        set_up(self.db, NOON, {**FEET, "id": "set-up-else", "candy_thermometer": "1"})
        self.assertEqual(len(vessels(self.db)), 1)
        self.assertEqual(len(instruments(self.db)), 2)

    def test_only_what_is_owned_is_asked_for(self) -> None:
        def begun(**at_hand: str) -> PanChoices:
            set_up(self.db, NOON, {**FEET, **at_hand})
            page = opening.page(self.db, NOON)
            told = {"brix_by": "unknown", "raw_sap": "7 gal", "temperature": "180 F"}
            asked = {"id": "first-batch", "vessel": page.vessels[0].id, "sugar_kind": "maple"}
            much = {"amount": "3 gal", "amount_by": "volume", "woodlot": page.woodlots[0].id}
            with self.assertRaises(BadInput) as shallow:
                opening.open_batch(self.db, NOON, told | asked | much)
            self.assertIn("\u00a0in deep", shallow.exception.asks["amount"])
            sure = {"amount_confirmed": "1"}
            code = opening.open_batch(self.db, NOON, told | asked | much | sure)
            self.assertFalse(page.measures_density)
            return choices(contexts.load(self.db, code, NOON))

        found = begun(digital_thermometer="1")
        self.assertEqual(found.reads, ("thermometer", "sign", "depth", "event"))
        self.assertEqual(found.first, "thermometer")
        nothing = replace(found, thermometers=[])
        self.assertEqual((nothing.reads, nothing.first), (("sign", "depth", "event"), "sign"))

    def test_with_a_spoon_alone_it_leads_to_the_take_in(self) -> None:
        self.assertEqual(set_up(self.db, NOON, {**FEET, "spoon": "1"}).href, "/take-in?measure=volume")
        weighs = {**FEET, "id": "set-up-0002", "scale": "1"}
        self.assertEqual(set_up(self.db, NOON, weighs).href, "/take-in?measure=mass")
        self.assertEqual(instruments(self.db), [])

    def test_a_barometer_or_a_forecast_will_do(self) -> None:
        said = {"id": "set-up-0002", "where": "station", "units": "metric", "pressure": "957"}
        set_up(self.db, NOON, said)
        self.assertAlmostEqual(today(self.db, NOON).pressure.pa, 95_700, delta=1)

    def test_what_is_asked_leaves_nothing_half_written(self) -> None:
        for fields, name in (
            ({"elevation": "14000"}, "elevation"),
            ({"wide": "5 m"}, "wide"),
            ({"where": "station", "elevation": "1371", "pressure": "1013 hPa"}, "pressure"),
        ):
            with self.assertRaises(BadInput) as asked:
                set_up(self.db, NOON, {**FEET, **fields})
            self.assertIn(name, asked.exception.asks, fields)
            self.assertEqual(vessels(self.db), [])
            self.assertIsNone(load_kitchen(self.db).elevation_m)
        for fields, name in (
            ({"elevation": ""}, "elevation"),
            ({"elevation": "high"}, "elevation"),
            ({"units": "cubits"}, "units"),
            ({"where": "moon"}, "where"),
            ({"wide": "2 mm"}, "wide"),
            ({"time_zone": "Nowhere/Land"}, "time_zone"),
            ({"where": "forecast", "pressure": "1013 hPa", "elevation": ""}, "elevation"),
        ):
            with self.assertRaises(BadInput) as refused:
                set_up(self.db, NOON, {**FEET, **fields})
            self.assertIn(name, refused.exception.errors, fields)
        set_up(self.db, NOON, {**FEET, "elevation": "14000", "elevation_confirmed": "1"})
        self.assertAlmostEqual(load_kitchen(self.db).elevation_m, 4267, delta=1)

    def test_all_units_in_one_press(self) -> None:
        set_up(self.db, NOON, FEET)
        use_units(self.db, "imperial", NOON)
        self.assertEqual(load_kitchen(self.db).units["volume"], "igal")
        use_units(self.db, "metric", NOON)
        self.assertEqual(load_kitchen(self.db).units["temperature"], "C")
        with self.assertRaises(NotFound):
            use_units(self.db, "cubits", NOON)

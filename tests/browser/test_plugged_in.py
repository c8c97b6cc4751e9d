"""A thermometer is plugged in, in a real browser: from the port to the pan in four presses."""

import time
from datetime import timedelta

from playwright.sync_api import expect

from lumbrel.devices.pretend import PretendProbe
from lumbrel.devices.wires.simulated_pan import pan
from lumbrel.services.kitchen.example import load_example
from lumbrel.services.record.kept import ready
from lumbrel.services.take_in.opening import open_batch
from lumbrel.store.db import opened
from tests.support.kitchen import NOON
from tests.support.pages import BrowserCase


class PluggedIn(BrowserCase):
    def test_from_the_port_to_the_pan(self) -> None:
        record, began = self.folder / "plugged.sqlite3", time.monotonic()
        with opened(record) as db:
            ready(db)
            load_example(db, NOON)
            sent = {
                "vessel": "finisher-1",
                "sugar_kind": "maple",
                "woodlot": "upper-fold",
                "amount_by": "mass",
            }
            more = {"amount": "25 kg", "brix": "50", "temperature": "85 C", "id": "plug-1"}
            code = open_batch(db, NOON, sent | more)
        address = self.serve(record, lambda: NOON + timedelta(seconds=time.monotonic() - began))
        page = self.open()
        page.goto(f"{address}/pan/{code}")
        probe = PretendProbe(pan(), "Thermometer stick")
        self.addCleanup(probe.end)
        plugged = time.monotonic()
        page.get_by_role("link", name="Kitchen and units").click()
        page.get_by_role("link", name="Plugged in").click()
        expect(page.locator(".source .shows b")).to_contain_text("°C")
        page.get_by_role("button", name="Use as Probe 1").click()
        expect(page.locator(".source")).to_contain_text("is Probe 1")
        page.get_by_role("link", name="Pan").first.click()
        expect(page.locator("#verdict")).to_contain_text("Probe 1 shows 9")
        self.assertLess(time.monotonic() - plugged, 30)
        self.at_most(page, presses=4)
        page.go_back()
        probe.pull()
        expect(page.locator(".source")).to_contain_text("It is not plugged in")
        self.assertEqual(self.barriers(page), [])
        # Which rings on every page, as any probe that falls silent.
        self.quiet(page, lambda: page.get_by_role("button", name="Use it no more").click())
        expect(page.locator(".source")).to_have_count(0)
        expect(page.locator(".notice")).to_contain_text("Nothing is plugged in")

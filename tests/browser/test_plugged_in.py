"""A thermometer, a scale and a board are plugged in, in a real browser: from the port to the pan in four presses."""

import json
import threading
import time
from collections.abc import Iterator
from datetime import timedelta

from playwright.sync_api import expect

from lumbrel.devices.lines import ProbeSample
from lumbrel.devices.measured import Value
from lumbrel.devices.pretend import PretendProbe, PretendScale
from lumbrel.devices.wires.simulated_pan import pan
from lumbrel.services.kitchen.example import load_example
from lumbrel.services.record.kept import ready
from lumbrel.services.take_in.opening import open_batch
from lumbrel.store.db import opened
from lumbrel.worlds.book import SimulatedFinisher
from tests.support.broker import House, TestBroker
from tests.support.kitchen import NOON
from tests.support.pages import BrowserCase


class Weighs:
    """What a scale shows under a pan that somebody else boils.

    Args:
        speed: how many seconds pass in one.
    """

    def __init__(self, finisher: SimulatedFinisher, speed: float) -> None:
        self._finisher, self._speed = finisher, speed

    def samples(self) -> Iterator[ProbeSample]:
        while self._finisher.burner_kw > 0:
            time.sleep(5.0 / self._speed)
            yield ProbeSample(None, (Value(self._finisher.mass_kg, "kg"),))


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

    def test_boiled_with_all_of_them_and_the_alarm_goes_out(self) -> None:
        speed, record, began = 25.0, self.folder / "boiled.sqlite3", time.monotonic()
        with opened(record) as db:
            ready(db)
            load_example(db, NOON)
        address = self.serve(record, lambda: NOON + timedelta(seconds=speed * (time.monotonic() - began)))
        source = pan(speed)
        finisher = source.finisher
        probe, scale = PretendProbe(source), PretendScale(Weighs(finisher, speed))
        self.addCleanup(setattr, finisher, "burner_kw", 0.0)
        self.addCleanup(probe.end)
        self.addCleanup(scale.end)
        broker = TestBroker(self.folder)
        self.addCleanup(broker.stop)
        house, over = House(broker.port), threading.Event()
        self.addCleanup(house.stop)
        self.addCleanup(over.set)

        def board() -> None:
            while not over.wait(0.5):
                house.say("shed/air", '{"pressure_hpa": 1013.2, "battery": 3.1}')

        threading.Thread(target=board, daemon=True).start()
        page = self.open()
        page.goto(f"{address}/kitchen/sources")
        page.get_by_role("button", name="Use as Probe 1").click()
        page.get_by_role("button", name="Use as Scale under Finisher 1").click()
        page.get_by_text("What is not plugged in").click()
        page.get_by_text("The kitchen’s broker (MQTT)").click()
        page.locator("#mqtt-address").fill(f"mqtt://127.0.0.1:{broker.port}")
        page.get_by_label("Tell it how each vessel stands").check()
        page.get_by_role("button", name="Save").click()
        page.get_by_text("Heard of the broker").click()
        heard = page.locator("details.topics")
        heard.get_by_label("What is heard").select_option(value="shed/air#pressure_hpa")
        heard.get_by_label("Use as").select_option(label="Barometer")
        heard.get_by_role("button", name="Use it so").click()
        expect(page.get_by_text("is Barometer")).to_be_visible()
        expect(page.get_by_text("is Scale under Finisher 1")).to_be_visible()
        self.assertEqual(self.barriers(page), [])
        with opened(record) as db:
            now = NOON + timedelta(seconds=speed * (time.monotonic() - began))
            amount, brix = f"{finisher.mass_kg:.2f} kg", f"{finisher.brix:.1f}"
            sent = {"vessel": "finisher-1", "sugar_kind": "maple", "woodlot": "upper-fold", "id": "plug-0002"}
            more = {"amount_by": "mass", "amount": amount, "brix": brix, "temperature": "85 C"}
            code = open_batch(db, now, sent | more)
        page.goto(f"{address}/pan/{code}")
        rings = page.locator("#alarm")
        expect(rings).to_be_visible()
        self.wait_for(lambda: house.heard.get("lumbrel/alarm/state") == "ON")
        self.assertIn(code, house.heard["lumbrel/alarm"])
        self.wait_for(lambda: json.loads(house.heard["lumbrel/vessel/finisher-1"]).get("batch") == code)
        state = json.loads(house.heard["lumbrel/vessel/finisher-1"])
        self.assertAlmostEqual(state["brix"], finisher.brix, delta=3)
        working = f"{address}/working/pan/{code}/density"
        for one in ("Scale under Finisher 1 said", "Probe 1 said"):
            self.wait_for(lambda said=one: said in page.request.get(working).text())

    def wait_for(self, holds: object) -> None:
        ends = time.monotonic() + 20
        while not holds():
            self.assertLess(time.monotonic(), ends)
            time.sleep(0.1)

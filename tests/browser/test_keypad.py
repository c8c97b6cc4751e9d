"""Numbers by a wet thumb: the keypad of touch screens, and who never sees it."""

from playwright.sync_api import Locator, Page, expect

from lumbrel.core import units
from lumbrel.store.kitchen import DEFAULT_UNITS
from lumbrel.web.shell.keypad import KEYS, keys_of
from tests.support.kitchen import KitchenCase
from tests.support.pages import BrowserCase


class Keypad(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        kitchen = KitchenCase()
        kitchen.setUp()
        self.addCleanup(kitchen.doCleanups)
        self.address = self.serve(kitchen.path, refresh_seconds=0)

    def take_in(self, *, touch: bool) -> tuple[Page, Locator]:
        page = self.open(390, 780, touch=touch)
        page.goto(f"{self.address}/take-in")
        return page, page.locator("input[name=amount]")

    def test_numbers_and_units_by_thumb(self) -> None:
        page, amount = self.take_in(touch=True)
        pad = page.locator("#keypad")

        def tap(*words: str) -> None:
            for word in words:
                pad.get_by_role("button", name=word, exact=True).tap()

        amount.tap()
        expect(pad).to_be_visible()
        expect(amount).to_be_focused()
        self.assertEqual(amount.evaluate("e => e.inputMode"), "none")
        # Its field stands above it.
        page.wait_for_function(
            "() => document.querySelector('[name=amount]').getBoundingClientRect().bottom"
            " < document.getElementById('keypad').getBoundingClientRect().top"
        )
        # The page scrolls until the last of it stands above the keypad.
        page.wait_for_function(
            "() => { scrollTo(0, document.body.scrollHeight);"
            " return document.getElementById('bench').getBoundingClientRect().bottom"
            " < document.getElementById('keypad').getBoundingClientRect().top }"
        )
        tap("7", "space", "1", "fraction bar", "3", "delete", "2", "kg")
        expect(amount).to_have_value("7 1/2 kg")
        tap("L")
        expect(amount).to_have_value("7 1/2 L")
        expect(pad.locator("[data-does=enter]")).to_have_text("next")
        pad.locator("[data-does=enter]").tap()
        brix = page.locator("input[name=brix]")
        expect(brix).to_be_focused()
        tap("4", "5", "point", "2")
        expect(brix).to_have_value("45.2")
        expect(page.locator("#f-brix-said")).to_contain_text("45.2")
        small = pad.evaluate(
            "e => Math.min(...[...e.querySelectorAll('button')].flatMap(b => [b.offsetWidth, b.offsetHeight]))"
        )
        self.assertGreaterEqual(small, 64)
        # Letters are one press away, and stay for that field.
        tap("letters")
        expect(pad).to_be_hidden()
        self.assertEqual(brix.evaluate("e => e.inputMode"), "text")
        # What is no quantity keeps the phone's own keyboard.
        page.locator("input[name=new_woodlot]").tap()
        expect(pad).to_be_hidden()

    def test_enter_sends_what_is_complete(self) -> None:
        page = self.open(390, 780, touch=True)
        page.goto(f"{self.address}/day")
        reading = page.locator("input[name=reading]")
        reading.tap()
        for word in ("9", "8", "point", "6", "C"):
            page.locator("#keypad").get_by_role("button", name=word, exact=True).tap()
        page.locator("#keypad [data-does=enter]").tap()
        expect(page.locator(".says")).to_be_visible()

    def test_a_mouse_and_a_keyboard_never_meet_it(self) -> None:
        page, amount = self.take_in(touch=False)
        amount.click()
        self.assertEqual(amount.evaluate("e => e.inputMode"), "text")
        page.keyboard.type("7.5 gal")
        expect(amount).to_have_value("7.5 gal")
        expect(page.locator("#keypad")).to_be_hidden()

    def test_every_key_is_understood(self) -> None:
        amount = {"L": "volume", "gal": "volume", "mm": "depth", "in": "depth"}
        for kind, rows in KEYS.items():
            for unit in {u for row in rows for u in row} - {":"}:
                of = amount.get(unit, "mass") if kind == "amount" else kind
                self.assertGreater(units.parse(f"2 {unit}", of, "").value, -20)
        own = keys_of({**DEFAULT_UNITS, "mass": "lb", "volume": "igal", "temperature": "F"})
        self.assertEqual(own["mass"][0], "lb")
        self.assertEqual(own["amount"], ("lb", "gal", "in"))
        self.assertEqual(own["volume"][0], "imp gal")
        self.assertEqual(own["temperature"], ("F", "C"))

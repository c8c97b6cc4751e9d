"""A reading by keyboard alone: from the pan, with an alarm coming at any key, none is lost."""

import json
import tempfile
from pathlib import Path

from playwright.sync_api import Page, expect

from lumbrel import demo
from tests.support.kitchen import season_copy
from tests.support.pages import BrowserCase, season

PAN = "/pan/26-058"
ALARM = {
    "alarms": [
        {
            "id": "00-rung",
            "kind": "finish",
            "headline": "Done",
            "words": "Draw.",
            "where": "P",
            "at": "1",
        }
    ]
}
READING = ["h", "5", "8", "Tab", "9", "5", "Enter"]


class Keys(BrowserCase):
    def pan(self, address: str) -> Page:
        page = self.open()
        page.goto(address + PAN)
        # What the demonstration itself calls for is answered.
        while page.locator("#alarm").is_visible():
            page.locator("#alarm").click(position={"x": 9, "y": 9})
        return page

    def ring(self, page: Page) -> None:
        page.evaluate(f"window.dispatchEvent(new CustomEvent('news', {{detail: {json.dumps(ALARM)}}}))")

    def test_each_letter_opens_its_reading_and_what_follows_is_typed_there(self) -> None:
        page = self.pan(season())
        for letter, kind in (
            ("d", "refractometer"),
            ("t", "thermometer"),
            ("p", "depth"),
            ("h", "hydrometer"),
        ):
            page.keyboard.press(letter)
            page.keyboard.type("58")
            form = page.locator(f"#entry form[action*='/{kind}?']")
            field = form.locator("input:not([type=hidden])").first
            expect(field).to_have_value("58")
            expect(field).to_be_focused()
            page.keyboard.press("Escape")
        page.goto(season() + PAN + "?entry=refractometer#entry")
        expect(page.locator("#entry input[name=reading]")).to_be_focused()

    def test_an_alarm_at_any_key_eats_none(self) -> None:
        path = season_copy(Path(tempfile.mkdtemp(dir=self.folder)))
        address = self.serve(path, clock=demo.clock(path, frozen=True), demo=True, refresh_seconds=0)
        for rings_before in range(len(READING)):
            page = self.pan(address)
            for i, key in enumerate(READING):
                if i == rings_before:
                    self.ring(page)
                    expect(page.locator("#alarm")).to_be_visible()
                page.keyboard.press(key)
            # It is asked about, since it floats too high, with both figures as they were typed.
            expect(page.locator("#entry .asked").first).to_be_visible()
            expect(page.locator("#entry input[name=reading]")).to_have_value("58")
            expect(page.locator("#entry input[name=cup]")).to_have_value("95")
            self.at_most(page, keys=8)
            page.context.close()

    def test_an_alarm_takes_the_keyboard_where_nobody_types_and_gives_it_back(self) -> None:
        page = self.pan(season())
        page.locator("#run").focus()
        self.ring(page)
        expect(page.locator("#alarm-answer")).to_be_focused()
        page.keyboard.press("7")
        expect(page.locator("#alarm")).to_be_visible()
        self.assertTrue(page.url.endswith(PAN))
        page.keyboard.press("Enter")
        expect(page.locator("#alarm")).to_be_hidden()
        expect(page.locator("#run")).to_be_focused()

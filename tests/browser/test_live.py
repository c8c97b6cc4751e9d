"""The live pan as a person meets it: streaming, alarms, lines typed in steam, a practice batch."""

import re
import time
from datetime import timedelta

from playwright.sync_api import Page, expect

from lumbrel import demo
from lumbrel.store.db import milliseconds, opened
from tests.support.kitchen import season_copy
from tests.support.pages import BrowserCase, season

LIVE, CUP = "/pan/26-058", "?entry=hydrometer"


class Live(BrowserCase):
    def test_the_probe_streams_onto_the_page(self) -> None:
        path = season_copy(self.folder / "live")
        clock = demo.clock(path)
        vessel = demo.LiveVessel(path, clock)
        vessel.start()
        self.addCleanup(vessel.stop)
        address = self.serve(path, clock, demo=True, refresh_seconds=0.2)
        page = self.open()
        page.goto(address + LIVE + CUP)
        page.locator("#entry input[name=cup]").fill("91 C")
        shown = page.locator("#probe-now").text_content()
        expect(page.locator("#probe-now")).not_to_have_text(shown, timeout=60_000)
        self.assertEqual(page.locator("#entry input[name=cup]").input_value(), "91 C")
        with opened(path) as db:
            count = db.execute(
                "SELECT count(*) FROM sample WHERE at > ?",
                (milliseconds(demo.STARTS_AT + timedelta(seconds=6)),),
            ).fetchone()
        self.assertGreater(count[0], 1)

    def test_the_run_is_read_off_and_zoomed_with_keys(self) -> None:
        page = self.open()
        page.goto(season() + LIVE)
        expect(page.locator("#run canvas")).to_have_count(2)
        self.assertGreater(int(page.locator("#run").get_attribute("data-drawn")), 300)
        page.locator("#run").focus()
        page.keyboard.press("ArrowLeft")
        expect(page.locator("#run-said")).to_have_text(re.compile(r"\d\d:\d\d · \d\d\.\d Brix"))
        before = page.locator("#run-said").text_content()
        page.keyboard.press("+")
        page.keyboard.press("ArrowLeft")
        expect(page.locator("#run-said")).not_to_have_text(before)
        page.keyboard.press("0")
        expect(page.locator("#run-said")).to_be_empty()
        page.get_by_text("How this screen calls").click()
        page.get_by_role("button", name="Test the alarm").click()
        expect(page.locator("#alarm")).to_be_visible()
        page.keyboard.press("Space")
        expect(page.locator("#alarm")).to_be_hidden()


class Calling(BrowserCase):
    def test_a_screen_speaks_and_is_put_on_the_shelf_when_it_is_asked_to(self) -> None:
        page = self.open(390, 780)
        page.add_init_script(
            "window.spoken = [];"
            "window.speechSynthesis.speak = (said) => window.spoken.push(said.text);"
            "const hold = () => { window.held = true; return Promise.resolve(new EventTarget()); };"
            "Object.defineProperty(navigator, 'wakeLock', { value: { request: hold } });"
            "Element.prototype.requestFullscreen = () => { window.whole = true; return Promise.resolve(); }"
        )
        page.goto(season() + LIVE)
        # A pan's screen stays awake by itself.
        page.wait_for_function("window.held")
        page.get_by_text("How this screen calls").click()
        ring = page.get_by_role("button", name="Test the alarm")
        ring.click()
        page.locator("#alarm").click(position={"x": 9, "y": 9})
        self.assertEqual(page.evaluate("window.spoken"), [])
        page.get_by_role("button", name="Speak alarms").click()
        ring.click()
        expect(page.locator("#alarm")).to_be_visible()
        self.assertIn("This is how it calls", page.evaluate("window.spoken.at(-1)"))
        page.locator("#alarm").click(position={"x": 9, "y": 9})
        page.reload()
        expect(page.get_by_role("button", name="Spoken: on")).to_have_attribute("aria-pressed", "true")
        page.get_by_role("button", name="Hands-free display").click()
        expect(page.locator(".alarm-tools [role=status]")).to_have_text("It stays awake.")
        self.assertTrue(page.evaluate("window.whole"))

    def test_the_coach_is_put_away_on_this_screen_and_called_again(self) -> None:
        page = self.open()
        page.goto(season() + LIVE)
        said = page.locator(".coach-do")
        page.locator("summary.coach-row").click()
        expect(page.locator(".coach-senses")).to_be_visible()
        page.get_by_role("button", name="Close the coach").click()
        expect(said).to_be_hidden()
        expect(page.locator(".look-again")).to_be_visible()
        page.reload()
        expect(page.locator(".verdict h1")).to_be_visible()
        expect(said).to_be_hidden()
        page.get_by_role("button", name="Open coach").click()
        expect(said).to_be_visible()
        expect(page.locator(".look-again")).to_be_hidden()


class Steam(BrowserCase):
    def test_a_line_typed_without_a_connection_waits_and_is_sent_once(self) -> None:
        path = season_copy(self.folder / "steam")
        clock = demo.clock(path)
        page = self.open()
        page.goto(self.serve(path, clock, refresh_seconds=0.2) + LIVE + CUP)
        self._answer(page)
        expect(page.locator("#probe-now")).to_be_visible()
        time.sleep(1)
        page.context.set_offline(True)
        page.locator("#entry input[name=reading]").fill("49.6")
        page.locator("#entry input[name=cup]").fill("92 C")
        page.locator("#entry button[type=submit]").click()
        expect(page.locator("#waiting")).to_contain_text("Waiting to be sent: hydrometer 49.6, 92 C")
        expect(page.locator("#entry input[name=reading]")).to_have_value("")
        page.context.set_offline(False)
        expect(page.locator("#waiting")).to_be_hidden(timeout=60_000)
        page.reload()
        self._answer(page)
        expect(page.locator(".slip-lines li", has_text="Hydrometer 49.6")).to_have_count(1)
        self.complaints = [said for said in self.complaints if "ERR_INTERNET" not in said]

    def _answer(self, page: Page) -> None:
        """The demo's pan is in the foam zone: it calls at once."""
        for _ in range(4):
            try:
                expect(page.locator("#alarm")).to_be_visible(timeout=3000)
            except AssertionError:
                return
            page.locator("#alarm").click(position={"x": 9, "y": 9})


class Practice(BrowserCase):
    def test_a_batch_at_sixty_times_to_its_debrief(self) -> None:
        page = self.open()
        page.set_default_timeout(40_000)
        page.goto(self.serve(self.folder / "practice.sqlite3", lambda: self.now, refresh_seconds=0.3))
        page.get_by_role("link", name="Try a practice pan").click()
        page.locator("input[name=speed][value='60']").first.check(force=True)
        page.locator("input[name=surprise][value='0']").first.check(force=True)
        page.get_by_label("a burner that sags").check()
        page.locator("form[action^='/practice/start']").first.evaluate(
            "f => f.insertAdjacentHTML('beforeend', '<input type=hidden name=seed value=7>')"
        )
        page.get_by_role("button", name="Light the burner").click()
        expect(page.locator(".practice-bar")).to_contain_text("nothing here is real")
        expect(page.locator("#alarm")).to_be_visible(timeout=60_000)
        page.locator("#alarm-by").fill("AB")
        page.locator("#alarm-headline").click()
        expect(page.locator(".slip-lines")).to_contain_text("answered by AB", timeout=60_000)
        # Whichever rang as it was pressed: on a slow machine the probe falls silent first.
        expect(page.locator(".slip-lines li", has_text="answered by AB").first).to_contain_text("Alarm: ")
        self.quiet(page, lambda: page.get_by_role("button", name="20×").click())
        self._read_the_cup(page)
        self.quiet(page, lambda: page.get_by_role("button", name="60×").click())
        self._boil_to_the_mark(page)
        self.quiet(page, lambda: page.locator(".draw-form .go").first.click())
        self.quiet(page, lambda: page.get_by_role("link", name="Read debrief").click())
        expect(page.locator(".debrief")).to_contain_text("A burner that sags")
        expect(page.locator(".debrief .method-table")).to_contain_text("Hydrometer")
        page.get_by_role("button", name="Back to the kitchen").click()
        expect(page.locator("h1")).to_have_text("Set up the kitchen")
        with opened(self.folder / "practice.sqlite3") as db:
            self.assertEqual(db.execute("SELECT count(*) FROM batch").fetchone()[0], 0)

    def _read_the_cup(self, page: Page) -> None:
        for _ in range(60):
            self.quiet(page, lambda: page.get_by_role("link", name="Fill the cup").click())
            expect(page.locator("#working[open], #alarm:not([hidden])").first).to_be_visible()
            words = page.locator("#working .lead").text_content()
            page.keyboard.press("Escape")
            found = re.search(r"floats at ([\d.]+), .* says ([\d.]+) °C", words)
            if found:
                break
            page.wait_for_timeout(1000)
        self.quiet(page, lambda: page.locator("#entry input[name=reading]").fill(found[1]))
        self.quiet(page, lambda: page.locator("#entry input[name=cup]").fill(f"{found[2]} C"))
        self.quiet(page, lambda: page.locator("#entry button[type=submit]").click())
        expect(page.locator(".slip-lines")).to_contain_text(f"Hydrometer {found[1]}", timeout=60_000)

    def _boil_to_the_mark(self, page: Page) -> None:
        for _ in range(240):
            if page.locator("#alarm").is_visible():
                page.locator("#alarm").click(position={"x": 9, "y": 9})
            if page.locator(".verdict h1").text_content() in ("Draw now", "Over"):
                return
            page.wait_for_timeout(300)
        self.fail("it never came to the mark")


class Help(BrowserCase):
    def test_help_is_of_where_one_stands_with_the_kitchens_own_numbers(self) -> None:
        page = self.open()
        page.goto(season() + "/day")
        finish = page.locator(".ladder .finish .figure").first.text_content()
        page.keyboard.press("?")
        keys = page.locator("#keys")
        expect(keys).to_be_visible()
        expect(keys).not_to_contain_text("one jar more")
        keys.get_by_role("link", name="What is done here").click()
        told = page.locator("#working .half-page")
        expect(told.locator("h1")).to_have_text("Day check")
        expect(told.locator(".own")).to_contain_text(finish)
        expect(keys).to_be_hidden()
        page.goto(season() + "/jar/26-055")
        page.get_by_role("button", name="Keys and help").click()
        expect(keys).to_contain_text("one jar more")
        page.goto(season() + "/help")
        expect(page.locator(".half-page")).to_have_count(10)
        expect(page.locator(".handbook")).to_contain_text(finish)
        expect(page.locator(".handbook")).to_contain_text("Long stem floats at")
        expect(page.locator(".handbook")).to_contain_text("Glass breaks by thermal shock")


class OnTheWall(BrowserCase):
    def test_every_vessel_is_read_from_four_metres_and_what_is_stale_says_so(self) -> None:
        page = self.open(1920, 1080)
        page.clock.install()
        page.goto(season() + "/wall")
        panes = page.locator(".pane")
        expect(panes).to_have_count(2)
        boils = panes.filter(has_text="Keep boiling")
        expect(boils).to_have_count(1)
        expect(panes.filter(has_text="Do not disturb")).to_have_count(1)
        expect(page.locator(".wall-waits")).to_contain_text("Filter")
        tall = panes.first.locator(".pane-figures b").first.evaluate(
            "e => parseFloat(getComputedStyle(e).fontSize)"
        )
        self.assertGreaterEqual(tall, 140)
        self.assertEqual(page.locator("main input, main select, main textarea").count(), 0)
        lost = page.locator(".wall-lost")
        expect(lost).to_be_hidden()
        page.route("**/wall/board", lambda route: route.abort())
        page.clock.run_for(25_000)
        expect(lost).to_be_visible()
        expect(lost).to_contain_text("s old")
        expect(boils).to_have_count(1)
        page.unroute("**/wall/board")
        page.clock.run_for(6_000)
        expect(lost).to_be_hidden()
        self.complaints.clear()

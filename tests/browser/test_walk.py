"""The job in a real browser: clicked, typed, with the keyboard alone, on a phone, live."""

import json
import re
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

from playwright.sync_api import Page, expect

from lumbrel.core.bench.hydrometer import Hydrometer
from tests.support.kitchen import KitchenCase
from tests.support.pages import BrowserCase, season

LIVE = "/pan/26-058"
CALM = (
    "/",
    "/day",
    "/sap",
    "/sap/boil",
    "/sap/woodlot/upper-fold",
    "/sap/tank/landing-tank",
    "/take-in",
    LIVE,
    "/filter/26-057",
    "/colour/26-056",
    "/jar/26-056",
    "/candy",
    "/candy?piece=cream",
    "/candy/cook/26-C07",
    "/shelf",
    "/shelf/26-040",
    "/kitchen",
)
MOST_WORDS, MOST_CONTROLS = 260, 28
"""What a main page shows at first."""
COUNTED = r"""() => {
  const seen = (e) => e.checkVisibility({ visibilityProperty: true }) && e.getBoundingClientRect().width > 1;
  const main = document.querySelector("main");
  const texts = document.createTreeWalker(main, NodeFilter.SHOW_TEXT);
  let words = 0;
  while (texts.nextNode()) {
    const { data, parentElement } = texts.currentNode;
    if (data.trim() && !parentElement.closest("option") && seen(parentElement))
      words += data.split(/\s+/).filter((word) => /[\p{L}\p{N}]/u.test(word)).length;
  }
  const controls = "a, button, input:not([type=hidden]), select, textarea, summary";
  return [words, [...main.querySelectorAll(controls)].filter(seen).length];
}"""
VIEWS = (
    "/",
    "/day",
    "/day/card",
    "/take-in",
    LIVE,
    f"{LIVE}?entry=refractometer",
    f"{LIVE}?entry=event",
    "/filter/26-057",
    "/colour/26-056",
    "/jar/26-055",
    "/jar/26-040/labels",
    "/colour/26-040/blend",
    "/trace/26-047",
    "/accounts",
    "/candy",
    "/candy/cook/26-C02?wrong=soft",
    "/candy/cook/26-C07",
    "/shelf/26-C02",
    "/practice",
    "/candy/day?piece_1=cream&syrup_1=12 kg&piece_2=hard-drops&syrup_2=2 kg",
    "/shelf",
    "/shelf/26-040",
    "/kitchen",
    "/kitchen/instrument/long-stem",
    "/kitchen/instrument/dial-a",
    "/kitchen/instrument/hand-prism",
    "/kitchen/instrument/long-stem/card",
    "/kitchen/instrument/dial-a/card",
    "/kitchen/methods",
    "/kitchen/sources",
    "/kitchen/told",
    "/kitchen/instrument/barometer",
    "/kitchen/alarms",
    "/wall",
    "/kitchen/network",
    "/trust",
    "/kitchen/vessel/finisher-1",
    "/help",
    "/help/candy",
    "/sap",
    "/sap?woodlot=north-kiln",
    "/sap/gather",
    "/sap/weather",
    "/sap/woodlot/upper-fold",
    "/sap/walk/upper-fold",
    "/sap/tank/landing-tank",
    "/sap/boil",
    "/sap/boil?continuous=1",
    "/sap/fire/26-067",
    "/sap/season/2026",
    "/sap/gear",
    "/sap/rule",
    "/help/sap",
    "/working/methods/26-058",
    "/working/pan/26-058/density",
    "/working/day/finish-66.9",
)


class FirstMinutes(BrowserCase):
    def test_the_first_figure_takes_few_presses(self) -> None:
        address = self.serve(self.folder / "first.sqlite3", refresh_seconds=0)
        page = self.open(390, 780)
        page.goto(address)
        presses = 0

        def press(what: Callable[[], object]) -> None:
            nonlocal presses
            what()
            presses += 1

        expect(page.locator("input[name=pressure]")).to_be_hidden()
        press(lambda: page.locator("input[name=elevation]").fill("1371"))
        press(lambda: page.get_by_role("radio", name="US").check())
        press(lambda: page.get_by_label("candy thermometer, dial or glass").check())
        # Left half-way, it goes on where it was.
        page.reload()
        expect(page.locator("input[name=elevation]")).to_have_value("1371")
        expect(page.get_by_role("radio", name="US")).to_be_checked()
        self.assertEqual(self.barriers(page), [])
        press(page.get_by_role("button", name="Set up the kitchen").click)
        press(lambda: page.locator("input[name=reading]").fill("209.5"))
        press(page.get_by_role("button", name="Save the test boil").click)
        expect(page.locator(".ladder .finish .figure").first).to_have_text("216.9")
        self.assertLessEqual(presses, 12)
        page.goto(f"{address}/kitchen")
        expect(page.locator("input[name=elevation]")).to_have_value(re.compile("1371"))

    def test_the_demonstration_says_what_it_is_once(self) -> None:
        kitchen = KitchenCase()
        kitchen.setUp()
        self.addCleanup(kitchen.doCleanups)
        kitchen.take_in()
        page = self.open(390, 780)
        page.goto(self.serve(kitchen.path, refresh_seconds=0, demo=True))
        greeting = page.locator(".greeting")
        expect(greeting).to_contain_text("made up")
        greeting.get_by_role("link", name="Read a hot cup").click()
        expect(page).to_have_url(re.compile(r"/pan/26-001\?entry=hydrometer"))
        page.go_back()
        greeting.get_by_role("button", name="Put this away").click()
        page.reload()
        expect(page.locator(".vessel").first).to_be_visible()
        expect(greeting).to_be_hidden()


class Walk(BrowserCase):
    def test_a_new_user_finishes_one_batch(self) -> None:
        address = self.serve(self.folder / "new.sqlite3", refresh_seconds=0)
        page = self.open()
        page.goto(address)
        page.get_by_role("button", name="Load the example kitchen").click()
        self._day(page)
        self._take_in_with_the_keyboard_alone(page)
        self._pan(page)
        self._to_the_jar(page)
        self.at_most(page, presses=36, fields=31)
        self._shelf(page)

    def _day(self, page: Page) -> None:
        page.get_by_text("Give pressure or elevation another way").click()
        page.get_by_role("radio", name="forecast").check()
        page.locator("input[name=pressure]").fill("1008 hPa")
        page.locator("input[name=outdoor]").fill("2 C")
        page.get_by_role("button", name="Save pressure").click()
        expect(page.locator(".bases")).to_contain_text("957.3")
        page.locator("select[name=thermometer]").first.select_option(label="Dial A")
        page.locator("input[name=reading]").fill("211.6 F")
        expect(page.locator(".ask-row .said span")).to_contain_text("99.8")
        page.get_by_role("button", name="Save the test boil").click()
        expect(page.locator(".says")).to_contain_text("Dial A reads 1.4")
        expect(page.locator(".ladder .finish .figure")).to_have_text("103.9")
        page.get_by_role("link", name="Day card").click()
        expect(page.locator(".card-table")).to_contain_text("Hard drops")
        page.get_by_role("link", name="Back").click()

    def _take_in_with_the_keyboard_alone(self, page: Page) -> None:
        page.locator("h1").click()
        page.keyboard.press("3")
        expect(page.locator("h1")).to_contain_text("Take in batch 26-001")
        expect(page.locator("input[name=amount]")).to_be_focused()
        page.keyboard.type("30 kg")
        page.keyboard.press("Tab")
        page.keyboard.type("45")
        page.keyboard.press("Tab")
        page.keyboard.type("140 F")
        expect(page.locator("#f-brix-said span")).to_have_text("45.0\u00a0Brix")
        expect(page.locator("#f-temperature-said span")).to_have_text("60.0\u00a0°C, 140.0\u00a0°F")
        page.locator("select[name=woodlot]").focus()
        page.keyboard.type("North")
        expect(page.locator("#charge .huge")).to_contain_text("15.2")
        page.locator("input[name=vessel][value=finisher-2]").focus()
        page.keyboard.press("Space")
        page.locator("input[name=amount]").focus()
        page.keyboard.press("Enter")
        expect(page.locator(".slip")).to_contain_text("Took in 30.0")

    def _pan(self, page: Page) -> None:
        self.now += timedelta(minutes=12)
        page.goto(page.url)
        # What the vessel stands on is asked once.
        page.get_by_role("button", name="Flat over wood or gas").click()
        expect(page.locator(".question")).to_have_count(0)
        page.get_by_role("button", name="It boils now").click()
        expect(page.locator(".slip")).to_contain_text("Boiling")
        page.get_by_role("link", name="Event").click()
        page.get_by_text("Foam", exact=True).click()
        page.get_by_role("radio", name="butter").check()
        page.locator("form[action*=foam] button").click()
        expect(page.locator(".slip")).to_contain_text("carries milk")
        self.now += timedelta(minutes=38)
        page.locator("#slip-record h2").click()
        page.keyboard.press("d")
        page.locator("input[name=reading]").fill("53.6")
        page.locator("input[name=sample]").fill("60 C")
        page.keyboard.press("Enter")
        expect(page.locator(".entry")).to_contain_text("come to temperature")
        self.assertEqual(page.locator("input[name=reading]").input_value(), "53.6")
        page.locator("input[name=sample]").fill("22 C")
        page.keyboard.press("Enter")
        expect(page.locator(".slip-lines")).to_contain_text("Refractometer 53.6")
        expect(page.locator(".verdict h1")).to_have_text("Keep boiling")
        self._cup(page)
        self._misreading_is_corrected(page)
        page.get_by_role("link", name="Heat").click()
        page.locator("select[name=instrument]").select_option(label="Dial A")
        page.locator("#entry input[name=reading]").fill("216.0 F")
        page.keyboard.press("Enter")
        expect(page.locator("svg.agreement")).to_contain_text("Dial A")
        page.get_by_text("came about").click()
        expect(page.locator("#agreement .working")).to_contain_text("inverse-variance mean")

    def _cup(self, page: Page) -> None:
        self.now += timedelta(minutes=3)
        page.get_by_role("link", name="Cup").click()
        wanted = f"{Hydrometer().mark(66.9, 88.0):.1f}"
        page.get_by_role("button", name="Cup dipped now").click()
        page.get_by_role("button", name="Ten seconds earlier").click(click_count=2)
        expect(page.locator(".dip")).to_contain_text("Dipped 0:2")
        page.locator("input[name=cup]").fill("88 C")
        expect(page.locator("#cup .wants")).to_have_text(f"draw at {wanted}")
        page.locator("input[name=reading]").fill("57.6")
        expect(page.locator("#cup .shows")).to_have_text("shows 57.6")
        stem = page.locator("#cup .glass").bounding_box()
        page.mouse.move(stem["x"] + 10, stem["y"] + 30)
        page.mouse.down()
        page.mouse.move(stem["x"] + 10, stem["y"] + 4, steps=4)
        page.mouse.up()
        self.assertGreater(float(page.locator("input[name=reading]").input_value()), 58.5)
        page.locator("input[name=reading]").fill("57.6")
        page.locator("input[name=reading]").press("Enter")
        expect(page.locator(".entry .asked").first).to_contain_text("Misread by 10?")
        page.get_by_label("Yes, that is right").check()
        page.locator("input[name=reading]").press("Enter")
        expect(page.locator(".verdict h1")).to_have_text("They disagree")
        expect(page.locator("input[name=reading]")).to_be_focused()

    def _misreading_is_corrected(self, page: Page) -> None:
        page.locator(".slip-lines a", has_text="Hydrometer").click()
        page.get_by_role("link", name="Correct or strike this line").click()
        expect(page.locator(".working")).to_contain_text("buoyancy")
        page.locator("input[name=reading]").fill("47.6")
        page.locator("form[action*=correct] input[name=why]").fill("misread by ten")
        page.get_by_role("button", name="Correct the line").click()
        expect(page.locator(".slip del")).to_contain_text("Hydrometer 57.6")
        expect(page.locator(".verdict h1")).to_have_text("Keep boiling")

    def _to_the_jar(self, page: Page) -> None:
        self.now += timedelta(minutes=31)
        page.get_by_role("link", name="Drop").click()
        page.locator("input[name=reading]").fill("66.9")
        page.locator("input[name=sample]").fill("68 F")
        page.keyboard.press("Enter")
        expect(page.locator(".verdict h1")).to_have_text("Draw now")
        page.get_by_role("button", name="Draw off now").click()
        expect(page.locator(".verdict h1")).to_have_text("Drawn off")
        page.get_by_role("link", name="Go to Filter").click()
        page.get_by_text("It was filtered already").click()
        page.locator("input[name=temperature]").fill("190 F")
        page.keyboard.press("Enter")
        page.get_by_role("link", name="Colour", exact=True).click()
        page.get_by_role("radio", name="meter").check()
        page.locator("input[name=transmittance]").fill("64")
        page.locator("input[name=path]").fill("20 mm")
        page.keyboard.press("Enter")
        expect(page.locator("p.huge")).to_have_text("Golden")
        page.locator(".notice").get_by_role("link", name="Jar").click()
        page.locator("input[name=kettle]").fill("194 F")
        page.keyboard.press("Enter")
        expect(page.locator("p.huge").first).to_contain_text("jars in this heat")
        page.get_by_role("button", name="Add one jar").click()
        expect(page.get_by_role("button", name="1 more filled")).to_be_visible()
        page.keyboard.press("j")
        expect(page.locator(".slip")).to_contain_text("Jarred 2 × 500 ml")
        page.get_by_text("Enter several jars").click()
        form = page.locator("details.add form", has=page.locator("input[name=count_2]"))
        form.locator("input[name=size_1]").fill("500 ml")
        form.locator("input[name=count_1]").fill("18")
        form.locator("input[name=count_2]").fill("14")
        form.locator("input[name=fill]").fill("160 F")
        page.keyboard.press("Enter")
        expect(page.locator(".asked").first).to_contain_text("Too cold to keep")
        form.locator("input[name=fill]").fill("185 F")
        form.locator("input[name=lot]").fill("NK/7")
        page.keyboard.press("Enter")
        expect(page.locator(".notice")).to_contain_text("Jarred.")

    def _shelf(self, page: Page) -> None:
        page.get_by_role("link", name="Labels").first.click()
        expect(page.locator(".label-one")).to_contain_text("Contains: milk")
        expect(page.locator(".label-preview")).to_contain_text("2 sheets of A4")
        page.locator(".station", has_text="Shelf").click()
        page.locator("input[name=q]").fill("nk/")
        page.get_by_role("button", name="Find").click()
        page.get_by_role("link", name="NK/7", exact=True).click()
        expect(page.locator(".slip")).to_contain_text("Took in 30.0")
        with page.expect_download() as taken:
            page.get_by_role("link", name="Export JSON").click()
        document = json.loads(Path(taken.value.path()).read_text(encoding="utf-8"))
        counts = [(jar["size_ml"], jar["count"]) for jar in document["jars"]]
        self.assertEqual(counts, [(500.0, 2), (500.0, 18), (250.0, 14)])
        with page.expect_download() as taken:
            page.get_by_role("link", name="Export CSV").click()
        self.assertIn("misread by ten", Path(taken.value.path()).read_text(encoding="utf-8"))
        self._out_and_back(page)

    def _out_and_back(self, page: Page) -> None:
        """A jar is sold, and comes back mouldy."""
        page.get_by_text("Take out more").click()
        out = page.locator("form", has=page.locator("select[name=reason]"))
        out.locator("input[name=count_1]").fill("1")
        out.locator("select[name=reason]").select_option("sold")
        page.get_by_role("button", name="Record removal").click()
        expect(page.locator(".slip")).to_contain_text("Took out 1 × 500 ml")
        expect(page.locator(".saved-bar")).to_contain_text("Saved: Took out 1 × 500 ml")
        page.locator(".saved-bar").get_by_role("button", name="Undo").click()
        expect(page.locator(".slip li.old", has_text="Took out 1 × 500 ml")).to_have_count(1)
        page.get_by_text("Take out more").click()
        out.locator("input[name=count_1]").fill("1")
        out.locator("select[name=reason]").select_option("sold")
        page.get_by_role("button", name="Record removal").click()
        page.get_by_text("Jars came back").click()
        back = page.locator("form", has=page.locator("select[name=complaint]"))
        back.locator("input[name=count_1]").fill("1")
        back.locator("select[name=complaint]").select_option("mould")
        page.get_by_role("button", name="Record return").click()
        expect(page.locator(".clinic")).to_contain_text("Discard it, and never sell it")
        expect(page.locator(".clinic")).to_contain_text("2 × 500 ml")
        page.locator(".clinic").get_by_role("link", name="Recall list").click()
        expect(page.locator("h1")).to_contain_text("NK/7")
        expect(page.locator("main")).to_contain_text("33 jars on the shelf, 1 gone")


class OwnInstruments(BrowserCase):
    def test_a_person_registers_checks_and_finishes_with_their_own_three(self) -> None:
        page = self.open()
        page.goto(self.serve(self.folder / "own.sqlite3", refresh_seconds=0) + "/kitchen")
        self._register(page)
        self._check(page)
        self._finish(page)

    def _add(self, page: Page, kind: str, **fields: str) -> None:
        if page.locator("form[action*='/instrument?']").count() == 0 and "/kitchen" not in page.url:
            page.get_by_role("link", name="Kitchen and units").click()
        form = page.locator(f"form[action^='/kitchen/add/{kind}?']")
        if not form.is_visible():
            for part in page.locator("details.add", has=form).all():
                if part.get_attribute("open") is None:
                    part.locator("summary").first.click()
        for name, value in fields.items():
            box = form.locator(f"[name={name}]")
            if box.evaluate("e => e.tagName") == "SELECT":
                box.select_option(label=value)
            else:
                box.fill(value)
        form.get_by_role("button").click()
        expect(page.locator(".registered").filter(has_text=fields["name"])).to_be_visible()

    def _register(self, page: Page) -> None:
        self._add(page, "vessel", name="My pan", length="24 in", width="16 in")
        self._add(page, "woodlot", name="Hill")
        self._add(page, "thermometer", name="Blue dial", sort="dial", resolution="2 F")
        self._add(page, "hydrometer", name="Short stem", true_at="20 C")
        self._add(page, "refractometer", name="Prism")

    def _check(self, page: Page) -> None:
        page.locator(".station", has_text="Day check").click()
        page.locator("input[name=elevation]").fill("1371 ft")
        page.get_by_role("button", name="Save pressure").click()
        page.locator("input[name=reading]").fill("211.2 F")
        page.get_by_role("button", name="Save the test boil").click()
        expect(page.locator(".says")).to_contain_text("Blue dial reads 1.0")
        page.locator(".ladder .finish").click()
        expect(page.locator("#working")).to_contain_text("test boil showed")
        page.keyboard.press("Escape")
        page.get_by_role("link", name="Kitchen and units").click()
        page.get_by_role("link", name="Prism").click()
        page.get_by_text("Check it against water").click()
        form = page.locator("form[action*='/check?']")
        form.locator("input[name=reading]").fill("0.9")
        form.locator("input[name=temperature]").fill("68 F")
        form.get_by_role("button", name="Save check").click()
        expect(page.locator(".trust")).to_contain_text("0.9 Brix too much")
        page.get_by_role("link", name="All instruments").click()
        page.get_by_role("link", name="Short stem").click()
        page.get_by_text("Check it against water").click()
        page.locator("input[name=sugar]").fill("660 g")
        page.locator("input[name=water]").fill("340 g")
        page.get_by_role("button", name="Compute the density").click()
        expect(page.locator(".notice.good")).to_contain_text("66.0 Brix")
        form.locator("input[name=reading]").fill("66.0")
        form.locator("input[name=temperature]").fill("20 C")
        form.get_by_role("button", name="Save check").click()
        expect(page.locator(".noted").first).to_contain_text("0.00 Brix")

    def _finish(self, page: Page) -> None:
        page.locator(".station", has_text="Intake").click()
        page.locator("input[name=amount]").fill("66 lb")
        page.locator("input[name=brix]").fill("45")
        page.locator("input[name=temperature]").fill("140 F")
        page.get_by_role("button", name="Open the batch").click()
        expect(page.locator(".verdict h1")).to_have_text("Heating up")
        self.now += timedelta(minutes=5)
        page.reload()
        # What the vessel stands on is asked once.
        page.get_by_role("button", name="Flat over wood or gas").click()
        expect(page.locator(".question")).to_have_count(0)
        page.get_by_role("button", name="It boils now").click()
        expect(page.locator(".slip")).to_contain_text("Boiling")
        self.now += timedelta(minutes=70)
        page.get_by_role("link", name="Drop").click()
        page.locator("input[name=reading]").fill("66.4")
        page.locator("input[name=sample]").fill("20 C")
        page.keyboard.press("Enter")
        expect(page.locator(".slip-lines b").last).to_have_text("65.5")
        page.get_by_role("link", name="Cup").click()
        page.locator("input[name=reading]").fill("59.5")
        page.locator("input[name=cup]").fill("194 F")
        page.keyboard.press("Enter")
        hot = Hydrometer(20.0).correct(59.5, 90.0)
        expect(page.locator(".slip-lines b").last).to_have_text(f"{hot:.1f}")
        page.locator(".slip-lines .press").last.click()
        expect(page.locator("#working")).to_contain_text("What makes up the doubt")
        page.keyboard.press("Escape")
        self.now += timedelta(minutes=2)
        page.reload()
        page.locator(".reading .press").first.click()
        expect(page.locator("#working h1")).to_have_text("Density now")
        page.keyboard.press("Escape")
        page.get_by_text("How these figures came about").click()
        page.get_by_role("link", name="What other methods would do").click()
        expect(page.locator("#working .method-table tr.on").first).to_contain_text("66.9")
        page.keyboard.press("Escape")
        page.locator(".draw-form .go").click()
        expect(page.locator(".verdict h1")).to_have_text("Drawn off")


class Everywhere(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.address = season()

    def test_no_view_has_a_serious_barrier_by_day_or_night(self) -> None:
        page = self.open()
        page.add_init_script("localStorage.setItem('shift', 'day')")
        for view in VIEWS:
            page.goto(self.address + view)
            with self.subTest(view, shift="day"):
                self.assertEqual(self.barriers(page), [])
                # No field that takes the keyboard takes what decides out of sight.
                self.assertEqual(page.evaluate("scrollY"), 0)
            # At night only the colours change.
            page.evaluate("document.documentElement.dataset.shift = 'night'")
            with self.subTest(view, shift="night"):
                self.assertEqual(self.barriers(page, "color-contrast"), [])

    def test_nothing_is_wider_than_a_phone(self) -> None:
        page = self.open(390, 780)
        for view in VIEWS:
            if "card" in view:
                continue
            page.goto(self.address + view)
            for width in (390, 360):
                page.set_viewport_size({"width": width, "height": 780})
                page.wait_for_timeout(300 if page.locator("#run").count() else 0)  # redrawn
                wide = page.evaluate("document.documentElement.scrollWidth")
                with self.subTest(view, width=width):
                    self.assertLessEqual(wide, width)

    def test_the_deciding_figure_is_large(self) -> None:
        page = self.open()
        for view, selector in (
            (LIVE, ".reading b"),
            ("/day", ".day-left .huge"),
            ("/", ".figures b"),
        ):
            page.goto(self.address + view)
            size = page.locator(selector).first.evaluate("e => parseFloat(getComputedStyle(e).fontSize)")
            self.assertGreaterEqual(size, 72)

    def test_keys_and_the_night_shift(self) -> None:
        page = self.open()
        page.goto(self.address)
        page.keyboard.press("4")
        expect(page.locator(".station.here")).to_contain_text("Pan")
        page.locator("h1").click()
        page.keyboard.press("?")
        expect(page.locator("#keys")).to_be_visible()
        page.keyboard.press("Escape")
        before = page.evaluate("getComputedStyle(document.body).backgroundColor")
        page.get_by_role("button", name="Day or night shift").click()
        page.reload()
        self.assertNotEqual(page.evaluate("getComputedStyle(document.body).backgroundColor"), before)

    def test_what_was_unfolded_on_a_device_stays_unfolded(self) -> None:
        page = self.open()
        page.goto(self.address + "/filter/26-057")
        rest = page.locator(".caution p")
        line = page.locator(".slip-lines > li").nth(1)
        unfolds = page.get_by_role("button", name="All 12 lines")
        for part in (rest, line):
            expect(part).to_be_hidden()
        page.locator(".caution summary").click()
        unfolds.click()
        page.reload()
        for part in (rest, line):
            expect(part).to_be_visible()
        expect(unfolds).to_have_attribute("aria-expanded", "true")
        page.locator(".caution summary").click()
        page.goto(self.address + "/filter/26-057")
        expect(rest).to_be_hidden()

    def test_a_main_page_says_at_first_no_more_than_can_be_taken_in(self) -> None:
        page = self.open()
        for path in CALM:
            with self.subTest(path):
                page.goto(self.address + path)
                words, controls = page.evaluate(COUNTED)
                self.assertLessEqual(words, MOST_WORDS)
                self.assertLessEqual(controls, MOST_CONTROLS)
                self.assertGreater(words, 20)

"""From the tree to the take-in in a real browser: tapped, gathered, kept, forecast, boiled down, poured on."""

from datetime import timedelta

from playwright.sync_api import Page, expect

from lumbrel.services.base import batch as contexts
from lumbrel.services.kitchen import example
from lumbrel.services.record.kept import ready
from lumbrel.services.sap import gathered_sap, played, tanks
from lumbrel.store import sap as store
from lumbrel.store.db import opened
from lumbrel.store.kitchen import VesselRow, add_vessel
from tests.support.kitchen import NOON
from tests.support.pages import BrowserCase


class FromTheTree(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / f"{self._testMethodName}.sqlite3"
        with opened(self.path) as db:
            ready(db)
            example.load_example(db, NOON)
            add_vessel(
                db,
                VesselRow(id="arch", name="Arch", shape="rectangular", sizes_mm=(1000.0, 600.0)),
            )
        self.address = self.serve(self.path, refresh_seconds=0)

    def later(self, page: Page, minutes: float, path: str) -> None:
        self.now += timedelta(minutes=minutes)
        page.goto(self.address + path)

    def test_a_night_and_a_day_of_it(self) -> None:
        page = self.open(1280, 900)
        page.goto(self.address + "/sap")
        page.get_by_role("link", name="Upper Fold").click()
        page.get_by_label("Girth at breast height").fill("176 cm")
        page.get_by_role("button", name="Save tree", exact=True).click()
        page.get_by_role("link", name="Its trunk").click()
        # The trunk shows two places; the second one is pressed, and noted as drilled.
        expect(page.locator(".free-place")).to_have_count(2)
        second = page.locator(".free-place").nth(1)
        wanted = second.get_attribute("data-bearing")
        second.click()
        expect(page.get_by_label("Side").first).to_have_value(str(wanted))
        page.get_by_role("button", name="Save tap").click()
        expect(page.locator(".free-place")).to_have_count(1)
        page.get_by_role("button", name="Save tap").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("2 taps in")

        page.goto(self.address + "/sap/weather")
        for i, (night, day) in enumerate((("-4", "6"), ("-5", "5"), ("2", "12"))):
            page.locator(f"input[name=night_{i}]").fill(night)
            page.locator(f"input[name=day_{i}]").fill(day)
        page.get_by_role("button", name="Save weather").click()
        expect(page.locator(".sap-call")).to_contain_text("expected on today")
        expect(page.locator(".run-bar.ahead")).to_have_count(3)

        page.get_by_label("Name").fill("Milk tank")
        page.locator("input[name=capacity]").fill("400 L")
        page.get_by_role("button", name="Save tank", exact=True).click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("empty")
        page.get_by_role("link", name="Record sap").click()
        page.locator("input[name=litres]").fill("220")
        page.locator("input[name=taps]").fill("80")
        page.get_by_role("radio", name="I know it").check()
        page.locator("input[name=brix]").fill("2.2")
        page.get_by_role("button", name="Record sap").click()
        expect(page.locator(".tank-card")).to_contain_text("boil by")
        page.get_by_role("link", name="Boil down").click()
        expect(page.get_by_role("heading", level=1)).to_contain_text("h of fire")
        expect(page.locator(".boil-fuel")).to_contain_text("hardwood")
        page.get_by_role("button", name="Light the fire").click()
        page.wait_for_url("**/pan/*")
        code = page.url.rsplit("/", 1)[-1]
        expect(page.get_by_role("link", name="Fire and sap")).to_be_visible()

        self.later(page, 120, f"/sap/fire/{code}")
        page.locator("input[name=litres]").fill("150")
        page.get_by_role("button", name="Save feed").click()
        page.wait_for_load_state()
        page.get_by_label("Burned", exact=True).fill("0.3")
        page.get_by_role("button", name="Save fuel").click()
        self.later(page, 240, f"/sap/fire/{code}")
        page.locator("select[name=vessel]").select_option(label="Finisher 2")
        page.locator("input[name=brix]").fill("38")
        self.quiet(page, lambda: page.get_by_role("button", name="Save transfer").click())
        page.wait_for_url("**/pan/*")
        on = page.url.rsplit("/", 1)[-1]
        with opened(self.path) as db:
            taken = contexts.load(db, on, self.now).taken_in.facts
            left = played.views(db, self.now)[0].content.solids_kg
            came = store.drawn_between(db, NOON, self.now) + left
            burned = store.burns(db, "blocks", "hardwood", self.now, 3)
        self.assertAlmostEqual(taken.mass_kg * taken.brix / 100 + left, came, delta=0.001 * came)
        self.assertEqual(len(burned), 1)
        self.at_most(page, presses=18, fields=18)

    def press(self, page: Page, name: str) -> None:
        """Press what sends a form, whatever rings, and wait for the page that it leads to."""

        def act() -> None:
            with page.expect_navigation():
                page.get_by_role("button", name=name, exact=True).click()

        self.quiet(page, act)

    def test_a_pan_that_runs_continuously(self) -> None:
        with opened(self.path) as db:
            given = {"name": "Milk tank", "capacity": "900 L", "place": "outside"}
            tank = tanks.add_tank(db, given, self.now)
            came = {"litres": "600 L", "brix": "2.2", "taps": "300", "clarity": "clear"}
            came |= {"woodlot": "upper-fold", "brix_by": "told", "tank": tank}
            gathered_sap.gather(db, came, self.now)
        page = self.open(1280, 900)
        page.goto(self.address + "/sap/boil")
        page.get_by_text("Fire, fuel and channels").click()
        page.locator("input[name=continuous]").check()
        page.locator("input[name=channels]").fill("6")
        page.get_by_role("button", name="Plan the boil").click()
        expect(page.locator(".boil-stages")).to_contain_text("An alarm calls you to each draw")
        page.get_by_role("button", name="Light the fire").click()
        page.wait_for_url("**/pan/*")
        code = page.url.rsplit("/", 1)[-1]
        self.press(page, "It boils now")
        self.later(page, 180, f"/sap/fire/{code}")
        page.locator("input[name=tank_holds]").fill("480")
        self.press(page, "Save feed")
        for minutes, drawn in ((120, "0.8 L"), (45, "0.9 L"), (40, "0.7 L")):
            self.later(page, minutes, f"/pan/{code}")
            form = page.locator(".draw-form.part")
            form.locator("input[name=litres]").fill(drawn)
            form.locator("input[name=brix]").fill("67")
            self.press(page, "Save draw")
        expect(page.locator(".notice.good")).to_contain_text("in 3 parts")
        self.later(page, 5, f"/sap/fire/{code}")
        expect(page.locator(".draws .drop")).to_have_count(3)
        expect(page.locator(".last-draws tbody tr").first).to_contain_text("40 min")
        into = page.locator("select[name=vessel]")
        expect(into.locator("option")).to_have_text(["Finisher 1", "Finisher 2", "Arch, a new batch"])
        into.select_option(label="Finisher 2")
        page.locator("input[name=brix]").fill("11")
        self.press(page, "Done: save the transfer")
        # So little of it would scorch, finished: it is asked about, and nothing typed is lost.
        expect(page.locator("input[name=brix]")).to_have_value("11")
        page.get_by_label("Yes, that is right").check()
        self.press(page, "Done: save the transfer")
        page.wait_for_url("**/pan/*")
        self.later(page, 1, f"/pan/{code}")
        on = page.get_by_role("link", name="what was drawn of it")
        self.quiet(page, lambda: on.click())
        page.wait_for_url(f"**/filter/{code}**")

    def test_it_serves_a_phone(self) -> None:
        page = self.open(390, 780, touch=True)
        for path in ("/sap", "/sap/gather", "/sap/weather", "/sap/rule", "/sap/gear", "/sap/boil"):
            page.goto(self.address + path)
            wide = page.evaluate("document.documentElement.scrollWidth")
            self.assertLessEqual(wide, 390, path)

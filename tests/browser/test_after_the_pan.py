"""From a draw to the shelf and back in a real browser: filter, photograph, blend, kettle, labels, recall."""

import random
from datetime import timedelta

import pypdfium2 as pdfium
from playwright.sync_api import Locator, Page, expect

from lumbrel import demo
from lumbrel.store import photographs
from tests.support.kitchen import season_copy
from tests.support.pages import BrowserCase, season
from tests.worlds.photographs import take

CODE = "26-057"


class FromDrawToShelf(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.path = season_copy(self.folder / "season")
        self.now = demo.clock(self.path, frozen=True)()
        self.address = self.serve(self.path, demo=True, refresh_seconds=0)
        self.page = self.open()

    def later(self, minutes: float) -> None:
        self.now += timedelta(minutes=minutes)

    def test_from_a_draw_to_the_shelf_and_back(self) -> None:
        page = self.page
        page.goto(f"{self.address}/filter/{CODE}")
        self._filter(page)
        self._photograph(page)
        self._blend(page)
        self._kettle(page)
        self._labels(page)
        self._shelf(page)

    def _filter(self, page: Page) -> None:
        expect(page.locator(".caution").first).to_contain_text("burns deep")
        page.get_by_role("button", name="Start filtering").click()
        self.later(3)
        page.locator("input[name=litres]").fill("5 L")
        page.locator("input[name=litres]").press("Enter")
        expect(page.locator(".filter-bench")).to_contain_text("5.0\u00a0L through")
        page.get_by_text("It is through").click()
        page.locator("input[name=temperature]").fill("88 C")
        page.locator("input[name=temperature]").press("Enter")
        page.locator(".notice").get_by_role("link", name="Colour").click()

    def _photograph(self, page: Page) -> None:
        """Two boxes on two vials; what it says moves with them, and is what is saved."""
        expect(page.locator(".caution").first).to_contain_text("food law")
        made = self.folder / "vials.jpg"
        made.write_bytes(take(random.Random(5), 60).picture)
        wrong = self.folder / "wrong.jpg"
        wrong.write_bytes(b"no picture")
        page.locator("input[name=by][value=photo]").check()
        page.set_input_files("#photo-file", wrong)
        expect(page.locator("[role=alert]")).to_contain_text("this is none")
        page.set_input_files("#photo-file", made)
        box = page.locator("[data-box=sample_box]")
        expect(page.locator(".photo-said")).to_contain_text("through 10 mm")
        before = page.locator("input[name=sample_box]").input_value()
        page.locator("input[name=path]").fill("16 mm")
        self._drag(page, box.locator(".body"), 12, 6)
        self._drag(page, box.locator(".grip"), -20, -14)
        moved = page.locator("input[name=sample_box]").input_value()
        self.assertTrue(all(a != b for a, b in zip(before.split(), moved.split(), strict=True)))
        box.focus()
        page.keyboard.press("ArrowLeft")
        x = float(page.locator("input[name=sample_box]").input_value().split()[0])
        self.assertAlmostEqual(x, float(moved.split()[0]) - 0.01, places=3)
        self.assertEqual(self.barriers(page), [])
        said = page.locator(".photo-said .says")
        expect(said).to_contain_text("Amber")
        page.get_by_role("button", name="Save colour").click()
        expect(page.locator("p.huge")).to_contain_text("Amber")
        expect(page.locator(".slip")).to_contain_text("by photograph")
        self.assertEqual(len(list(photographs.beside(self.path).glob("*.jpg"))), 1)

    def _drag(self, page: Page, what: Locator, dx: float, dy: float) -> None:
        what.scroll_into_view_if_needed()
        at = what.bounding_box()
        assert at
        page.mouse.move(at["x"] + at["width"] / 2, at["y"] + at["height"] / 2)
        page.mouse.down()
        page.mouse.move(at["x"] + at["width"] / 2 + dx, at["y"] + at["height"] / 2 + dy, steps=5)
        page.mouse.up()

    def _blend(self, page: Page) -> None:
        """A little water is put in, and all figures move with the slider."""
        page.get_by_role("link", name="Blend").click()
        page.locator("select[name=b]").select_option("water")
        page.locator("[data-part=b]").wait_for()
        self.assertEqual(self.barriers(page), [])
        page.locator("[data-part=b]").fill("0.1")
        expect(page.locator("#blend-said")).to_contain_text("0.10\u00a0L of water")
        page.get_by_role("button", name="Pour together").click()
        expect(page.locator(".slip")).to_contain_text("by the blend")
        page.locator(".notice").get_by_role("link", name="Jar").click()

    def _kettle(self, page: Page) -> None:
        for shown in (90, 88.6):
            self.later(2)
            page.locator("input[name=kettle]").fill(f"{shown} C")
            page.locator("input[name=kettle]").press("Enter")
        expect(page.locator("p.huge").first).to_contain_text("jars in this heat")
        page.get_by_text("Jars I want").click()
        page.locator("input[name='wish_250.0']").fill("9")
        page.get_by_role("button", name="Plan these jars").click()
        expect(page.locator("main")).to_contain_text("10 × 250")
        page.locator("input[name='wish_250.0']").fill("9000")
        page.get_by_role("button", name="Plan these jars").click()
        expect(page.locator("[role=alert]")).to_contain_text("The jars wished for hold")
        self.later(1)
        page.goto(f"{self.address}/jar/{CODE}")
        page.get_by_role("button", name="Add 12 jars").click()
        expect(page.locator(".slip")).to_contain_text("Jarred 12 × 500")

    def _labels(self, page: Page) -> None:
        page.get_by_role("link", name="Labels").first.click()
        page.locator("select[name=language]").first.select_option("both")
        page.locator("select[name=sheet]").select_option("a4-8")
        expect(page.locator(".label-one")).to_contain_text("Sirop de")
        page.locator("input[name=own]").fill("x" * 161)
        expect(page.locator("#label-preview [role=alert]")).to_contain_text("At most 160")
        page.locator("input[name=own]").fill("Tapped and boiled at Cinderpool")
        expect(page.locator(".label-one")).to_contain_text("Tapped and boiled")
        with page.expect_download() as taken:
            page.get_by_role("button", name="PDF").click()
        with pdfium.PdfDocument(taken.value.path()) as pdf:
            self.assertEqual(len(pdf), 2)
            self.assertIn("Tapped and boiled", pdf[0].get_textpage().get_text_range())
        page.goto(f"{self.address}/jar/{CODE}/labels")
        logo = self.folder / "logo.svg"
        logo.write_text('<svg xmlns="http://www.w3.org/2000/svg"><script/></svg>')
        page.set_input_files("#logo-file", logo)
        page.get_by_role("button", name="Save logo").click()
        expect(page.locator("[role=alert]").first).to_contain_text("more than draw")
        logo.write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle r="4" cx="4" cy="4"/></svg>'
        )
        page.set_input_files("#logo-file", logo)
        page.get_by_role("button", name="Save logo").click()
        expect(page.locator(".label-one image")).to_have_count(1)

    def _shelf(self, page: Page) -> None:
        """Out in two presses; back with something wrong; the recall on paper."""
        page.locator(".station", has_text="Shelf").click()
        lot = page.locator(f"#lot-{CODE}")
        expect(lot).to_contain_text("12 × 500")
        lot.get_by_role("link").first.click()
        page.get_by_role("button", name="sold").click()
        expect(page.locator("main .facts")).to_contain_text("11 × 500")
        page.get_by_text("Jars came back").click()
        back = page.locator("form", has=page.locator("select[name=complaint]"))
        back.locator("input[name=count_1]").fill("1")
        back.locator("select[name=complaint]").select_option("cloud")
        page.get_by_role("button", name="Record return").click()
        expect(page.locator(".clinic li").first).to_be_visible()
        page.locator(".clinic").get_by_role("link", name="Recall list").click()
        expect(page.locator("main")).to_contain_text("11 jars on the shelf, 1 gone")
        page.evaluate("window.print = () => { document.title = 'printed' }")
        page.get_by_role("button", name="Print").click()
        self.assertEqual(page.title(), "printed")
        page.go_back()
        page.get_by_role("link", name="Trace", exact=True).click()
        page.locator(".web .knot", has_text="woodlot").click()
        expect(page.locator("h1")).to_contain_text("Birch Row")


class FirmnessMap(BrowserCase):
    def test_its_point_is_dragged_and_moved_by_keys(self) -> None:
        page = self.open()
        page.goto(season() + "/candy?piece=cream")
        mark, name = page.locator(".map-says .huge"), page.locator(".map-says h1")
        expect(name).to_have_text("Cream")
        before = float(mark.inner_text())
        box = page.locator("svg.firmness").bounding_box()
        assert box
        page.mouse.move(box["x"] + 0.3 * box["width"], box["y"] + 0.8 * box["height"])
        page.mouse.down()
        page.mouse.move(box["x"] + 0.42 * box["width"], box["y"] + 0.3 * box["height"], steps=5)
        page.mouse.up()
        expect(name).to_contain_text("Moulded soft sugar")
        self.assertGreater(float(mark.inner_text()), before + 2)
        dragged = mark.inner_text()
        page.keyboard.press("ArrowRight")
        expect(mark).not_to_have_text(dragged)
        crystal = page.locator(".map-says dd").nth(1)
        cold = crystal.inner_text()
        page.locator("#serving").fill("38")
        expect(page.locator("#serving-said")).to_contain_text("38")
        expect(crystal).not_to_have_text(cold)

"""The practice pot in a real browser: a cook from a lot's plan to its moulds, scores, shelf, trace, label."""

import random

import pypdfium2 as pdfium
from playwright.sync_api import Page, expect

from tests.support.pages import BrowserCase
from tests.worlds.photographs import take


class PracticePot(BrowserCase):
    def test_from_the_lot_to_the_moulds_and_the_shelf(self) -> None:
        page = self.open()
        page.set_default_timeout(40_000)
        self.address = self.serve(self.folder / "pot.sqlite3", lambda: self.now, refresh_seconds=0.3)
        self._begin(page)
        self._boil(page)
        self._cool_and_stir(page)
        self._mould(page)
        self.at_most(page, presses=30, fields=6)
        self._score(page)
        self._shelf(page)
        page.goto(f"{self.address}/practice/debrief")
        expect(page.locator(".debrief")).to_contain_text("this one was honest")
        expect(page.locator(".debrief table")).to_contain_text("stirred from")

    def _begin(self, page: Page) -> None:
        page.goto(f"{self.address}/practice")
        form = page.locator("form", has=page.get_by_role("button", name="Set up the pot"))
        form.locator("input[name=speed][value='60']").check(force=True)
        form.locator("input[name=surprise][value='0']").check(force=True)
        form.evaluate("f => f.insertAdjacentHTML('beforeend', '<input type=hidden name=seed value=5>')")
        form.get_by_role("button", name="Set up the pot").click()
        page.wait_for_url("**/candy?*lot=*")
        expect(page.locator(".caution").nth(1)).to_contain_text("Foam climbs")
        expect(page.locator(".cook-plan")).to_contain_text("60 of 25 g")
        page.locator("input[name=open_500]").fill("1")
        page.get_by_role("button", name="Light the fire").click()
        expect(page.locator("main")).to_contain_text("open more of lot")
        page.locator("input[name=open_500]").fill("4")
        page.get_by_role("button", name="Light the fire").click()
        page.wait_for_url("**/candy/cook/26-C01")
        expect(page.locator(".caution").first).to_contain_text("burns deep")

    def _until(self, page: Page, *heads: str) -> None:
        for _ in range(300):
            if page.locator("#alarm").is_visible():
                page.locator("#alarm").click(position={"x": 9, "y": 9})
            if page.locator("#verdict h1").inner_text() in heads:
                return
            page.wait_for_timeout(200)
        self.fail(f"it never said {heads}")

    def _boil(self, page: Page) -> None:
        self._until(page, "Boil on", "Nearly there", "Off the fire")
        expect(page.locator(".pot-way .name").last).to_be_visible()
        self.quiet(page, lambda: page.get_by_role("link", name="Drop in cold water").click())
        page.keyboard.press("Escape")
        water = page.locator("#off [name=litres]")
        # In one go: the part it is in may be drawn anew between finding it and typing.
        typed = "text => { document.querySelector('#off [name=litres]').value = text; }"
        page.evaluate(typed, "10")
        self._until(page, "Off the fire", "Over")
        expect(water).to_have_value("10")
        page.evaluate(typed, "")
        expect(page.locator("#off .off-fire")).to_have_class("off-fire loud")
        self.quiet(page, lambda: page.get_by_role("button", name="It is off the fire").click())
        expect(page.locator("#verdict h1")).to_have_text("Do not disturb")
        self.assertEqual(page.evaluate("scrollY"), 0)
        expect(page.locator(".caution").first).to_contain_text("bath of ice")

    def _cool_and_stir(self, page: Page) -> None:
        minutes = page.locator("#verdict .reading b").nth(1)
        first = float(minutes.inner_text())
        self._until(page, "Stir now")
        self.assertGreater(first, 5)
        self.quiet(page, lambda: page.get_by_role("button", name="Stirring begins").click())
        expect(page.locator("#verdict .sees")).to_be_visible()
        page.wait_for_timeout(2500)
        self.quiet(page, lambda: page.get_by_role("button", name="It turns").click())
        expect(page.locator("#verdict")).to_contain_text("left to pour")

    def _mould(self, page: Page) -> None:
        self.quiet(page, lambda: page.locator("input[name=count_1]").first.fill("9"))
        self.quiet(page, lambda: page.get_by_role("button", name="Save the pieces").click())
        expect(page.locator(".made-form")).to_contain_text("Is that right?")
        self.quiet(page, lambda: page.locator("input[name=count_1]").first.fill("57"))
        self.quiet(page, lambda: page.locator("input[name=made]").first.fill("1.43 kg"))
        self.quiet(page, lambda: page.get_by_role("button", name="Save the pieces").click())
        expect(page.locator("#verdict")).to_contain_text("57 × 25")

    def _score(self, page: Page) -> None:
        expect(page.locator(".caution").first).to_contain_text("milk")
        made = self.folder / "pieces.jpg"
        made.write_bytes(take(random.Random(6), 60).picture)
        self.quiet(page, lambda: page.locator("input[name=texture][value='0']").check(force=True))
        self.quiet(page, lambda: page.locator("input[name=taste][value='5']").check(force=True))
        page.set_input_files("#score-photo", made)
        page.get_by_role("button", name="Save scores").click()
        expect(page.locator(".score-said")).to_contain_text("texture right; taste 5 of 5")
        expect(page.locator(".score-said")).to_contain_text("The next plan learns")
        photo = page.locator(".score-photo")
        expect(photo).to_have_js_property("complete", True)
        self.assertGreater(photo.evaluate("image => image.naturalWidth"), 50)
        page.get_by_role("link", name="grainy, sandy").click()
        expect(page.locator(".clinic")).to_contain_text("Disturbed while it cooled")

    def _shelf(self, page: Page) -> None:
        page.get_by_role("link", name="On the shelf").click()
        expect(page.locator(".huge")).to_contain_text("57")
        page.get_by_role("link", name="Trace").click()
        expect(page.locator(".trace-bench h1")).to_have_text("Confection 26-C01")
        expect(page.locator(".web")).to_contain_text("Upper Fold")
        page.goto(f"{self.address}/jar/26-C01/labels")
        with page.expect_download() as sheet:
            page.get_by_role("button", name="PDF").click()
        text = pdfium.PdfDocument(sheet.value.path())[0].get_textpage().get_text_range()
        for words in ("Maple soft sugar", "Ingredients: maple syrup", "25 g", "26-C01"):
            self.assertIn(words, text)
        page.goto(f"{self.address}/shelf")
        expect(page.locator("#lot-26-C01")).to_contain_text("Moulded soft sugar, soft")

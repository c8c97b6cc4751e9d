"""Every page at three sizes: nothing beyond the edge, nothing cut, nothing over anything, targets for a wet
thumb; and how heavy the first page is."""

import unittest
from typing import Any

from playwright.sync_api import Page, Response

from lumbrel import demo
from lumbrel.services.kitchen.settings import use_units
from lumbrel.store.db import opened
from lumbrel.web.shell.tongue import LANGUAGE_COOKIE
from lumbrel.words import PSEUDO
from tests.browser.test_walk import LIVE, VIEWS
from tests.support.kitchen import season_copy
from tests.support.pages import BrowserCase, season

SIZES = {"phone": (360, 740), "tablet": (1280, 800), "tablet at 200 %": (640, 400)}
MORE = (
    f"{LIVE}?entry=thermometer",
    f"{LIVE}?entry=depth",
    "/pan/26-057",
    "/kitchen/instrument/probe-1",
)
IN_ONE_LINE = ("cut choice",)
"""A list to choose from is in one line, and read whole when it is opened."""
MOST_BYTES, MOST_REQUESTS = 150_000, 12
LOOK = """() => {
  const shown = (e) => {
    const box = e.getBoundingClientRect();
    const drawn = e.checkVisibility({ contentVisibilityAuto: true, opacityProperty: true, visibilityProperty: true });
    return drawn && box.width > 1 && box.height > 1;
  };
  const named = (e) => `${e.tagName.toLowerCase()}.${e.getAttribute('class') ?? ''} "${(e.textContent ?? '')
    .trim().slice(0, 40)}"`;
  const found = [];
  if (document.documentElement.scrollWidth > innerWidth) found.push('the page is wider than the screen');
  const floats = (e) => e.closest('.jump, #keypad, .visually-hidden, .skip-link, .is-stacked thead');
  const scrolls = (e) => e.closest('[tabindex="0"], .line, .slip-lines, .table-scroll');
  for (const e of document.querySelectorAll('button, a.go, summary, select, input[type=text], .pill')) {
    if (!shown(e) || e.closest('svg')) continue;
    const box = e.getBoundingClientRect();
    if (box.height < 47.5 || box.width < 44) found.push(`small: ${named(e)} ${box.width} x ${box.height}`);
    if (!scrolls(e) && !floats(e) && (box.left < -1 || box.right > innerWidth + 1))
      found.push(`beyond the edge: ${named(e)}`);
  }
  // A nav of stations, program text and a sheet of paper may be moved sideways; a table and a picture never.
  const moves = (e) => e.closest('.line, pre, .sheet, .tree-picture, .visually-hidden, input, textarea');
  for (const e of document.querySelectorAll('main, main *')) {
    if (e.closest('svg') || moves(e) || !shown(e)) continue;
    if (getComputedStyle(e).overflowX !== 'visible' && e.scrollWidth > e.clientWidth + 1)
      found.push(`its end is out of sight: ${named(e)} ${e.scrollWidth} in ${e.clientWidth}`);
  }
  const brush = document.createElement('canvas').getContext('2d');
  for (const e of document.querySelectorAll('select')) {
    if (!shown(e)) continue;
    const style = getComputedStyle(e);
    brush.font = style.font;
    const room = e.clientWidth - parseFloat(style.paddingLeft) - parseFloat(style.paddingRight);
    const chosen = e.selectedOptions[0]?.textContent.trim() ?? '';
    if (brush.measureText(chosen).width > room + 1) found.push(`cut choice: "${chosen}"`);
  }
  for (const e of document.querySelectorAll('svg[class] text')) {
    const scale = e.getScreenCTM();
    if (!scale || !shown(e) || !e.textContent.trim()) continue;
    const high = parseFloat(getComputedStyle(e).fontSize) * Math.hypot(scale.a, scale.b);
    if (high < 8.9) found.push(`too small to read: ${named(e)} ${high.toFixed(1)} px`);
  }
  const texts = [];
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) {
    const node = walker.currentNode;
    const parent = node.parentElement;
    if (!node.data.trim() || !parent || !shown(parent) || floats(parent)) continue;
    if (parent.closest('select, script, style, [hidden], dialog:not([open])')) continue;
    const range = document.createRange();
    range.selectNodeContents(node);
    for (const box of range.getClientRects()) {
      if (box.width < 2 || box.height < 2) continue;
      const within = parent.closest('.slip-lines, .line, [tabindex="0"]');
      const held = within?.getBoundingClientRect();
      if (held && (box.bottom > held.bottom || box.top < held.top || box.right > held.right || box.left < held.left))
        continue;
      if (!scrolls(parent) && (box.left < -1 || box.right > innerWidth + 1))
        found.push(`text beyond the edge: ${named(parent)}`);
      // Of the line's box, what letters fill.
      texts.push([new DOMRect(box.x, box.y + 0.25 * box.height, box.width, 0.5 * box.height), parent]);
    }
    const style = getComputedStyle(parent);
    if (style.overflow === 'hidden' && parent.scrollWidth > parent.clientWidth + 1)
      found.push(`cut: ${named(parent)}`);
  }
  texts.sort((a, b) => a[0].top - b[0].top);
  for (let i = 0; i < texts.length; i++) {
    const [a, one] = texts[i];
    for (let j = i + 1; j < texts.length && texts[j][0].top < a.bottom; j++) {
      const [b, other] = texts[j];
      if (one === other || one.contains(other) || other.contains(one)) continue;
      const wide = Math.min(a.right, b.right) - Math.max(a.left, b.left);
      const high = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
      if (wide > 3 && high > 0.3 * Math.min(a.height, b.height)) found.push(`over: ${named(one)} and ${named(other)}`);
    }
  }
  return [...new Set(found)];
}"""


class Geometry(BrowserCase):
    def test_nothing_is_cut_small_or_over_anything_at_any_size(self) -> None:
        self.assertEqual(self._wrong(), "")

    def test_french_has_the_same_room(self) -> None:
        self.assertEqual(self._wrong("fr-CA"), "")

    def test_sentences_longer_by_two_fifths_are_not_cut(self) -> None:
        self.assertEqual(self._wrong(PSEUDO.key, IN_ONE_LINE), "")

    def _wrong(self, language: str = "", but: tuple[str, ...] = ()) -> str:
        page = self.open(360, 740, touch=True)
        if language:
            cookie = {"name": LANGUAGE_COOKIE, "value": language, "url": season()}
            page.context.add_cookies([cookie])
        found: dict[str, Any] = {}
        for view in dict.fromkeys((*VIEWS, *MORE)):
            page.goto(season() + view)
            for size, (width, height) in SIZES.items():
                page.set_viewport_size({"width": width, "height": height})
                wrong = [one for one in self._settled(page) if not one.startswith(but)]
                if wrong:
                    found[f"{view}, {size}"] = wrong
        return "\n".join(f"{k}: {v}" for k, v in found.items())

    def test_an_american_kitchen_has_room_for_its_clock_and_gallons(self) -> None:
        path = season_copy(self.folder / "us")
        clock = demo.clock(path, frozen=True)
        with opened(path) as db:
            use_units(db, "us", clock())
        address = self.serve(path, clock=clock, demo=True, refresh_seconds=0)
        page = self.open(360, 740, touch=True)
        found: dict[str, Any] = {}
        for view in (
            LIVE,
            "/sap",
            "/sap/boil",
            "/jar/26-055",
            "/candy/cook/26-C07",
            "/shelf/26-040",
        ):
            page.goto(address + view)
            for size, (width, height) in SIZES.items():
                page.set_viewport_size({"width": width, "height": height})
                if wrong := self._settled(page):
                    found[f"{view}, {size}"] = wrong
        self.assertEqual(found, {}, "\n".join(f"{k}: {v}" for k, v in found.items()))

    def _settled(self, page: Page) -> list[str]:
        """What is wrong once the pictures have taken the size of the screen."""
        said: list[str] = []
        for _ in range(6):
            page.wait_for_timeout(60)
            said = page.evaluate(LOOK)
            if not said:
                break
        return said

    def test_the_first_page_is_light(self) -> None:
        page = self.open()
        answers: list[Response] = []
        page.on("response", lambda answer: answers.append(answer))
        page.goto(self.serve(self.folder / "light.sqlite3", refresh_seconds=0), wait_until="networkidle")
        sizes = {a.url: a.request.sizes()["responseBodySize"] for a in answers}
        self.assertLessEqual(len(sizes), MOST_REQUESTS, "\n".join(sizes))
        self.assertLessEqual(sum(sizes.values()), MOST_BYTES, str(sizes))


if __name__ == "__main__":
    unittest.main()

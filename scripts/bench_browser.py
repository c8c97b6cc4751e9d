"""What a person feels at a browser, on a desktop and on a processor four times slower: the first page, what holds a
page up, and what follows a finger."""

import statistics
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from playwright.sync_api import Browser, Page, Route

from lumbrel import demo
from lumbrel.web.shell.settings import Settings
from tests.support.browser import chromium
from tests.support.server import served

SLOW = 4
ROUNDS, MOVES = 7, 60
Measured = tuple[str, float, float]
LOOKED_AT = (
    "/",
    "/day",
    "/pan/26-001",
    "/colour/26-056",
    "/jar/26-055",
    "/candy",
    "/shelf",
    "/sap",
    "/help",
    "/wall",
)
WATCH = """
window.held = [];
new PerformanceObserver((seen) => { for (const one of seen.getEntries()) window.held.push(one.duration); })
  .observe({ type: "longtask", buffered: true });
window.usable = 0;
document.addEventListener("alpine:initialized", () => { window.usable = performance.now(); });
"""
MAP_EACH = """async (steps) => {
  const map = document.getElementById("candy-map");
  const took = [];
  for (let i = 0; i < steps; i++) {
    const began = performance.now();
    const drawn = new Promise((done) => {
      const eye = new MutationObserver(() => { eye.disconnect(); requestAnimationFrame(() => setTimeout(done)); });
      eye.observe(map, { childList: true, subtree: true });
    });
    const key = i % 20 < 10 ? "ArrowRight" : "ArrowLeft";
    map.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
    await drawn;
    took.push(performance.now() - began);
  }
  return took;
}"""
DRAG_EACH = """async (steps) => {
  const slider = document.querySelector("[data-part=b]");
  const said = document.getElementById("blend-said");
  const took = [];
  for (let i = 1; i <= steps; i++) {
    slider.value = i * slider.step;
    const began = performance.now();
    const drawn = new Promise((done) => {
      const eye = new MutationObserver(() => { eye.disconnect(); requestAnimationFrame(() => setTimeout(done)); });
      eye.observe(said, { childList: true });
    });
    slider.dispatchEvent(new Event("input", { bubbles: true }));
    await drawn;
    took.push(performance.now() - began);
  }
  return took;
}"""


def _p95(took: list[float]) -> float:
    return sorted(took)[int(0.95 * len(took))]


def _page(browser: Browser, times: int, *, phone: bool = False) -> Page:
    """A page of a browser that is so many times slower, and notes what holds it up."""
    wide, high = (390, 844) if phone else (1280, 800)
    page = browser.new_context(viewport={"width": wide, "height": high}).new_page()
    page.add_init_script(WATCH)
    if times > 1:
        page.context.new_cdp_session(page).send("Emulation.setCPUThrottlingRate", {"rate": times})
    return page


def _first(browser: Browser, address: str, still: str) -> float:
    """Milliseconds until the first page is usable, cold, on the slow one; `still`: as it is without scripts."""
    page = _page(browser, SLOW, phone=True)
    if still:

        def bare(route: Route) -> None:
            route.fulfill(body=still, content_type="text/html; charset=utf-8")

        page.route(address, bare)
    page.goto(address, wait_until="load")
    usable = float(
        page.evaluate(
            "window.usable || performance.timing.loadEventStart - performance.timing.navigationStart"
        )
    )
    page.context.close()
    return usable


def _without_scripts(browser: Browser, address: str) -> str:
    """What the server sends, with no script in it."""
    page = _page(browser, 1)
    sent = page.request.get(address).text()
    page.context.close()
    parts = sent.split("<script")
    return parts[0] + "".join(part.partition("</script>")[2] for part in parts[1:])


def first_page(browser: Browser, address: str) -> Iterator[Measured]:
    """Cold, against the same page without its scripts, in turns."""
    still = _without_scripts(browser, address)
    took: dict[str, list[float]] = {"": [], still: []}
    for _ in range(ROUNDS):
        for kind, found in took.items():
            found.append(_first(browser, address, kind))
    ratio = statistics.median(took[""]) / statistics.median(took[still])
    yield (
        "first page, cold, on the slow one: usable, times the same page without scripts",
        ratio,
        1.3,
    )


def held_up(browser: Browser, address: str) -> Iterator[Measured]:
    """The longest task of each page, ms, the median of some looks."""
    for name, times, most in (("desktop", 1, 50), ("slow one", SLOW, 200)):
        longest = {}
        for path in LOOKED_AT:
            each = []
            for _ in range(3):
                page = _page(browser, times, phone=times > 1)
                page.goto(f"{address}{path}", wait_until="load")
                page.wait_for_timeout(700)
                each.append(max(page.evaluate("window.held"), default=0.0))
                page.context.close()
            longest[path] = statistics.median(each)
        print(f"    longest tasks, {name}: {longest}", file=sys.stderr)
        worst = max(longest, key=lambda path: longest[path])
        yield f"longest task, {name} ({worst}), ms", longest[worst], most


def followed(browser: Browser, address: str) -> Iterator[Measured]:
    """From a move until it is painted, ms, the 95th of a hundred: the firmness map, a blend's slider."""
    for name, times, most in (("desktop", 1, 33), ("slow one", SLOW, 120)):
        page = _page(browser, times)
        page.goto(f"{address}/candy")
        page.evaluate(MAP_EACH, 10)
        yield (
            f"firmness map, input to paint, p95, {name}, ms",
            _p95(page.evaluate(MAP_EACH, MOVES)),
            most,
        )
        page.goto(f"{address}/colour/26-056/blend?b=kettle+26-055&c=water&wanted=Dark")
        page.evaluate(DRAG_EACH, 5)
        yield (
            f"blend slider, input to paint, p95, {name}, ms",
            _p95(page.evaluate(DRAG_EACH, MOVES)),
            most,
        )
        page.context.close()


def measures() -> Iterator[Measured]:
    """All of it, on the demonstration."""
    with tempfile.TemporaryDirectory() as scratch:
        path = demo.database(Path(scratch))
        demo.make(path)
        settings = Settings(database=path, clock=demo.clock(path, frozen=True), demo=True, refresh_seconds=0)
        with served(settings) as address, chromium() as browser:
            page = _page(browser, 1)
            page.goto(f"{address}/colour/26-056/meter")
            page.get_by_role("button", name="Save colour").click()
            page.context.close()
            yield from first_page(browser, f"{address}/")
            yield from held_up(browser, address)
            yield from followed(browser, address)


if __name__ == "__main__":
    for name, value, bound in measures():
        print(
            f"{'ok  ' if value <= bound else 'MISS'} {value:10.3f}  <= {bound:<8g} {name}",
            flush=True,
        )

"""Browser tests: one browser for all of them, a scratch folder, every page watched."""

import atexit
import shutil
import tempfile
import unittest
from collections.abc import Callable
from contextlib import ExitStack
from datetime import datetime, timedelta
from functools import lru_cache
from pathlib import Path
from typing import Any, ClassVar

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, Page, expect

from lumbrel import demo
from lumbrel.web.shell.settings import Access, Settings
from lumbrel.words import CANADA, Language, _, speaking
from tests.support.browser import chromium
from tests.support.kitchen import NOON, season_copy
from tests.support.server import served

expect.set_options(timeout=40_000)
SHARED = ExitStack()
COUNTS = """
  const more = (name) => { sessionStorage[name] = Number(sessionStorage[name] ?? 0) + 1; };
  const typed = "input:not([type=radio], [type=checkbox], [type=submit], [type=hidden]), select, textarea";
  addEventListener("pointerdown", (event) => { if (event.isTrusted) more("presses"); }, true);
  addEventListener("keydown", (event) => { if (event.isTrusted) more("keys"); }, true);
  addEventListener("change", (event) => { if (event.target.matches?.(typed)) more("fields"); }, true);
"""
"""What a person does with the hands, counted from page to page."""
atexit.register(SHARED.close)


@lru_cache(maxsize=1)
def browser() -> Browser:
    """The browser of all tests, closed when they end."""
    return SHARED.enter_context(chromium())


@lru_cache(maxsize=1)
def season() -> str:
    """The address of the demonstration at its frozen moment, for tests that write nothing."""
    folder = Path(tempfile.mkdtemp())
    SHARED.callback(shutil.rmtree, folder)
    path = season_copy(folder)
    settings = Settings(
        database=path,
        clock=demo.clock(path, frozen=True),
        demo=True,
        refresh_seconds=0,
        access=Access(folder=folder / "access"),
    )
    return SHARED.enter_context(served(settings))


class BrowserCase(unittest.TestCase):
    """A scratch folder and pages; each is watched for errors and foreign requests."""

    folder: ClassVar[Path]
    language: ClassVar[Language] = CANADA
    """The browser's, which the pages follow."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))

    def setUp(self) -> None:
        self.complaints: list[str] = []
        self.now = NOON

    def serve(self, path: Path, clock: Callable[[], datetime] | None = None, **more: Any) -> str:
        """Serve a record of its own for this test; returns the address."""
        return self.enterContext(served(Settings(database=path, clock=clock or (lambda: self.now), **more)))

    def open(self, width: int = 1280, height: int = 800, *, touch: bool = False) -> Page:
        """A page with nothing remembered from any other."""
        context = browser().new_context(
            viewport={"width": width, "height": height},
            has_touch=touch,
            reduced_motion="reduce",
            locale=self.language.key,
        )
        self.addCleanup(context.close)
        context.add_init_script(COUNTS)
        page = context.new_page()
        page.set_default_timeout(40_000)
        page.on("pageerror", lambda error: self.complaints.append(str(error)))
        page.on("console", lambda said: self._heard(said.type, said.text))
        page.on("request", lambda request: self._requested(request.url))
        return page

    def told(self, english: str, **parts: object) -> str:
        """A sentence of the pages as this browser's language has it."""
        with speaking(self.language):
            return str(_(english, **parts))

    def at_most(self, page: Page, **most: int) -> None:
        """Hold what the person did with the hands on a page, from its opening on, to a count."""
        did = {name: int(page.evaluate(f"sessionStorage.{name} ?? 0")) for name in most}
        for name, count in most.items():
            self.assertLessEqual(did[name], count, f"{name}: {did}")
            self.assertGreater(did[name], 0, name)

    def barriers(self, page: Page, *rules: str) -> list[tuple[str, str, str]]:
        """What axe finds serious on a page: its rule, where, and what to do."""
        only = {"runOnly": {"type": "rule", "values": list(rules)}} if rules else {}
        options = {"resultTypes": ["violations"], **only}
        found = Axe().run(page, options=options).response["violations"]
        first = [(one, one["nodes"][0]) for one in found]
        return [
            (one["id"], node["html"][:160], node["failureSummary"][:200])
            for one, node in first
            if one["impact"] in ("serious", "critical")
        ]

    def quiet(self, page: Page, act: Callable[[], object]) -> None:
        """Do something, answering whatever rings in between."""
        until = datetime.now() + timedelta(seconds=120)
        while True:
            while page.locator("#alarm").is_visible():
                page.locator("#alarm").click(position={"x": 9, "y": 9})
                page.wait_for_timeout(200)
            try:
                page.set_default_timeout(4000)
                act()
                return
            except Exception:
                if datetime.now() > until:
                    raise
            finally:
                page.set_default_timeout(40_000)

    def _heard(self, kind: str, text: str) -> None:
        if kind == "error" and "422" not in text:
            self.complaints.append(text)

    def _requested(self, url: str) -> None:
        if not url.startswith(("http://127.0.0.1:", "data:")):
            self.complaints.append(f"asked for {url}")

    def tearDown(self) -> None:
        self.assertEqual(self.complaints, [])

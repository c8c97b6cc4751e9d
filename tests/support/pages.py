"""Browser tests: one browser, a scratch folder, every page watched."""

import tempfile
import unittest
from pathlib import Path

from playwright.sync_api import Page, expect

from lumbrel.web.shell.settings import Settings
from tests.support.browser import chromium
from tests.support.kitchen import NOON
from tests.support.server import served

expect.set_options(timeout=12_000)


class BrowserCase(unittest.TestCase):
    """A browser and a scratch folder; every page is watched for errors and foreign requests."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.browser = cls.enterClassContext(chromium())
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))

    def setUp(self) -> None:
        self.complaints: list[str] = []
        self.now = NOON

    def serve(self, path: Path, clock=None, **more) -> str:
        return self.enterContext(served(Settings(path, clock or (lambda: self.now), **more)))

    def open(self, width: int = 1280, height: int = 800) -> Page:
        page = self.browser.new_page(viewport={"width": width, "height": height})
        self.addCleanup(page.close)
        page.set_default_timeout(8000)
        page.on("pageerror", lambda error: self.complaints.append(str(error)))
        page.on("console", lambda said: self._heard(said.type, said.text))
        page.on("request", lambda request: self._requested(request.url))
        return page

    def _heard(self, kind: str, text: str) -> None:
        if kind == "error" and "422" not in text:
            self.complaints.append(text)

    def _requested(self, url: str) -> None:
        if not url.startswith(("http://127.0.0.1:", "data:")):
            self.complaints.append(f"asked for {url}")

    def tearDown(self) -> None:
        self.assertEqual(self.complaints, [])

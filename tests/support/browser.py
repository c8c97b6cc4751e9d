"""Headless Chromium from Debian's packages, driven by Playwright; nothing leaves the machine."""

from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Browser, sync_playwright

ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--font-render-hinting=none",
    "--lang=en-CA",
    "--accept-lang=en-CA",
]


@contextmanager
def chromium() -> Iterator[Browser]:
    """A browser for the block."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGUMENTS)
        try:
            yield browser
        finally:
            browser.close()

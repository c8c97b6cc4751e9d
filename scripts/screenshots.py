"""One picture per view, from the demonstration with its clock stopped: the same each time."""

import itertools
import sys
import tempfile
from pathlib import Path
from unittest import mock

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from lumbrel import demo  # noqa: E402
from lumbrel.services.access import codes  # noqa: E402
from lumbrel.web.shell.network import Network, Opening  # noqa: E402
from lumbrel.web.shell.settings import Access, Settings, system_clock  # noqa: E402
from tests.support.browser import chromium  # noqa: E402
from tests.support.server import served  # noqa: E402

IN_FRENCH = "pan-night"
VIEWS = (
    ("kitchen", "/", "day", 1280),
    ("day-check", "/day", "day", 1280),
    ("sap", "/sap", "day", 1280),
    ("trunk", "/sap/tree/8bf30c5a-0822-5e03-9680-472692d59ef3", "day", 1280),
    ("take-in", "/take-in", "day", 1280),
    ("pan", "/pan/26-058", "day", 1280),
    ("pan-night", "/pan/26-058", "night", 1280),
    ("pan-phone", "/pan/26-058", "day", 390),
    ("filter", "/filter/26-057", "day", 1280),
    ("colour", "/colour/26-055", "day", 1280),
    ("jar", "/jar/26-055", "day", 1280),
    ("candy", "/candy", "day", 1280),
    ("cook", "/candy/cook/26-C07", "day", 1280),
    ("shelf", "/shelf", "day", 1280),
    ("trace", "/trace/26-039", "day", 1280),
    ("accounts", "/accounts", "night", 1280),
    ("alarm", "/pan/26-058", "day", 1280),
    ("wall", "/wall", "night", 1280),
    ("devices", "/kitchen/network", "day", 1280),
)


async def _as_if_open(network: Network) -> None:
    """A kitchen with three devices, open to a network that it would be in."""
    network.opening = Opening(is_open=True, port=8443, addresses=["192.168.7.2"], names=["lumbrel.local"])
    network._announcement.heard = True
    keeper, now = network.doorkeeper, system_clock()
    keeper.choose_passphrase("four odd maple words", "four odd maple words", now)
    for name, initials, role in (
        ("phone in the apron", "KL", "finisher"),
        ("tablet on the shelf", "MM", "finisher"),
        ("wall", "", "looker"),
    ):
        code = keeper.offer(role, now).code
        sent = {"code": code, "name": name, "initials": initials}
        keeper.pair(sent, f"192.168.7.{20 + len(name)}", now)


def main(names: list[str]) -> None:
    """Remake all pictures, or those named; `--to FOLDER` puts them elsewhere."""
    folder = ROOT / "docs" / "screenshots"
    if "--to" in names:
        at = names.index("--to")
        folder = Path(names[at + 1])
        del names[at : at + 2]
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as scratch:
        path = demo.database(Path(scratch))
        demo.make(path)
        settings = Settings(
            database=path,
            clock=demo.clock(path, frozen=True),
            demo=True,
            refresh_seconds=0,
            access=Access(folder=Path(scratch) / "access"),
        )
        letters = itertools.cycle(codes.CODE_LETTERS)
        with (
            mock.patch.object(Network, "resume", _as_if_open),
            mock.patch.object(Network, "end", mock.AsyncMock()),
            mock.patch.object(codes.secrets, "choice", lambda _: next(letters)),
            served(settings) as address,
            chromium() as browser,
        ):
            for name, where, shift, width in VIEWS:
                if names and name not in names:
                    continue
                height = 800 if width > 500 else 844
                page = browser.new_page(
                    viewport={"width": width, "height": height},
                    reduced_motion="reduce",
                    locale="fr-CA" if name == IN_FRENCH else "en-CA",
                )
                page.add_init_script(f"localStorage.setItem('shift', '{shift}')")
                page.goto(address + where)
                if name == "take-in":
                    for field, text in (
                        ("amount", "7 gal"),
                        ("brix", "44.2"),
                        ("temperature", "113 F"),
                    ):
                        page.fill(f"input[name={field}]", text)
                    page.wait_for_selector("#charge .facts")
                    page.wait_for_selector(".is-understood:has([name=temperature])")
                    page.wait_for_timeout(600)
                if page.locator("#run").count():
                    page.wait_for_selector("#run[data-drawn]")
                if name == "alarm":
                    page.locator("#alarm-test").evaluate("button => button.click()")
                if name == "devices":
                    page.get_by_role("button", name="Show a code").click()
                page.evaluate("document.fonts.ready")
                page.wait_for_timeout(250)
                page.screenshot(path=folder / f"{name}.png")
                page.close()
                print(name)


if __name__ == "__main__":
    main(sys.argv[1:])

"""Benchmarks of the network, from a second host in a network namespace: letting a device in, twelve
devices and eight probes, sign-ins beside them, the first page encrypted and plain.

    bench_network.py            all of it; 3 minutes, as an administrator
"""

import http.client
import json
import re
import ssl
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.parse
import urllib.request
from pathlib import Path

from playwright.sync_api import Browser, BrowserContext, Page

from lumbrel.services.access import passphrase
from lumbrel.services.access.roles import FINISHER
from lumbrel.store.db import opened
from scripts.bench_live import NOTES, PROBES, SECONDS, Kitchen, Load, p95_ms
from tests.support.browser import chromium
from tests.support.devices import PASSPHRASE
from tests.support.hosts import CAN, OtherHost, free_port, other_host

DEVICES, SIGN_INS, LOOKS = 12, 8, 9
WRONG = "not the passphrase at all"


def code_of(at: str, role: str) -> str:
    body = urllib.parse.urlencode({"role": role}).encode()
    with urllib.request.urlopen(f"{at}/kitchen/network/pair", body, timeout=10) as answer:
        found = re.search(r'code-letters">([^<]+)<', answer.read().decode())
    assert found
    return found[1]


def _let_in(away: str, at: str, device: BrowserContext, path: str) -> tuple[Page, float, int]:
    """A paired device's page, the seconds from code to page, and the presses it took."""
    page = device.new_page()
    code = code_of(at, FINISHER)
    begun = time.monotonic()
    page.goto(f"{away}/enter?code={code}&to={path}")
    page.locator("#code-initials").fill("AB")
    page.get_by_role("button", name="Let this device in").click()
    page.wait_for_selector(".who-here")
    # Past the warning: two; the field for the initials, and letting it in.
    return page, time.monotonic() - begun, 2 + 1 + 1


class Served:
    """A kitchen that is open to the other host."""

    def __init__(self, folder: Path, host: OtherHost, *more: str, most_files: int = 0) -> None:
        folder.mkdir(exist_ok=True)
        words = folder / "passphrase"
        words.write_text(PASSPHRASE + "\n")
        port, self.lan_port = free_port(), free_port()
        self.kitchen = Kitchen(
            folder,
            port,
            *("--host", host.address, "--lan-port", str(self.lan_port)),
            *("--passphrase-file", str(words), *more),
            most_files=most_files,
        )
        self.codes, self.tokens = self.kitchen.equip()
        self.kitchen.start()
        self.at = f"http://127.0.0.1:{port}"
        scheme = "http" if "--plain" in more else "https"
        self.away = f"{scheme}://{host.address}:{self.lan_port}"


def probes(address: str, port: str, codes: str, tokens: str, seconds: str, *hands_at: str) -> None:
    """On the other host: eight probes for so many seconds, then sign-ins beside them; prints what was
    sent, and how long the answers took before and during the sign-ins."""
    trusting = ssl.create_default_context()
    trusting.check_hostname, trusting.verify_mode = False, ssl.CERT_NONE

    def connect(own: str = "") -> http.client.HTTPConnection:
        source = (own, 0) if own else None
        return http.client.HTTPSConnection(
            address, int(port), timeout=10, context=trusting, source_address=source
        )

    def sign_in(own: str) -> None:
        body = urllib.parse.urlencode({"passphrase": PASSPHRASE, "name": "x"})
        wire, begun = connect(own), time.time()
        kind = {"Content-Type": "application/x-www-form-urlencoded"}
        wire.request("POST", "/enter/passphrase", body, kind)
        signed.append((wire.getresponse().status, time.time() - begun))

    signed: list[tuple[int, float]] = []
    load = Load(codes.split(","), tokens.split(","), connect)
    for thread in load.threads:
        thread.start()
    time.sleep(float(seconds))
    before = len(load.took)
    hands = [threading.Thread(target=sign_in, args=(own,)) for own in hands_at]
    for hand in hands:
        hand.start()
    for hand in hands:
        hand.join()
    time.sleep(2)
    load.done.set()
    time.sleep(1)
    sent = [[code, sample, at] for (code, sample), at in load.sent.items()]
    print(
        json.dumps(
            {
                "sent": sent,
                "acknowledged": load.acknowledged,
                "before": max(load.took[:before]),
                "during": max(load.took[before:]),
                "signed": signed,
            }
        )
    )


def under_load(host: OtherHost, browser: Browser, folder: Path) -> list[tuple[str, float, float]]:
    """Twelve devices and eight probes of the other host."""
    served = Served(folder, host)
    pages, took, presses = [], [], 0
    for i in range(DEVICES):
        device = browser.new_context(viewport={"width": 390, "height": 780})
        path = f"/pan/{served.codes[i % PROBES]}"
        page, seconds, presses = _let_in(served.away, served.at, device, path)
        page.evaluate(NOTES)
        pages.append(page)
        took.append(seconds)
    command = host.command(
        sys.executable,
        "-m",
        "scripts.bench_network",
        "probes",
        host.address,
        str(served.lan_port),
        ",".join(served.codes),
        ",".join(served.tokens),
        str(SECONDS + 5),
        *host.also_is(SIGN_INS),
    )
    sending = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    begun = time.time() + 5
    time.sleep(SECONDS + 5)
    painted = [note for page in pages for note in page.evaluate("window.seen")]
    said, _ = sending.communicate(timeout=60)
    told = json.loads(said)
    served.kitchen.kill(15)
    with opened(folder / "lumbrel.sqlite3") as db:
        known = {
            (row[0], row[1])
            for row in db.execute(
                """SELECT instrument_id, strftime('%Y-%m-%dT%H:%M:%S', at / 1000, 'unixepoch')
                   FROM sample JOIN device ON number = device"""
            )
        }
    lost = sum(tuple(key) not in known for key in told["acknowledged"])
    sent = {(code, sample): at for code, sample, at in told["sent"]}
    count, p95 = p95_ms(painted, sent, begun)
    in_at = [seconds for status, seconds in told["signed"] if status == 303]
    return [
        ("s from a code to the first page, the slowest of 12", max(took), 10.0),
        ("presses for it, the browser's warning and its 'go on' counted", float(presses), 6.0),
        (f"ms sample to painted page, p95 of {count}, 12 devices and 8 probes", p95, 400.0),
        (f"acknowledged samples lost of {len(told['acknowledged'])}", float(lost), 0.0),
        ("s that a sample waited at most, before the sign-ins", told["before"], 1.0),
        (f"s that a sample waited at most, beside {len(in_at)} sign-ins", told["during"], 1.0),
        ("s that the last of eight sign-ins at once took", max(in_at), 8.0),
    ]


def work_of_a_sign_in() -> list[tuple[str, float, float]]:
    """The processor's time for one passphrase."""
    kept, took = passphrase.hashed(PASSPHRASE), []
    for _ in range(7):
        begun = time.process_time()
        passphrase.is_it(kept, WRONG)
        took.append(1000 * (time.process_time() - begun))
    work = statistics.median(took)
    return [
        ("ms of work for a sign-in", work, 500.0),
        ("50 ms, over that", 50.0 / work, 1.0),
    ]


def first_page(host: OtherHost, browser: Browser, folder: Path) -> list[tuple[str, float, float]]:
    """The first page of a device that has nothing yet, encrypted and plain, by turns."""
    kitchens = [Served(folder / "sealed", host), Served(folder / "plain", host, "--plain")]
    took: list[list[float]] = [[], []]
    for _ in range(LOOKS):
        for kitchen, times in zip(kitchens, took, strict=True):
            device = browser.new_context(service_workers="block")
            page, _, _ = _let_in(kitchen.away, kitchen.at, device, "/wall")
            cookies = device.cookies()
            device.close()
            device = browser.new_context(service_workers="block")
            device.add_cookies(cookies)
            page = device.new_page()
            page.goto(f"{kitchen.away}/")
            times.append(page.evaluate("performance.getEntriesByType('navigation')[0].loadEventEnd"))
            device.close()
    for kitchen in kitchens:
        kitchen.kitchen.kill(15)
    sealed, plain = (statistics.median(times) for times in took)
    return [(f"first page cold: encrypted {sealed:.0f} ms over plain", sealed / plain, 1.3)]


def measures() -> list[tuple[str, float, float]]:
    """Name, value and upper bound; nothing for who may not make a second host."""
    if not CAN:
        return work_of_a_sign_in()
    with (
        other_host() as host,
        chromium() as here,
        host.chromium(here) as away,
        tempfile.TemporaryDirectory() as scratch,
    ):
        folder = Path(scratch)
        return [
            *work_of_a_sign_in(),
            *first_page(host, away, folder),
            *under_load(host, away, folder / "load"),
        ]


if __name__ == "__main__":
    if sys.argv[1:2] == ["probes"]:
        probes(*sys.argv[2:])
    else:
        for name, value, bound in measures():
            print(f"{'ok  ' if value <= bound else 'MISS'} {value:9.2f} (at most {bound:g})  {name}")

"""Two devices of another host at one pan: let in, read, called, cut off, put out; and what a wire tells
of the encryption."""

import re
import subprocess
import unittest
from collections.abc import Callable
from datetime import datetime
from html import unescape
from pathlib import Path
from urllib.parse import urlencode
from urllib.request import urlopen

from playwright.sync_api import BrowserContext, Error, Page, expect

from lumbrel import demo
from lumbrel.services.access.doorkeeper import Doorkeeper
from lumbrel.services.access.roles import FINISHER, LOOKER, OWNER
from lumbrel.services.base.codes import called
from lumbrel.services.kitchen import example
from lumbrel.services.record.kept import ready
from lumbrel.store.alarms import raise_alarm
from lumbrel.store.db import opened, transaction
from lumbrel.store.record import batch_by as record_of
from lumbrel.web.shell.network import DEVICES
from lumbrel.web.shell.settings import Access, Settings, system_clock
from lumbrel.words import LANGUAGES
from tests.support.devices import PASSPHRASE
from tests.support.hosts import CAN, OtherHost, free_port, other_host
from tests.support.kitchen import season_copy
from tests.support.pages import COUNTS, BrowserCase, browser
from tests.support.server import served

WHY_NOT = "only who administers the machine makes a second host on it"
PAN = "/pan/26-058"
READING = "?entry=hydrometer#entry"


class Wired(BrowserCase):
    """A kitchen that is open to a second host."""

    host: OtherHost

    def setUp(self) -> None:
        super().setUp()
        self.host = self.enterContext(other_host())
        self.port = free_port()
        self.away = f"https://{self.host.address}:{self.port}"
        self.record, clock = self.kitchen(self.folder / self.id())
        self.access = Access(
            folder=self.folder / self.id() / "access",
            lan=True,
            host=self.host.address,
            port=self.port,
        )
        keeper = Doorkeeper(self.access.folder / DEVICES, system_clock())
        keeper.choose_passphrase(PASSPHRASE, PASSPHRASE, system_clock())
        keeper.close()
        settings = Settings(database=self.record, clock=clock, refresh_seconds=0.2, access=self.access)
        self.at = self.enterContext(served(settings))

    def kitchen(self, folder: Path) -> tuple[Path, Callable[[], datetime]]:
        """The example kitchen, now: a board says what time it is."""
        folder.mkdir()
        record = folder / "lumbrel.sqlite3"
        with opened(record) as db:
            ready(db)
            example.load_example(db, system_clock())
        return record, system_clock


@unittest.skipUnless(CAN, WHY_NOT)
class FromAnotherHost(Wired):
    def kitchen(self, folder: Path) -> tuple[Path, Callable[[], datetime]]:
        """The demonstration, with its live pan."""
        record = season_copy(folder)
        clock = demo.clock(record)
        vessel = demo.LiveVessel(record, clock)
        vessel.start()
        self.addCleanup(vessel.stop)
        return record, clock

    def devices(self, width: int = 1280) -> list[BrowserContext]:
        """Two devices of the other host, with nothing remembered: a phone, and one that wide."""
        away = self.enterContext(self.host.chromium(browser()))
        sizes = ((390, 780), (width, 800))
        both = [
            away.new_context(
                viewport={"width": wide, "height": high}, has_touch=wide < 500, locale=self.language.key
            )
            for wide, high in sizes
        ]
        for device in both:
            device.add_init_script(COUNTS)
        return both

    def code(self, role: str) -> str:
        """A code, as the machine itself shows it."""
        body = urlencode({"role": role}).encode()
        with urlopen(f"{self.at}/kitchen/network/pair", body, timeout=10) as answer:
            found = re.search(r'code-letters">([^<]+)<', answer.read().decode())
        assert found
        return found[1]

    def let_in(self, device: BrowserContext, role: str, initials: str, path: str) -> Page:
        """A device that was let in and shows a page; its alarms are left to ring."""
        page = device.new_page()
        page.set_default_timeout(40_000)
        page.on("pageerror", lambda error: self.complaints.append(str(error)))
        self.steady(lambda: page.goto(self.away + path))
        page.locator("#code-code").fill(self.code(role))
        page.locator("#code-initials").fill(initials)
        page.get_by_role("button", name=self.told("Pair this device")).click()
        expect(page.locator(".who-here")).to_contain_text(self.told(str(called(role))))
        return page

    def steady(self, go: Callable[[], object]) -> None:
        """Go to a page; once more where the browser gave up because its network had just changed."""
        try:
            go()
        except Error as error:
            if "ERR_NETWORK_CHANGED" not in str(error):
                raise
            go()

    def ring(self) -> None:
        """The foam climbs in the pan."""
        with opened(self.record) as db:
            batch = record_of(db, code=PAN.rpartition("/")[2])
            assert batch is not None
            with transaction(db):
                raise_alarm(db, batch.id, "foam", demo.STARTS_AT, "Defoamer at hand.")

    def answer_all(self, page: Page) -> None:
        """Answer whatever rings on a page, until it is quiet."""
        for _ in range(6):
            try:
                expect(page.locator("#alarm")).to_be_visible(timeout=3000)
            except AssertionError:
                return
            page.locator("#alarm-answer").click()

    def read(self, page: Page, shown: str) -> None:
        """Type a cup reading and send it."""
        page.locator("#entry input[name=reading]").fill(shown)
        page.locator("#entry input[name=cup]").fill("92 C")
        page.locator("#entry button[type=submit]").click()

    def test_two_devices_at_one_pan_from_being_let_in_to_being_put_out(self) -> None:
        self._let_in_and_put_out(*self.devices())

    def test_an_owner_with_two_phones_in_french(self) -> None:
        self.language = LANGUAGES["fr-CA"]
        self._let_in_and_put_out(*self.devices(390))

    def _let_in_and_put_out(self, first: BrowserContext, second: BrowserContext) -> None:
        phone = self.let_in(first, FINISHER, "KL", PAN + READING)
        tablet = self.let_in(second, OWNER, "MM", PAN + READING)
        # It calls on both. One answers for all, who is said.
        self.ring()
        expect(phone.locator("#alarm")).to_be_visible()
        expect(tablet.locator("#alarm")).to_be_visible()
        tablet.locator("#alarm-answer").click()
        expect(phone.locator("#alarm")).to_be_hidden(timeout=20_000)
        expect(phone.locator("#answered")).to_contain_text(re.compile(r"\bMM\b"))
        self.answer_all(tablet)
        expect(phone.locator("#alarm")).to_be_hidden()
        self.read(phone, "49.6")
        # What one writes the other sees, with the initials of who wrote it.
        line = tablet.locator(".slip-lines li", has_text=re.compile(r"49[.,]6"))
        expect(line.locator(".by-whom")).to_have_text("KL")
        expect(phone.locator(".slip-lines li", has_text=re.compile(r"49[.,]6"))).to_have_count(1)
        self.at_most(phone, presses=8, fields=4)
        # The owner puts the phone out while something is typed on it: it is kept, and said so.
        expect(phone.locator(".slip-lines li", has_text=re.compile(r"49[.,]6"))).to_have_count(1)
        phone.locator("#entry input[name=reading]").fill("50.1")
        phone.locator("#entry input[name=cup]").fill("91 C")
        tablet.goto(f"{self.away}/kitchen/network")
        tablet.locator(".devices li", has_text="KL").get_by_role(
            "button", name=self.told("Remove device")
        ).click()
        expect(tablet.locator(".devices li.out")).to_contain_text("KL")
        expect(phone.locator("#out")).to_be_visible(timeout=60_000)
        phone.locator("#entry button[type=submit]").click()
        expect(phone.locator("#waiting")).to_contain_text("50.1, 91 C")
        # Let in anew, it sends what it kept: once.
        phone.locator("#out a").click()
        phone.locator("#code-code").fill(self.code(FINISHER))
        phone.locator("#code-initials").fill("KL")
        phone.get_by_role("button", name=self.told("Pair this device")).click()
        expect(phone.locator(".slip-lines li", has_text=re.compile(r"50[.,]1"))).to_have_count(
            1, timeout=60_000
        )
        with opened(self.record) as db:
            by = db.execute(
                "SELECT kind, initials, count(*) FROM line WHERE initials <> '' GROUP BY 1, 2"
            ).fetchall()
        self.assertEqual(
            {(kind, initials) for kind, initials, _ in by},
            {("alarm", "PK"), ("alarm", "MM"), ("hydrometer", "KL")},
        )
        self.assertEqual(sum(n for kind, _, n in by if kind == "hydrometer"), 2)

    def test_a_phone_without_its_network_shows_the_pan_keeps_what_is_typed_and_catches_up(
        self,
    ) -> None:
        phone = self.let_in(self.devices()[0], FINISHER, "KL", PAN + READING)
        self.answer_all(phone)
        kept = "caches.open('last').then((kept) => kept.keys()).then((keys) => keys.some((one) => "
        kept += f"one.url.includes('{PAN}')))"
        phone.wait_for_function(kept, timeout=60_000)
        self.host.wire("down")
        expect(phone.locator(".lost")).to_be_visible(timeout=60_000)
        phone.reload(timeout=60_000)
        expect(phone.locator("#kept")).to_contain_text("No connection to the kitchen")
        expect(phone.locator("#kept")).to_contain_text("under a minute ago")
        # The same page out of the memory again writes under another id.
        line_id = phone.locator("#entry input[name=id]").first
        before = line_id.input_value()
        phone.reload(timeout=60_000)
        self.assertNotEqual(line_id.input_value(), before)
        self.read(phone, "48.2")
        expect(phone.locator("#waiting")).to_contain_text("Waiting to be sent: hydrometer 48.2")
        phone.locator("#entry input[name=reading]").fill("51")
        self.host.wire("up")
        expect(phone.locator("#kept")).to_contain_text("The kitchen is back", timeout=60_000)
        self.assertEqual(phone.locator("#entry input[name=reading]").input_value(), "51")
        # It is far from what the others say, and came late: what is asked is answered here.
        expect(phone.locator("#waiting")).to_contain_text("Not taken: hydrometer 48.2, 92 C")
        phone.get_by_role("button", name="Confirm, send it").click()
        expect(phone.locator("#waiting")).to_be_hidden(timeout=60_000)
        self.steady(phone.reload)
        expect(phone.locator("#kept")).to_be_hidden()
        expect(phone.locator(".slip-lines li", has_text="Hydrometer 48.2")).to_have_count(1)
        self.complaints = [said for said in self.complaints if "ERR_" not in said]

    def test_a_looker_reads_and_is_shown_no_form_and_the_wall_is_one_of_its_pages(self) -> None:
        page = self.let_in(self.devices()[1], LOOKER, "", "/wall")
        page.goto(f"{self.away}/wall")
        expect(page.locator(".pane").first).to_be_visible()
        page.goto(f"{self.away}{PAN}")
        expect(page.locator(".verdict h1")).to_be_visible()
        expect(page.locator("#entry")).to_be_hidden()
        self.assertEqual(
            page.locator("form[method=post]:visible").evaluate_all("f => f.map(x => x.action)"),
            [f"{self.away}/{what}?at=kitchen" for what in ("initials", "leave")],
        )

    def test_the_wire_is_encrypted_with_what_is_good_and_nothing_else(self) -> None:
        authority = self.folder / "authority.pem"
        with urlopen(f"{self.at}/trust/authority.pem", timeout=10) as answer:
            authority.write_bytes(answer.read())
        where = [self.host.address, str(self.port)]
        asks = "import json, sys; sys.path.insert(0, '.'); from tests.support.tls import tried; "
        asks += f"print(tried({where[0]!r}, {where[1]}, {str(authority)!r}))"
        found = eval(self.host.run("python3", "-c", asks))
        self.assertEqual(found["trusted"], "TLSv1.3")
        self.assertEqual(found["by name"], "TLSv1.3")
        self.assertEqual(found["untrusted"], "refused")
        self.assertEqual(found["another name"], "refused")
        self.assertEqual(found["TLSv1.2"], "taken")
        for weak in ("TLSv1", "TLSv1.1", "RSA key exchange", "CBC", "no encryption"):
            self.assertEqual(found[weak], "refused", weak)
        self.assertEqual(found["plain HTTP"], b"")


@unittest.skipUnless(CAN, WHY_NOT)
class Boards(Wired):
    def test_the_programs_for_a_board_send_what_the_record_then_has(self) -> None:
        """Each as it is copied from the page, on the other host, for a few seconds."""
        with urlopen(f"{self.at}/kitchen/instrument/probe-1/token", b"id=abcdefgh", timeout=10) as page:
            shown = unescape(page.read().decode())
        fetch, curl, python, micropython = re.findall(r'class="to-copy"[^>]*>([^<]+)<', shown)
        said = self.host.run("sh", "-c", f"cd {self.folder} && {fetch}")
        with urlopen(f"{self.at}/kitchen/network", timeout=10) as page:
            pairs = re.findall(r"<span>([0-9A-F ]{23})</span>", page.read().decode())
        self.assertIn(" ".join(pairs).replace(" ", ":"), said)
        for name, text, words in (
            ("curl", curl, ["sh"]),
            ("python", python, ["timeout", "4", "python3"]),
            # What it uses of its library is the same in both languages.
            ("micropython", micropython, ["timeout", "4", "python3"]),
        ):
            program = self.folder / f"{name}.txt"
            program.write_text(text.replace("21.0", "99.0"))
            before = self.samples()
            done = subprocess.run(
                self.host.command(*words, str(program)),
                cwd=self.folder,
                capture_output=True,
                text=True,
                timeout=20,
                check=False,
            )
            self.assertGreaterEqual(self.samples() - before, 1 if name == "curl" else 2, done)

    def samples(self) -> int:
        """How many of a board are in the record."""
        with opened(self.record) as db:
            return int(db.execute("SELECT count(*) FROM sample WHERE value = 99.0").fetchone()[0])

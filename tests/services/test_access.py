"""Who is let in: passphrase, codes, devices, and how long a wrong try takes."""

import hashlib
import sqlite3
import stat
import tempfile
import unittest
from datetime import timedelta
from pathlib import Path
from threading import Event, Semaphore, Thread
from unittest import mock

from cryptography import x509

from lumbrel.services.access import addresses, passphrase
from lumbrel.services.access.certificates import LEAF, LEAF_KEY, Authority, is_own
from lumbrel.services.access.codes import CODE_LETTERS
from lumbrel.services.access.doorkeeper import Doorkeeper, MustWait
from lumbrel.services.access.tries import FREE_FOR_ALL, FREE_TRIES, Patience
from lumbrel.services.base.form import BadInput, NotFound
from lumbrel.store.access import AccessFile
from lumbrel.store.db import NoRecord
from tests.support.devices import NOW, PASSPHRASE

PHONE = {"name": "phone", "initials": "KL"}
MINUTE = timedelta(minutes=1)


class Keeping(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.path = self.folder / "access" / "access.sqlite3"
        self.keeper = Doorkeeper(self.path, NOW)
        self.addCleanup(lambda: self.keeper.close())

    def pair(self, code: str, after: timedelta = MINUTE, origin: str = "10.0.0.7") -> object:
        return self.keeper.pair({**PHONE, "code": code}, origin, NOW + after)

    def said(self, code: str, after: timedelta = MINUTE, origin: str = "10.0.0.7") -> str:
        with self.assertRaises(BadInput) as bad:
            self.pair(code, after, origin)
        return bad.exception.errors["code"]


class TestCodes(Keeping):
    def test_a_code_lets_one_device_in_once_within_five_minutes_as_typed_from_the_screen(
        self,
    ) -> None:
        offer = self.keeper.offer("finisher", NOW)
        entered = self.keeper.pair({**PHONE, "code": f" {offer.spelled.lower()} "}, "10.0.0.7", NOW)
        self.assertEqual((entered.device.role, entered.device.initials), ("finisher", "KL"))
        self.assertIn("used already", self.said(offer.code))
        late = self.keeper.offer("looker", NOW)
        self.assertIn("five minutes", self.said(late.code, 5 * MINUTE, "10.0.0.8"))
        self.assertIn("not the code", self.said("abcde", origin="10.0.0.9"))
        self.assertEqual([t.what for t in self.keeper.wrong_tries(NOW + MINUTE)], ["pairing code"] * 3)

    def test_the_newest_code_is_the_only_one_and_closing_ends_it(self) -> None:
        first, second = self.keeper.offer("owner", NOW), self.keeper.offer("looker", NOW)
        self.assertIn("over", self.said(first.code))
        self.keeper.keep_open(NOW, is_open=False)
        self.assertIn("over", self.said(second.code))
        self.assertGreaterEqual(len(CODE_LETTERS) ** len(second.code), 2**48)

    def test_a_device_without_a_name_costs_the_code_nothing(self) -> None:
        offer = self.keeper.offer("looker", NOW)
        with self.assertRaises(BadInput) as bad:
            self.keeper.pair({"code": offer.code, "name": " ", "initials": "123456789"}, "a", NOW)
        self.assertEqual(set(bad.exception.errors), {"name", "initials"})
        self.pair(offer.code)

    def test_wrong_tries_wait_longer_and_longer_and_a_right_code_does_not_come_through(
        self,
    ) -> None:
        for _ in range(FREE_TRIES):
            self.said("wrong")
        offer = self.keeper.offer("finisher", NOW)
        with self.assertRaises(MustWait):
            self.pair(offer.code)
        self.pair(offer.code, origin="10.0.0.99")  # somebody else is not kept waiting


class TestDevices(Keeping):
    def test_a_session_outlives_a_restart_and_not_being_put_out_nor_its_end(self) -> None:
        secrets = [self.pair(self.keeper.offer("finisher", NOW).code).secret for _ in range(3)]
        self.assertEqual(len(set(secrets)), 3)
        self.keeper.close()
        self.keeper = Doorkeeper(self.path, NOW)
        first, second, third = (self.keeper.device_of(s, NOW + MINUTE, "a") for s in secrets)
        assert first and second and third
        self.keeper.put_out(second.id, NOW)
        self.keeper.put_out(second.id, NOW)
        self.assertFalse(self.keeper.is_in(second.id))
        with sqlite3.connect(self.path) as db:
            self.assertEqual(db.execute("SELECT count(*) FROM session").fetchone()[0], 2)
        self.assertIsNone(self.keeper.device_of(secrets[1], NOW, "a"))
        self.assertIsNone(self.keeper.device_of(secrets[0][:-1] + "x", NOW, "a"))
        self.assertIsNone(self.keeper.device_of(secrets[0], NOW + timedelta(days=121), "a"))
        self.keeper.device_of(secrets[2], NOW + 9 * MINUTE, "b")
        self.keeper.close()
        self.keeper = Doorkeeper(self.path, NOW)
        self.assertIsNone(self.keeper.device_of(secrets[1], NOW, "a"))
        self.assertFalse(self.keeper.is_in(second.id))
        listed = {d.id: d for d in self.keeper.devices()}
        self.assertIsNotNone(listed[second.id].put_out_at)
        self.assertEqual(listed[third.id].seen_at, NOW + 9 * MINUTE)
        self.keeper.write_down(NOW + timedelta(days=121))
        with sqlite3.connect(self.path) as db:
            self.assertEqual(db.execute("SELECT count(*) FROM session").fetchone()[0], 0)

    def test_a_role_changes_at_once_and_only_to_one_that_there_is(self) -> None:
        secret = self.pair(self.keeper.offer("looker", NOW).code).secret
        device = self.keeper.device_of(secret, NOW, "a")
        assert device
        self.keeper.change(device.id, {"name": "tablet", "initials": "M", "role": "owner"})
        changed = self.keeper.device_of(secret, NOW, "a")
        assert changed
        self.assertEqual((changed.name, changed.initials, changed.role), ("tablet", "M", "owner"))
        with self.assertRaises(BadInput):
            self.keeper.change(device.id, {"name": "tablet", "role": "king"})
        with self.assertRaises(NotFound):
            self.keeper.change("nobody", {"name": "x", "role": "owner"})
        with self.assertRaises(BadInput):
            self.keeper.offer("machine", NOW)

    def test_the_file_is_its_owners_only_and_holds_no_secret(self) -> None:
        self.keeper.choose_passphrase(PASSPHRASE, PASSPHRASE, NOW)
        offer = self.keeper.offer("looker", NOW)
        secret = self.pair(offer.code).secret
        self.assertEqual(stat.S_IMODE(self.path.stat().st_mode), 0o600)
        self.assertEqual(stat.S_IMODE(self.path.parent.stat().st_mode), 0o700)
        held = self.path.read_bytes()
        for said in (PASSPHRASE, offer.code, secret):
            self.assertNotIn(said.encode(), held)
        self.assertIn(hashlib.sha256(secret.encode()).hexdigest().encode(), held)

    def test_another_file_and_a_newer_one_are_refused_by_name(self) -> None:
        other = self.folder / "other.sqlite3"
        with sqlite3.connect(other) as db:
            db.execute("PRAGMA user_version = 9")
        with self.assertRaisesRegex(NoRecord, "other.sqlite3"):
            AccessFile(other)


class TestPassphrase(Keeping):
    def test_it_is_long_enough_typed_twice_and_kept_by_argon2id(self) -> None:
        for text, again, field in (
            ("abc", "abc", "passphrase"),
            ("aaaaaaaaaaaaaa", "aaaaaaaaaaaaaa", "passphrase"),
            (PASSPHRASE, PASSPHRASE + "s", "again"),
        ):
            with self.subTest(text), self.assertRaises(BadInput) as bad:
                self.keeper.choose_passphrase(text, again, NOW)
            self.assertIn(field, bad.exception.errors)
        self.assertFalse(self.keeper.has_passphrase)
        self.assertFalse(passphrase.is_it(None, "nobody's"))
        self.keeper.choose_passphrase(PASSPHRASE, PASSPHRASE, NOW)
        self.assertTrue(self.keeper.is_passphrase(f" {PASSPHRASE} "))
        self.assertFalse(self.keeper.is_passphrase(PASSPHRASE.upper()))
        self.assertRegex(passphrase.hashed("x"), r"^\$argon2id\$v=19\$m=65536,t=3,p=1\$")

    def test_who_knows_it_is_the_owner_and_who_does_not_is_counted(self) -> None:
        self.keeper.choose_passphrase(PASSPHRASE, PASSPHRASE, NOW)
        entered = self.keeper.sign_in({**PHONE, "passphrase": PASSPHRASE}, "10.0.0.7", NOW)
        self.assertEqual(entered.device.role, "owner")
        with self.assertRaises(BadInput):
            self.keeper.sign_in({**PHONE, "passphrase": "another one"}, "10.0.0.7", NOW)
        self.assertEqual([t.what for t in self.keeper.wrong_tries(NOW)], ["passphrase"])


class TestCrowd(Keeping):
    def test_a_ninth_sign_in_at_once_is_told_to_wait_and_none_is_lost(self) -> None:
        inside, go = Semaphore(0), Event()

        def slow(kept: str | None, text: str) -> bool:
            inside.release()
            return go.wait(10)

        came: list[str] = []

        def sign_in(number: int) -> None:
            sent = {**PHONE, "passphrase": PASSPHRASE}
            came.append(self.keeper.sign_in(sent, f"10.0.0.{number}", NOW).device.role)

        hands = [Thread(target=sign_in, args=(n,)) for n in range(8)]
        with mock.patch.object(passphrase, "is_it", slow):
            for hand in hands:
                hand.start()
            for _ in hands:
                self.assertTrue(inside.acquire(timeout=10))
            with self.assertRaises(MustWait):
                sign_in(9)
            go.set()
            for hand in hands:
                hand.join(10)
        self.assertEqual(came, ["owner"] * 8)


class TestPatience(unittest.TestCase):
    def test_waits_double_to_a_quarter_of_an_hour_and_are_forgotten_when_it_is_right(self) -> None:
        second = 0.0
        patience = Patience(lambda: second)
        waits = []
        for _ in range(14):
            wait = patience.must_wait("a")
            waits.append(wait)
            second += wait
            if wait:
                self.assertEqual(patience.must_wait("a"), 0)
        self.assertEqual(waits[:6], [0, 0, 0, 2, 4, 8])
        self.assertEqual(waits[-1], 900)
        for _ in range(4):
            patience.must_wait("b")
        patience.right("a")
        self.assertEqual(patience.must_wait("a"), 0)
        self.assertGreater(patience.must_wait("b"), 0)

    def test_many_addresses_are_one_attacker_and_nobody_waits_for_them_long(self) -> None:
        patience = Patience(lambda: 0.0)
        waits = [patience.must_wait(f"10.0.{n // 200}.{n % 200}") for n in range(FREE_FOR_ALL + 5)]
        self.assertEqual(set(waits[:FREE_FOR_ALL]), {0})
        self.assertTrue(all(0 < wait <= 30 for wait in waits[FREE_FOR_ALL:]))


class TestCertificates(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory())) / "access"
        self.authority = Authority(self.folder, NOW)

    def leaf(self, when: timedelta = MINUTE, *more: str) -> x509.Certificate:
        Authority(self.folder, NOW + when).certify(["lumbrel.local"], ["192.168.7.2", *more], NOW + when)
        return x509.load_pem_x509_certificate((self.folder / LEAF).read_bytes())

    def test_it_is_kept_until_it_ends_soon_or_the_machine_is_called_otherwise(self) -> None:
        first = self.leaf()
        self.assertEqual(first, self.leaf(timedelta(days=140)))
        moved = self.leaf(timedelta(days=140), "192.168.8.9")
        self.assertNotEqual(first, moved)
        self.assertEqual(moved, self.leaf(timedelta(days=141)))  # an address less is no reason
        self.assertNotEqual(moved, self.leaf(timedelta(days=140 + 155)))
        self.assertEqual(self.authority.fingerprint, Authority(self.folder, NOW).fingerprint)
        subject = x509.load_der_x509_certificate(self.authority.der).subject.rfc4514_string()
        self.assertRegex(subject, r"^CN=Lumbrel\\, kitchen [0-9a-f]{15}$", "it names nobody")

    def test_a_key_that_does_not_fit_is_made_anew_and_all_is_its_owners_only(self) -> None:
        first = self.leaf()
        key = self.folder / LEAF_KEY
        key.write_bytes((self.folder / "authority.key").read_bytes())
        self.assertNotEqual(first, self.leaf())
        for path in self.folder.iterdir():
            self.assertEqual(stat.S_IMODE(path.stat().st_mode), 0o600, path.name)

    def test_a_phone_whose_clock_is_an_hour_behind_trusts_it(self) -> None:
        leaf = self.leaf(timedelta())
        self.assertLess(leaf.not_valid_before_utc, NOW - timedelta(hours=1))
        lasts = leaf.not_valid_after_utc - leaf.not_valid_before_utc
        self.assertLess(lasts, timedelta(days=398))

    def test_only_ones_own_networks_are_vouched_for(self) -> None:
        for text in ("192.168.7.2", "10.1.2.3", "172.31.0.1", "fd00::2", "fe80::1"):
            self.assertTrue(is_own(text), text)
        for text in ("172.32.0.1", "8.8.8.8", "2001:4860::1", "lumbrel.local"):
            self.assertFalse(is_own(text), text)
        self.assertTrue(all(is_own(text) for text in addresses.addresses()))

    def test_the_address_that_is_spoken_with_stands_before_those_of_virtual_machines(self) -> None:
        there = [
            mock.Mock(ips=[mock.Mock(ip=ip) for ip in ips])
            for ips in (
                ["127.0.0.1"],
                ["172.17.0.1"],
                ["192.168.7.2", ("fd00::2", 0, 0)],
                ["8.8.8.8"],
            )
        ]
        with (
            mock.patch.object(addresses.ifaddr, "get_adapters", lambda: there),
            mock.patch.object(addresses, "_outward", lambda: "192.168.7.2"),
        ):
            self.assertEqual(addresses.addresses(), ["192.168.7.2", "172.17.0.1", "fd00::2"])

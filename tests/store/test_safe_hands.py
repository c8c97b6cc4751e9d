"""Backups, restoring, and who may touch a record."""

import socket
from datetime import timedelta
from pathlib import Path

from lumbrel.services.base import batch as contexts
from lumbrel.services.kitchen import restoring, safekeeping
from lumbrel.services.kitchen.safekeeping import WouldLose
from lumbrel.services.record import compared, kept
from lumbrel.store import safe
from lumbrel.store.db import NoRecord, connect, opened, transaction
from lumbrel.store.safe import InUse
from tests.support.kitchen import NOON, KitchenCase
from tests.support.safe import run

ROOT = Path(__file__).parent.parent.parent


class SafeHands(KitchenCase):
    def data(self) -> tuple[str, str]:
        return "--data", str(self.folder)

    def test_whatever_is_written_is_its_owners_alone(self) -> None:
        self.take_in()
        (self.folder / "lumbrel.log").touch(0o644)
        (self.folder / "backups").mkdir(mode=0o755)
        (self.folder / "backups" / "lumbrel-2026-03-17.sqlite3").touch(0o644)
        self.path.chmod(0o644)
        safekeeping.for_its_owner_only(self.path)
        run("backup", str(self.folder / "copy.sqlite3"), *self.data())
        run("export", "--out", str(self.folder / "book.json"), *self.data())
        run("import", str(self.folder / "book.json"), "--data", str(self.folder / "new"))
        found = [self.folder, *self.folder.rglob("*")]
        self.assertGreater(len(found), 10)
        for path in found:
            self.assertEqual(path.stat().st_mode & 0o077, 0, path)

    def test_a_newer_or_foreign_file_is_refused_by_name(self) -> None:
        self.db.execute("PRAGMA user_version = 99")
        with self.assertRaisesRegex(NoRecord, "newer"):
            kept.ready(self.db)
        foreign = connect(self.folder / "foreign.sqlite3")
        self.addCleanup(foreign.close)
        foreign.execute("CREATE TABLE t (x)")
        with self.assertRaisesRegex(NoRecord, "another program"):
            kept.ready(foreign)
        text = self.folder / "notes.txt"
        text.write_text("not a record" * 99)
        self.assertIn("no record", " ".join(safe.problems(text)))

    def test_a_backup_is_verified_and_never_written_over(self) -> None:
        self.take_in()
        copy = self.folder / "copy.sqlite3"
        code, said, _ = run("backup", str(copy), *self.data())
        self.assertEqual(code, 0)
        self.assertIn("1 batches with 1 lines", said)
        before = copy.read_bytes()
        code, _, complaint = run("backup", str(copy), *self.data())
        self.assertEqual((code, copy.read_bytes()), (2, before))
        self.assertIn("there already", complaint)
        self.assertEqual(run("check", str(copy))[0], 0)
        empty = self.folder / "nowhere"
        self.assertEqual(run("backup", str(self.folder / "b"), "--data", str(empty))[0], 2)
        self.assertFalse((self.folder / "b").exists())

    def test_an_unsound_record_is_not_backed_up(self) -> None:
        self.take_in()
        self.db.execute("PRAGMA foreign_keys = OFF")
        self.db.execute("INSERT INTO waits VALUES ('jar', 'nobody', '')")
        with self.assertRaises(WouldLose):
            safekeeping.backup(self.path, self.folder / "b.sqlite3")
        self.db.execute("DELETE FROM waits WHERE batch_id = 'nobody'")
        self.db.execute("DELETE FROM waits")
        code, said, complaint = run("check", *self.data())
        self.assertEqual((code, "damaged" in said, "waits" in complaint), (1, True, True))
        with self.assertRaisesRegex(WouldLose, "waits"):
            safekeeping.backup(self.path, self.folder / "b.sqlite3")
        self.assertEqual(list(self.folder.glob("b.sqlite3*")), [])

    def test_restore_keeps_what_it_replaces_and_refuses_while_it_is_served(self) -> None:
        code = self.take_in()
        copy = self.folder / "copy.sqlite3"
        safekeeping.backup(self.path, copy)
        self.put(code, "note", 5, text="after it")
        with safe.held(self.path, alone=True), self.assertRaisesRegex(InUse, "served"):
            restoring.restore(self.path, copy, NOON)
        with safe.held(self.path, alone=False), self.assertRaises(InUse):
            restoring.restore(self.path, copy, NOON)
        with self.assertRaisesRegex(WouldLose, "the record itself"):
            restoring.restore(self.path, self.path, NOON)
        # What is in the log of the record only is kept too: nobody closed it in order.
        _, aside = restoring.restore(self.path, copy, NOON)
        with opened(self.path) as db, opened(aside) as old:
            self.assertEqual(len(contexts.load(db, code, NOON).entries), 1)
            self.assertEqual(len(contexts.load(old, code, NOON).entries), 2)

    def test_one_server_a_record(self) -> None:
        with (
            safe.held(self.path, alone=True),
            safe.held(self.path, alone=False),
            self.assertRaisesRegex(InUse, "serving it already"),
            safe.held(self.path, alone=True),
        ):
            pass

    def test_the_demonstration_leaves_a_kitchens_own_record_alone(self) -> None:
        self.take_in()
        self.db.close()
        before = self.path.read_bytes()
        for more in ((), ("--fresh",)):
            code, _, complaint = run("demo", *self.data(), *more)
            self.assertEqual(code, 2)
            self.assertIn("own", complaint)
        self.assertEqual(self.path.read_bytes(), before)
        self.db = connect(self.path)
        earlier = self.folder / "50 %20 earlier?#"
        earlier.mkdir()
        written = (ROOT / "tests/data/record-0.1/record.sqlite3").read_bytes()
        (earlier / "lumbrel.sqlite3").write_bytes(written)
        self.assertEqual(run("demo", "--data", str(earlier))[0], 2)
        self.assertEqual((earlier / "lumbrel.sqlite3").read_bytes(), written)

    def test_automatic_backups_are_one_a_day_and_thin_out(self) -> None:
        folder = self.folder / "backups"
        self.assertTrue(safekeeping.back_up_today(self.path, folder, NOON))
        self.assertFalse(safekeeping.back_up_today(self.path, folder, NOON + timedelta(hours=3)))
        days = [f"{NOON - timedelta(days=d):%Y-%m-%d}" for d in range(100)]
        gone = safekeeping.superfluous(days)
        stay = [day for day in days if day not in gone]
        self.assertEqual(stay[:14], days[:14])
        self.assertEqual({day[:7] for day in stay}, {day[:7] for day in days})
        self.assertLess(len(stay), 20)
        for day in stay[14:]:
            self.assertEqual(day, min(d for d in days if d[:7] == day[:7]))

    def test_a_taken_port_or_folder_is_a_sentence(self) -> None:
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = str(taken.getsockname()[1])
            code, said, complaint = run("serve", *self.data(), "--port", port)
        self.assertEqual((code, said), (2, ""))
        self.assertIn("cannot be served", complaint)
        file = self.folder / "a-file"
        file.write_text("")
        code, _, complaint = run("serve", "--data", str(file / "below"))
        self.assertEqual(code, 1)
        self.assertNotIn("Traceback", complaint)

    def test_kept_tables_are_made_anew_and_compared(self) -> None:
        self.take_in()
        self.assertEqual(compared.differences(self.db), [])
        self.db.execute("UPDATE standing SET taken_at = '2020'")
        self.db.execute("DELETE FROM flow_share")
        self.assertEqual(len(compared.differences(self.db)), 2)
        with transaction(self.db):
            kept.rebuild(self.db)
        self.assertEqual(compared.differences(self.db), [])

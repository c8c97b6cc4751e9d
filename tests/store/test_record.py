"""What the record promises: migrations once, raw lines for ever, all or nothing."""

import sqlite3
import subprocess
import sys
import tempfile
import unittest
from importlib.resources import files
from pathlib import Path

from lumbrel.services.day.checks import boiled, test_boils
from lumbrel.store import book, record
from lumbrel.store.book import LineRow
from lumbrel.store.db import connect, instant, migrate, moment, transaction
from lumbrel.store.instruments import instruments
from lumbrel.store.kitchen import load_kitchen
from tests.support.kitchen import NOON, KitchenCase


class Record(KitchenCase):
    def test_pragmas_hold_on_every_connection(self) -> None:
        def value(name: str) -> object:
            return self.db.execute(f"PRAGMA {name}").fetchone()[0]

        self.assertEqual(value("journal_mode"), "wal")
        self.assertEqual(value("synchronous"), 2)
        self.assertEqual(value("foreign_keys"), 1)
        self.assertGreaterEqual(value("busy_timeout"), 1000)

    def test_migrations_are_applied_once(self) -> None:
        self.assertEqual(migrate(self.db), [])

    def test_a_slip_is_never_rewritten(self) -> None:
        self.take_in()
        for statement in ("UPDATE line SET facts = '{}'", "DELETE FROM line"):
            with self.assertRaises(sqlite3.IntegrityError):
                self.db.execute(statement)

    def test_an_entry_sent_twice_is_written_once(self) -> None:
        code = self.take_in()
        batch = record.batch_by(self.db, code=code)
        entry = LineRow(
            id="same-id-twice",
            about="batch",
            about_id=batch.id,
            kind="note",
            at=NOON,
            noted_at=NOON,
            facts={"text": "a"},
        )
        self.assertTrue(book.add(self.db, entry))
        self.assertFalse(book.add(self.db, entry))

    def test_a_transaction_is_all_or_nothing(self) -> None:
        with self.assertRaises(sqlite3.IntegrityError), transaction(self.db):
            self.db.execute("INSERT INTO woodlot VALUES ('x', 'X', 'maple', 0)")
            self.db.execute("INSERT INTO woodlot VALUES ('y', 'X', 'maple', 0)")
        self.assertIsNone(self.db.execute("SELECT 1 FROM woodlot WHERE id = 'x'").fetchone())

    def test_instants_come_back(self) -> None:
        self.assertEqual(moment(instant(NOON)), NOON)


class OldRecords(unittest.TestCase):
    def test_a_record_of_the_third_migration_keeps_all_it_holds(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            db = connect(Path(folder) / "old.sqlite3")
            self.addCleanup(db.close)
            scripts = sorted(files("lumbrel.store").joinpath("migrations").iterdir(), key=str)
            db.execute("CREATE TABLE migration (name TEXT PRIMARY KEY, applied_at TEXT) STRICT")
            for script in [s for s in scripts if s.name < "0004"]:
                db.executescript(script.read_text(encoding="utf-8"))
                db.execute("INSERT INTO migration VALUES (?, '')", (script.name,))
            db.execute("INSERT INTO kitchen VALUES (1, 'Old', 418, 'UTC', 66.9, 0, '{}')")
            db.execute("INSERT INTO instrument VALUES ('t', 'thermometer', 'T', '{}', NULL, NULL)")
            db.execute(
                "INSERT INTO test_boil VALUES ('b', ?, 't', '99', 99, 96400, 50, 'x')",
                (instant(NOON),),
            )
            self.assertGreaterEqual(len(migrate(db)), 2)
            self.assertEqual([i.name for i in instruments(db)], ["T"])
            self.assertEqual(test_boils(db, "t", NOON)[0].facts.reading_c, 99)
            self.assertEqual((load_kitchen(db).name, load_kitchen(db).methods), ("Old", {}))
            self.assertEqual(db.execute("PRAGMA foreign_keys").fetchone()[0], 1)
            with self.assertRaises(sqlite3.IntegrityError):
                boiled(db, "boil-0002", "nobody", NOON, reading_c=99.0, pressure_pa=96_400.0)


class Killed(unittest.TestCase):
    def test_what_was_committed_survives_a_kill(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "r.sqlite3"
            script = (
                "import os, signal, sys\n"
                "from lumbrel.store.db import connect, migrate, transaction\n"
                "db = connect(sys.argv[1]); migrate(db)\n"
                "with transaction(db): db.execute(\"INSERT INTO woodlot VALUES ('a', 'A', 'maple', 0)\")\n"
                "db.execute('BEGIN IMMEDIATE')\n"
                "db.execute(\"INSERT INTO woodlot VALUES ('b', 'B', 'maple', 0)\")\n"
                "os.kill(os.getpid(), signal.SIGKILL)\n"
            )
            done = subprocess.run([sys.executable, "-c", script, str(path)], check=False)
            self.assertEqual(done.returncode, -9)
            db = connect(path)
            names = [row["name"] for row in db.execute("SELECT name FROM woodlot")]
            self.assertEqual(names, ["A"])
            self.assertEqual(db.execute("PRAGMA integrity_check").fetchone()[0], "ok")
            db.close()

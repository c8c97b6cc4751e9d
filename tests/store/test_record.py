"""What the record promises: migrations once, raw lines for ever, all or nothing."""

import sqlite3
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from lumbrel.store import batches
from lumbrel.store.db import connect, instant, migrate, moment, transaction
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
        for statement in ("UPDATE entry SET facts = '{}'", "DELETE FROM entry"):
            with self.assertRaises(sqlite3.IntegrityError):
                self.db.execute(statement)

    def test_an_entry_sent_twice_is_written_once(self) -> None:
        code = self.take_in()
        batch = batches.batch_by(self.db, code=code)
        entry = batches.Entry("same-id-twice", batch.id, "note", NOON, NOON, {}, {"text": "a"})
        self.assertTrue(batches.add_entry(self.db, entry))
        self.assertFalse(batches.add_entry(self.db, entry))

    def test_a_transaction_is_all_or_nothing(self) -> None:
        with self.assertRaises(sqlite3.IntegrityError), transaction(self.db):
            self.db.execute("INSERT INTO woodlot VALUES ('x', 'X', 'maple')")
            self.db.execute("INSERT INTO woodlot VALUES ('y', 'X', 'maple')")
        self.assertIsNone(self.db.execute("SELECT 1 FROM woodlot WHERE id = 'x'").fetchone())

    def test_instants_come_back(self) -> None:
        self.assertEqual(moment(instant(NOON)), NOON)


class Killed(unittest.TestCase):
    def test_what_was_committed_survives_a_kill(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "r.sqlite3"
            script = (
                "import os, signal, sys\n"
                "from lumbrel.store.db import connect, migrate, transaction\n"
                "db = connect(sys.argv[1]); migrate(db)\n"
                "with transaction(db): db.execute(\"INSERT INTO woodlot VALUES ('a', 'A', 'maple')\")\n"
                "db.execute('BEGIN IMMEDIATE')\n"
                "db.execute(\"INSERT INTO woodlot VALUES ('b', 'B', 'maple')\")\n"
                "os.kill(os.getpid(), signal.SIGKILL)\n"
            )
            done = subprocess.run([sys.executable, "-c", script, str(path)], check=False)
            self.assertEqual(done.returncode, -9)
            db = connect(path)
            names = [row["name"] for row in db.execute("SELECT name FROM woodlot")]
            self.assertEqual(names, ["A"])
            self.assertEqual(db.execute("PRAGMA integrity_check").fetchone()[0], "ok")
            db.close()

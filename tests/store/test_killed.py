"""Killed between any two steps of an import, a backup, a restore, a migration: the next start finds the
record whole, or says what lies where."""

import contextlib
import os
import random
import shutil
import signal
import sqlite3
import sys
import tempfile
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

from lumbrel.exchange import logbook
from lumbrel.services.base import batch as contexts
from lumbrel.services.colour import photograph
from lumbrel.services.colour.photograph import as_text
from lumbrel.services.kitchen import restoring, safekeeping
from lumbrel.services.record import kept
from lumbrel.store.db import opened
from tests.support.kitchen import NOON, KitchenCase
from tests.support.safe import run
from tests.worlds.photographs import BLANK, SAMPLE, take

LEFT = (".part", "under-way", "restoring")
RECORD_01 = Path(__file__).parent.parent / "data" / "record-0.1" / "record.sqlite3"


def killed_at(step: int, under: Path, work: Callable[[], object]) -> bool:
    """Do some work in a process that is killed when it touches the files of a folder for the n-th time.

    Returns:
        Whether it was killed; else it came to its end.
    """
    child = os.fork()
    if child == 0:
        steps = 0

        def count(event: str, arguments: tuple[object, ...]) -> None:
            nonlocal steps
            files = event.startswith(("open", "os.", "sqlite3.connect", "shutil.", "fcntl."))
            if files and (event.startswith("fcntl.") or str(under) in str(arguments)):
                if steps == step:
                    os.kill(os.getpid(), signal.SIGKILL)
                steps += 1

        sys.addaudithook(count)
        try:
            work()
        finally:
            os._exit(0)
    _, status = os.waitpid(child, 0)
    return os.WIFSIGNALED(status)


class Killed(KitchenCase):
    """A record with a photograph, a backup of it from before its last line, a logbook."""

    def setUp(self) -> None:
        super().setUp()
        self.code = self.take_in()
        self.put(self.code, "draw", 60, mass="19.9 kg")
        made = take(random.Random(4), 40)
        boxes = {"blank_box": as_text(BLANK), "sample_box": as_text(SAMPLE)}
        name = photograph.take(contexts.load(self.db, self.code, NOON), made.picture)
        fields = {"by": "photo", "photo": name, "path": f"{made.path_mm} mm", **boxes}
        self.put(self.code, "colour", 70, **fields, photo_confirmed="1")
        self.home = self.folder / "home"
        self.home.mkdir()
        self.old = self.home / "old.sqlite3"
        safekeeping.backup(self.path, self.old)
        self.put(self.code, "note", 99, text="after the backup")
        self.lines = self.lines_of(self.path)
        self.book = self.home / "book.json"
        self.book.write_text(logbook.as_json(self.db))
        self.db.execute("PRAGMA wal_checkpoint")
        for file in self.folder.glob("lumbrel.sqlite3*"):
            (shutil.copytree if file.is_dir() else shutil.copy)(file, self.home / file.name)

    def lines_of(self, record: Path) -> int:
        with opened(record) as db:
            return int(db.execute("SELECT count(*) FROM line").fetchone()[0])

    def everywhere(
        self, work: Callable[[Path], object], look: Callable[[Path, bool], None], least: int
    ) -> None:
        """Kill it at its first step, its second ... until it comes to its end; look each time at what
        the next start makes of it, and do it again."""
        step, went_on = 0, True
        while went_on:
            with self.subTest(step=step), tempfile.TemporaryDirectory() as scratch:
                data = Path(shutil.copytree(self.home, Path(scratch) / "data"))
                went_on = killed_at(step, data, lambda data=data: work(data))
                for folder in (data, data / "new"):
                    restoring.recover(folder / "lumbrel.sqlite3")
                left = [f.name for f in data.rglob("*") if any(mark in f.name for mark in LEFT)]
                self.assertEqual(left, [])
                look(data, went_on)
            step += 1
        self.assertGreater(step, least)

    def whole(self, record: Path, *lines: int) -> None:
        """Sound, with so many lines or so many."""
        self.assertEqual(safekeeping.check(record).problems, [])
        self.assertIn(self.lines_of(record), lines)

    def test_a_backup(self) -> None:
        def look(data: Path, cut_off: bool) -> None:
            self.whole(data / "lumbrel.sqlite3", self.lines)
            to = data / "new.sqlite3"
            if to.exists() or not cut_off:
                self.whole(to, self.lines)
            else:
                self.assertEqual(run("backup", str(to), "--data", str(data))[0], 0)

        def work(data: Path) -> None:
            safekeeping.backup(data / "lumbrel.sqlite3", data / "new.sqlite3")

        self.everywhere(work, look, least=25)

    def test_a_restore(self) -> None:
        later = NOON + timedelta(days=1)

        def look(data: Path, cut_off: bool) -> None:
            record = data / "lumbrel.sqlite3"
            self.whole(record, self.lines, self.lines - 1)
            aside = list(data.glob("lumbrel-replaced-*.sqlite3"))
            restored = self.lines_of(record) == self.lines - 1
            self.assertEqual(len(aside), int(restored))
            for one in aside:
                self.whole(one, self.lines)
            self.assertTrue(restored or cut_off)

        def work(data: Path) -> None:
            restoring.restore(data / "lumbrel.sqlite3", data / "old.sqlite3", later)

        self.everywhere(work, look, least=25)

    def test_an_import(self) -> None:
        def look(data: Path, cut_off: bool) -> None:
            new = ("--data", str(data / "new"))
            record = data / "new" / "lumbrel.sqlite3"
            self.assertEqual(run("import", str(data / "book.json"), *new)[0], 0)
            self.whole(record, self.lines)
            with opened(record) as db:
                self.assertEqual(logbook.as_json(db), self.book.read_text("utf-8"))

        def work(data: Path) -> None:
            run("import", str(data / "book.json"), "--data", str(data / "new"))

        self.everywhere(work, look, least=8)

    def test_a_migration(self) -> None:
        """Between any two statements, and before each commit."""
        step = 0
        while True:
            with tempfile.TemporaryDirectory() as scratch:
                record = Path(shutil.copy(RECORD_01, Path(scratch) / "lumbrel.sqlite3"))
                had = self.version_and_migrations(record)[1]
                cut_off = killed_after(step * 37, record)
                version, migrations = self.version_and_migrations(record)
                if migrations > had:
                    self.assertEqual(version, migrations, "no earlier Lumbrel opens it")
                with opened(record) as db:
                    kept.ready(db)
                self.assertEqual(safekeeping.check(record).problems, [], step)
            if not cut_off:
                break
            step += 1
        self.assertGreater(step, 10)

    def version_and_migrations(self, record: Path) -> tuple[int, int]:
        with contextlib.closing(sqlite3.connect(record)) as db:
            version = db.execute("PRAGMA user_version").fetchone()[0]
            return version, db.execute("SELECT count(*) FROM migration").fetchone()[0]

    def test_a_write_that_was_cut_off_before_there_was_a_log(self) -> None:
        """As a record of an early version is left by whoever is killed while its log is begun."""
        record = Path(shutil.copy(RECORD_01, self.folder / "early.sqlite3"))
        child = os.fork()
        if child == 0:
            db = sqlite3.connect(record, isolation_level=None)
            db.execute("PRAGMA cache_size = 2")
            db.execute("BEGIN")
            db.execute("CREATE TABLE half (x)")
            db.executemany("INSERT INTO half VALUES (?)", [(bytes(3000),) for _ in range(99)])
            os.kill(os.getpid(), signal.SIGKILL)
        os.waitpid(child, 0)
        data = self.folder / "early"
        data.mkdir()
        for end in ("", "-journal"):
            Path(f"{record}{end}").rename(data / f"lumbrel.sqlite3{end}")
        self.assertEqual(run("check", "--data", str(data))[0], 0)

    def test_no_empty_kitchen_opens_where_a_full_one_was(self) -> None:
        """As a restore left it that an earlier version was killed in."""
        aside = "lumbrel-replaced-2026-03-19-120000.sqlite3"
        for end in ("", ".photographs"):
            (self.home / f"lumbrel.sqlite3{end}").rename(self.home / f"{aside}{end}")
        for words in (("serve", "--port", "0"), ("import", str(self.book))):
            code, _, complaint = run(*words, "--data", str(self.home))
            self.assertEqual(code, 2)
            self.assertIn(aside, complaint)
        self.assertFalse((self.home / "lumbrel.sqlite3").exists())
        self.assertEqual(run("restore", str(self.home / aside), "--data", str(self.home))[0], 0)
        self.whole(self.home / "lumbrel.sqlite3", self.lines)


def killed_after(statements: int, record: Path) -> bool:
    """Bring a record to what is expected in a process that is killed before its n-th statement."""
    child = os.fork()
    if child == 0:
        seen = 0

        def count(_: str) -> None:
            nonlocal seen
            if seen == statements:
                os.kill(os.getpid(), signal.SIGKILL)
            seen += 1

        try:
            with opened(record) as db:
                db.set_trace_callback(count)
                kept.ready(db)
        finally:
            os._exit(0)
    _, status = os.waitpid(child, 0)
    return os.WIFSIGNALED(status)

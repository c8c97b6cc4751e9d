"""What is acknowledged is never lost, and an old board says what it said."""

import contextlib
import http.client
import os
import random
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from urllib.parse import urlencode

from lumbrel.services.base import batch as contexts
from lumbrel.services.base.entry import slip_of
from lumbrel.services.kitchen import safekeeping
from lumbrel.services.pan.board import board_of
from lumbrel.services.pan.thinning import thin_a_little
from lumbrel.store import book, record
from lumbrel.store import samples as samples_store
from lumbrel.store.book import LineRow
from lumbrel.store.db import connect, milliseconds, opened, transaction
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from lumbrel.store.samples import Sample
from lumbrel.store.turns import turns_of
from tests.support.kitchen import NOON, KitchenCase, season_copy
from tests.support.records import AFTERNOON

ROOT = Path(__file__).parent.parent.parent


class Killed(KitchenCase):
    """SIGKILL in the middle of everything: what was acknowledged is there, all else is not."""

    def test_nothing_acknowledged_is_lost_and_what_is_kept_is_what_the_lines_say(self) -> None:
        code = self.take_in()
        acknowledged: list[str] = []
        rng = random.Random(5)
        for _ in range(3):
            port, process = self._served()
            until = time.monotonic() + rng.uniform(0.4, 0.9)
            try:
                while time.monotonic() < until:
                    line = f"note-{len(acknowledged):06d}-{rng.randrange(10**6):06d}"
                    body = urlencode({"id": line, "text": "foam"})
                    if self._post(port, f"/pan/{code}/slip/note", body) == 303:
                        acknowledged.append(line)
            finally:
                os.kill(process.pid, signal.SIGKILL)
                process.wait()
        self.assertGreater(len(acknowledged), 10)
        there = {row["id"] for row in self.db.execute("SELECT id FROM line")}
        self.assertEqual([line for line in acknowledged if line not in there], [])
        self.assertEqual(safekeeping.check(self.path).problems, [])

    def _served(self) -> tuple[int, subprocess.Popen[str]]:
        words = ["serve", "--data", str(self.folder), "--port", "0", "--log-level", "error"]
        process = subprocess.Popen(
            [sys.executable, "-m", "lumbrel.cli", *words],
            cwd=ROOT,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        self.addCleanup(process.stdout.close)
        return int(process.stdout.readline().rsplit(":", 1)[1].strip(" /\n")), process

    @staticmethod
    def _post(port: int, path: str, body: str) -> int:
        link = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
        headers = {"Content-Type": "application/x-www-form-urlencoded"}
        link.request("POST", path, body, headers)
        status = link.getresponse().status
        link.close()
        return status

    def test_samples_are_kept_as_integers_to_the_millisecond(self) -> None:
        at = NOON + timedelta(milliseconds=123)
        samples_store.add_samples(self.db, "probe-1", [Sample(at, 99.5)])
        self.assertEqual(samples_store.latest_sample(self.db, "probe-1", at).at, at)
        row = self.db.execute("SELECT at FROM sample").fetchone()
        self.assertEqual(row["at"], milliseconds(at))


class Thinned(KitchenCase):
    """Samples of seasons that are over become means; what their boards said they say."""

    def test_an_old_board_says_what_it_said_before_its_samples_were_thinned(self) -> None:
        db = connect(season_copy(self.folder / "season"))
        self.addCleanup(db.close)
        codes = ("26-003", "26-012", "26-040")
        before = {code: self._figures(db, code) for code in codes}
        count = db.execute("SELECT count(*) FROM sample").fetchone()[0]
        next_year = datetime(2027, 2, 1, tzinfo=UTC)
        steps = 0
        while thin_a_little(db, next_year):
            steps += 1
        self.assertGreater(steps, 10)
        left = db.execute("SELECT count(*) FROM sample").fetchone()[0]
        self.assertLess(left, count)
        rows = db.execute("SELECT count(*) FROM sample WHERE count > 1 AND spread > 0").fetchone()
        self.assertGreater(rows[0], 20)
        self.assertEqual({code: self._figures(connect_again(db), code) for code in codes}, before)
        self.assertEqual(thin_a_little(db, next_year), 0)

    def test_this_season_is_left_alone(self) -> None:
        at = NOON - timedelta(days=30)
        samples_store.add_samples(self.db, "probe-1", [Sample(at, 99.5)])
        self.assertEqual(thin_a_little(self.db, NOON), 0)

    @staticmethod
    def _figures(db: sqlite3.Connection, code: str) -> str:
        context = contexts.load(db, code, AFTERNOON)
        board = board_of(context)
        return repr((board.believed, board.balance, board.minutes_left, board.evidence.probe_now))


def connect_again(db: sqlite3.Connection) -> sqlite3.Connection:
    """The same record with nothing remembered of it."""
    db.cache = None
    return db


class Turns(KitchenCase):
    def test_writers_take_turns_in_the_order_they_came(self) -> None:
        """SQLite lets in whoever asks at the right moment, so that among many one starves."""
        path, wrote, threads = self.folder / "busy.sqlite3", [], []
        with opened(path) as first, transaction(first):
            for name in range(6):
                turns, before = first.turns, len(first.turns._queue)
                threads.append(threading.Thread(target=self._write, args=(path, name, wrote)))
                threads[-1].start()
                while len(turns._queue) == before:
                    time.sleep(0.001)
        for thread in threads:
            thread.join()
        self.assertEqual(wrote, list(range(6)))

    def _write(self, path: Path, name: int, wrote: list[int]) -> None:
        with opened(path) as db, transaction(db):
            wrote.append(name)

    def test_who_waits_too_long_is_refused_and_keeps_nobody_waiting(self) -> None:
        turns = turns_of(self.folder / "busy.sqlite3")
        self.assertIs(turns, turns_of(f"{self.folder}/./busy.sqlite3"))
        with turns.turn(1), self.assertRaises(sqlite3.OperationalError), turns.turn(0.01):
            self.fail("two at once")
        with turns.turn(0.01):
            pass

    def test_what_is_read_once_is_read_again_when_anybody_wrote(self) -> None:
        other = connect(self.path)
        self.addCleanup(other.close)
        for number, writer in enumerate((self.db, other), start=1):
            known = load_kitchen(self.db)
            self.assertIs(load_kitchen(self.db), known, "nothing was written")
            save_kitchen(writer, replace(known, elevation_m=100.0 * number), NOON)
            self.assertEqual(load_kitchen(self.db).elevation_m, 100.0 * number)
        with contextlib.suppress(ValueError), transaction(self.db):
            save_kitchen(self.db, replace(load_kitchen(self.db), elevation_m=900.0), NOON)
            self.assertEqual(load_kitchen(self.db).elevation_m, 900.0)
            raise ValueError
        self.assertEqual(load_kitchen(self.db).elevation_m, 200.0, "it was taken back")

    def test_a_line_is_understood_anew_when_it_says_something_else(self) -> None:
        code = self.take_in()
        batch = record.batch_by(self.db, code=code)

        def put(text: str) -> str:
            row = LineRow(
                id="one",
                about="batch",
                about_id=batch.id,
                kind="note",
                at=NOON,
                noted_at=NOON,
                facts={"text": text},
            )
            book.add(self.db, row)
            return slip_of(self.db, batch.id)[-1].facts.text

        with contextlib.suppress(ValueError), transaction(self.db):
            self.assertEqual(put("what is taken back"), "what is taken back")
            raise ValueError
        self.assertEqual(put("what is kept"), "what is kept")

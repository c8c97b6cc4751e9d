"""What a record bears: killed in mid-write and at any system call, locked for half a minute, a disk that
is full.

    bench_hardship.py [--histories 200] [--kills 200] [--on FOLDER]

FOLDER, for the full disk, is on a small file system that may be filled; without it the server may not
let a file grow, which SQLite meets as an input/output error.
"""

import argparse
import contextlib
import http.client
import os
import random
import resource
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlencode
from uuid import uuid4

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from lumbrel.exchange import logbook, logbook_in, some_batches  # noqa: E402
from lumbrel.services.kitchen import safekeeping  # noqa: E402
from lumbrel.services.record.compared import differences  # noqa: E402
from lumbrel.services.record.kept import ready  # noqa: E402
from lumbrel.store import kept  # noqa: E402
from lumbrel.store.db import connect  # noqa: E402
from tests.services.test_flow import Histories  # noqa: E402
from tests.support.disks import small_disk  # noqa: E402
from tests.support.kitchen import KitchenCase  # noqa: E402

EARLIER = ROOT / "tests" / "data" / "record-0.1" / "record.sqlite3"
CLIENTS, LIVES, LOCKED_SECONDS = 8, 4, 30.0
SPARE_BYTES = 300 * 1024


class Played(Histories):
    """A random history of which each part is played by a process that is killed."""

    seed = 0

    def runTest(self) -> None:
        rng = random.Random(self.seed)
        self.db.close()
        committed = 0
        for life in range(LIVES):
            committed = max(committed, self._lived(rng.randrange(10**9), rng.uniform(0.05, 0.5)))
            self.db = connect(self.path)
            there = self.db.execute("SELECT count(*) FROM line").fetchone()[0]
            self.assertGreaterEqual(there, committed, f"life {life}")
            self.assertEqual(safekeeping.check(self.path).problems, [])
            self.db.close()
        self.db = connect(self.path)
        self.addCleanup(self.db.close)
        self.closes()
        for lot in kept.newest_lots(self.db, limit=99):
            self._traces(lot.code)

    def _lived(self, seed: int, seconds: float) -> int:
        """Play until killed; how many lines the process knew to be written."""
        reading, writing = os.pipe()
        child = os.fork()
        if child == 0:
            with contextlib.suppress(BaseException):
                os.close(reading)
                self.db = connect(self.path)
                self.told = writing
                self._play(random.Random(seed))
            os._exit(0)
        os.close(writing)
        time.sleep(seconds)
        with contextlib.suppress(ProcessLookupError):
            os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        with os.fdopen(reading, "rb") as told:
            said = told.read().split()
        return int(said[-1]) if said else 0

    def _something(self, rng: random.Random, codes: list[str], minute: int) -> None:
        super()._something(rng, codes, minute)
        lines = self.db.execute("SELECT count(*) FROM line").fetchone()[0]
        os.write(self.told, b"%d\n" % lines)


def histories(count: int, first: int = 1000) -> Iterator[tuple[str, float, float]]:
    """Histories played in four parts, each ended by SIGKILL or its own end."""
    wrong = 0
    for seed in range(first, first + count):
        case = Played()
        case.seed = seed
        found = unittest.TestResult()
        case.run(found)
        for _, how in [*found.failures, *found.errors]:
            wrong += 1
            print(f"history {seed}: {how}", file=sys.stderr)
    yield f"{count} histories with SIGKILLs that lost a line or a gram", wrong, 0


def imported(count: int = 10, first: int = 900) -> Iterator[tuple[str, float, float]]:
    """Random histories, each whole and some of its batches, each three times, in an order of chance."""
    wrong = steps_in_all = 0
    for seed in range(first, first + count):
        made, rng = Played(), random.Random(seed)
        made.setUp()
        made.told = os.open(os.devnull, os.O_WRONLY)
        made._play(rng)
        os.close(made.told)
        text = logbook.as_json(made.db)
        codes = [row[0] for row in made.db.execute("SELECT code FROM batch ORDER BY code")]
        steps: list[str | None] = [None, *rng.sample(codes, min(3, len(codes)))] * 3
        rng.shuffle(steps)
        with contextlib.closing(connect(":memory:")) as other:
            ready(other)
            for code in steps:
                if code is None:
                    logbook_in.take_in(other, text)
                else:
                    some_batches.take_in(other, text, [code])
                wrong += len(differences(other))
            wrong += logbook.as_json(other) != text
        steps_in_all += len(steps)
        made.doCleanups()
    yield f"{steps_in_all} imports of {count} histories: not sound, or another logbook", wrong, 0


class Kitchen:
    """A kitchen's server, eight clients that write, and what it acknowledged."""

    def __init__(self, folder: Path, most_bytes: int | None = None):
        self.folder, self.most_bytes = folder, most_bytes
        self.record = folder / "lumbrel.sqlite3"
        self.acknowledged: list[str] = []
        self.said: dict[int, int] = {}
        self.stop = threading.Event()
        self.process: subprocess.Popen[str] | None = None
        self.port = 0

    def start(self) -> None:
        def limited() -> None:
            if self.most_bytes is not None:
                resource.setrlimit(resource.RLIMIT_FSIZE, (self.most_bytes, self.most_bytes))

        words = ["serve", "--data", str(self.folder), "--port", "0", "--log-level", "error"]
        self.process = subprocess.Popen(
            [sys.executable, "-m", "lumbrel.cli", *words],
            cwd=ROOT,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
            preexec_fn=limited,
        )
        assert self.process.stdout is not None
        self.port = int(self.process.stdout.readline().rsplit(":", 1)[1].strip(" /\n"))

    def end(self, how: int = signal.SIGTERM) -> None:
        assert self.process is not None
        assert self.process.stdout is not None
        os.kill(self.process.pid, how)
        self.process.wait(timeout=60)
        self.process.stdout.close()

    @contextlib.contextmanager
    def written_in(self, code: str, characters: int = 40) -> Iterator[None]:
        """Eight clients write as fast as they are answered, and send again what was refused."""
        self.stop.clear()
        each = [threading.Thread(target=self._writes, args=(code, characters)) for _ in range(CLIENTS)]
        for client in each:
            client.start()
        try:
            yield
        finally:
            self.stop.set()
            for client in each:
                client.join()

    def _writes(self, code: str, characters: int) -> None:
        line = str(uuid4())
        while not self.stop.is_set():
            status = self.post(code, line, characters)
            self.said[status] = self.said.get(status, 0) + 1
            if status == 303:
                self.acknowledged.append(line)
                line = str(uuid4())
            else:
                time.sleep(0.2)

    def post(self, code: str, line: str, characters: int = 40) -> int:
        """Put a note; the status, or 0 where nobody answered."""
        link = http.client.HTTPConnection("127.0.0.1", self.port, timeout=60)
        try:
            sent = urlencode({"id": line, "text": "foam " * (characters // 5)})
            headers = {"Content-Type": "application/x-www-form-urlencoded"}
            link.request("POST", f"/pan/{code}/slip/note", sent, headers)
            return link.getresponse().status
        except (OSError, http.client.HTTPException):
            return 0
        finally:
            link.close()

    def wrong(self) -> int:
        """Acknowledged lines that are not there, and what `check` complains of."""
        db = sqlite3.connect(self.record)
        there = {row[0] for row in db.execute("SELECT id FROM line")}
        db.close()
        lost = [line for line in self.acknowledged if line not in there]
        problems = safekeeping.check(self.record).problems
        for what in [*lost[:3], *problems]:
            print(f"    {what}", file=sys.stderr)
        return len(lost) + len(problems)


class Opened(KitchenCase):
    """An equipped kitchen with one batch on the fire."""

    def runTest(self) -> None:
        """Nothing: it is only set up."""


@contextlib.contextmanager
def kitchen(on: Path | None = None, most_bytes: int | None = None) -> Iterator[tuple[Kitchen, str]]:
    made = Opened()
    made.setUp()
    folder = Path(tempfile.mkdtemp(dir=on))
    try:
        code = made.take_in()
        made.db.close()
        shutil.copy(made.path, folder / "lumbrel.sqlite3")
        yield Kitchen(folder, most_bytes), code
    finally:
        made.doCleanups()
        shutil.rmtree(folder)


def killed() -> Iterator[tuple[str, float, float]]:
    """SIGKILL under load, again and again."""
    rng = random.Random(77)
    with kitchen() as (served, code):
        for _ in range(8):
            served.start()
            with served.written_in(code):
                time.sleep(rng.uniform(0.3, 2.0))
                served.end(signal.SIGKILL)
        print(f"    killed: {len(served.acknowledged)} acknowledged", file=sys.stderr)
        yield "SIGKILL under load: lines lost and complaints", served.wrong(), 0
        few = float(len(served.acknowledged) < 100)
        yield "SIGKILL under load: fewer than 100 lines to lose", few, 0


def locked() -> Iterator[tuple[str, float, float]]:
    """Another program holds the record's lock for half a minute."""
    with kitchen() as (served, code):
        served.start()
        with served.written_in(code):
            time.sleep(1)
            other = sqlite3.connect(served.record, isolation_level=None)
            other.execute("BEGIN IMMEDIATE")
            time.sleep(LOCKED_SECONDS)
            other.execute("ROLLBACK")
            other.close()
            before, freed = len(served.acknowledged), time.monotonic()
            while len(served.acknowledged) < before + CLIENTS and time.monotonic() - freed < 30:
                time.sleep(0.05)
            again = time.monotonic() - freed
            time.sleep(1)
        served.end()
        print(f"    locked: {served.said}", file=sys.stderr)
        odd = sum(count for status, count in served.said.items() if status not in (303, 503))
        yield "locked 30 s: lines lost and complaints", served.wrong(), 0
        yield "locked 30 s: answers that are neither kept nor busy", odd, 0
        yield "locked 30 s: seconds until eight lines were kept again", again, 10


def full(on: Path | None) -> Iterator[tuple[str, float, float]]:
    """A disk that fills up under load, and then has room again."""
    with kitchen(on) as (served, code):
        ballast = served.folder / "ballast"
        size = served.record.stat().st_size
        if on is None:
            served.most_bytes = size + SPARE_BYTES
        served.start()
        if on is not None:
            free = shutil.disk_usage(on).free
            ballast.write_bytes(b"\0" * max(free - SPARE_BYTES, 0))
        with served.written_in(code, 190):
            until = time.monotonic() + 60
            while not any(status >= 500 for status in served.said) and time.monotonic() < until:
                time.sleep(0.1)
            time.sleep(3)
        print(f"    full: {served.said}, {len(served.acknowledged)} kept", file=sys.stderr)
        refused = sum(count for status, count in served.said.items() if status == 503)
        odd = sum(count for status, count in served.said.items() if status not in (303, 503))
        yield "full disk: it was never full", float(refused == 0), 0
        yield "full disk: answers that are neither kept nor refused in words", odd, 0
        if on is not None:
            unread = sum(not _reads_and_says(served, path) for path in ("/", f"/pan/{code}", "/shelf"))
            served.end()
            served.start()
            unread += sum(not _reads_and_says(served, path) for path in ("/", "/shelf"))
            yield "full disk: pages not shown or silent of it, also after a restart", unread, 0
        ballast.unlink(missing_ok=True)
        if on is None:
            served.end()
            served.most_bytes = None
            served.start()
        still = float(served.post(code, str(uuid4())) != 303)
        yield "full disk, then room: a line refused", still, 0
        served.end()
        yield "full disk: lines lost and complaints", served.wrong(), 0


CALLS = "pwrite64,write,fsync,fdatasync,rename,unlink,unlinkat,rmdir,ftruncate,mkdir,link,flock"
"""System calls that change what is on the disk, or say whose it is."""


def run(*words: str, kill_at: int = 0, count_to: Path | None = None) -> int:
    """A command of its own process, killed at its n-th such call; or whose calls are counted."""
    command = [sys.executable, "-m", "lumbrel.cli", *words]
    trace = ["strace", "-f", "-qq", "-e", f"trace={CALLS}", "-o", str(count_to or os.devnull)]
    if kill_at:
        trace += ["-e", f"inject={CALLS}:signal=SIGKILL:when={kill_at}"]
    before = trace if kill_at or count_to else []
    done = subprocess.run([*before, *command], cwd=ROOT, check=False, capture_output=True)
    return done.returncode


class CutOff:
    """A record that was made at random, a backup of it from before its last line, its logbook, and a
    record of version 0.1; and what is done to copies of them."""

    def __init__(self, folder: Path) -> None:
        made = Played()
        made.setUp()
        made.told = os.open(os.devnull, os.O_WRONLY)
        made._play(random.Random(77))
        self.home = folder / "home"
        self.home.mkdir()
        safekeeping.backup(made.path, self.home / "old.sqlite3")
        code = made.db.execute("SELECT code FROM batch LIMIT 1").fetchone()[0]
        made.put(code, "note", 999, text="after the backup")
        made.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        shutil.copy(made.path, self.home / "lumbrel.sqlite3")
        made.doCleanups()
        shutil.copy(EARLIER, self.home / "earlier.sqlite3")
        self.book = self._book(self.home)
        (self.home / "book.json").write_bytes(self.book)
        (folder / "was").mkdir()
        self.before = self._restored(folder / "was")

    def words(self, what: str, data: Path) -> tuple[str, ...]:
        """The command."""
        return {
            "import": ("import", str(data / "book.json"), "--data", str(data / "new")),
            "backup": ("backup", str(data / "copy.sqlite3"), "--data", str(data)),
            "restore": ("restore", str(data / "old.sqlite3"), "--data", str(data)),
            "migration": ("export", "--out", str(data / "x.json"), "--data", str(data / "was")),
        }[what]

    def wrong(self, what: str, kill_at: int, folder: Path) -> list[str]:
        """Kill it there, start again, and say what is not as it should be."""
        data = Path(shutil.copytree(self.home, folder / "data"))
        if what == "migration":
            (data / "was").mkdir()
            (data / "earlier.sqlite3").rename(data / "was" / "lumbrel.sqlite3")
        run(*self.words(what, data), kill_at=kill_at)
        found = [] if run("check", "--data", str(data)) == 0 else ["the record is not sound"]
        book = self._book(data)
        if book not in (self.book, self.before if what == "restore" else self.book):
            found.append("the record is another one")
        found += self._not_gone_on(what, data)
        left = (".part", "under-way", "restoring")
        found += [f.name for f in data.rglob("*") if any(mark in f.name for mark in left)]
        shutil.rmtree(data)
        return found

    def _not_gone_on(self, what: str, data: Path) -> list[str]:
        """What the same again, or a look at what it made, finds wrong."""
        if what == "import":
            (data / "new").mkdir(exist_ok=True)
            if run(*self.words(what, data)) or self._book(data / "new") != self.book:
                return ["imported again, it is not the logbook"]
        if what == "migration" and run("check", "--data", str(data / "was")):
            return ["the earlier record is not sound"]
        copy = data / "copy.sqlite3"
        if what == "backup" and copy.exists() and run("check", str(copy), "--data", str(data)):
            return ["the backup is not sound"]
        return []

    def _restored(self, data: Path) -> bytes:
        shutil.copy(self.home / "old.sqlite3", data / "lumbrel.sqlite3")
        return self._book(data)

    def _book(self, data: Path) -> bytes:
        out = data / "out.json"
        out.unlink(missing_ok=True)
        run("export", "--out", str(out), "--data", str(data))
        return out.read_bytes() if out.exists() else b""


def cut_off(kills: int) -> Iterator[tuple[str, float, float]]:
    """Import, backup, restore and migration, killed at system calls that chance chooses."""
    if shutil.which("strace") is None:
        print("    strace is not installed: nothing was killed at a system call", file=sys.stderr)
        return
    rng = random.Random(2026)
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        made = CutOff(folder)
        for what in ("import", "backup", "restore", "migration"):
            tried = folder / "tried"
            shutil.copytree(made.home, tried)
            if what == "migration":
                (tried / "was").mkdir()
                (tried / "earlier.sqlite3").rename(tried / "was" / "lumbrel.sqlite3")
            count_to = folder / "calls"
            run(*made.words(what, tried), count_to=count_to)
            calls = len(count_to.read_text().splitlines())
            shutil.rmtree(tried)
            wrong = 0
            for _ in range(kills // 4):
                at = rng.randint(1, calls)
                for what_is in made.wrong(what, at, folder):
                    wrong += 1
                    print(f"    {what} killed at call {at} of {calls}: {what_is}", file=sys.stderr)
            name = f"{what} killed at {kills // 4} of its {calls} system calls: not whole after"
            yield name, wrong, 0


def _reads_and_says(served: Kitchen, path: str) -> bool:
    """Whether a page is shown, and says that the disk is full."""
    link = http.client.HTTPConnection("127.0.0.1", served.port, timeout=60)
    link.request("GET", path)
    answer = link.getresponse()
    page = answer.read().decode()
    link.close()
    return answer.status == 200 and "is full. Nothing can be saved" in page


def measures(count: int = 20, kills: int = 40, on: Path | None = None) -> Iterator[tuple[str, float, float]]:
    """Every figure with its bound."""
    yield from killed()
    yield from cut_off(kills)
    yield from imported()
    yield from locked()
    with small_disk(12) as small:
        yield from full(on or small)
    yield from histories(count)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--histories", type=int, default=200)
    parser.add_argument("--kills", type=int, default=200)
    parser.add_argument("--on", type=Path)
    given = parser.parse_args()
    for name, value, bound in measures(given.histories, given.kills, given.on):
        print(
            f"{'ok  ' if value <= bound else 'MISS'} {value:10.3f}  <= {bound:<8g} {name}",
            flush=True,
        )

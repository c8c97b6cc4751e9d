"""What a record of one season costs, and one of twenty: its pages, a server that nobody watches, one under load."""

import http.client
import json
import os
import re
import shutil
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from urllib.parse import urlencode
from uuid import uuid4

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from lumbrel.services.kitchen import example  # noqa: E402
from lumbrel.services.pan.thinning import thin_a_little  # noqa: E402
from lumbrel.services.record.kept import ready  # noqa: E402
from lumbrel.store import samples as samples_store  # noqa: E402
from lumbrel.store.db import opened  # noqa: E402
from lumbrel.store.samples import Sample  # noqa: E402
from scripts import bench_pages, long_record  # noqa: E402
from tests.web.test_api import EXPECTED  # noqa: E402

SEASONS = 20
QUIET_AFTER_SECONDS, QUIET_SECONDS, LOAD_SECONDS = 20.0, 20.0, 8.0
STARTS, LOADS = 9, 3
LINE_EVERY_SECONDS = 0.3
"""Of each client: faster than any hand writes."""


@contextmanager
def served(record: Path, *words: str) -> Iterator[tuple[int, int]]:
    """A copy of a record served by a process of its own; yields its port and its number."""
    folder = Path(tempfile.mkdtemp())
    shutil.copy(record, folder / "lumbrel.sqlite3")
    if "serve" in words:
        own = sqlite3.connect(folder / "lumbrel.sqlite3")
        own.execute("UPDATE nature SET is_a = 'own'")
        own.commit()
        own.close()
    process = subprocess.Popen(
        [sys.executable, "-m", "lumbrel.cli", *words, "--data", str(folder), "--port", "0"],
        cwd=ROOT,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    assert process.stdout is not None
    try:
        said = process.stdout.readline()
        yield int(said.rsplit(":", 1)[1].strip(" /\n")), process.pid
    finally:
        process.terminate()
        process.wait(timeout=20)
        process.stdout.close()
        shutil.rmtree(folder, ignore_errors=True)


def get(port: int, path: str, body: bytes | None = None) -> tuple[int, bytes, float]:
    """One request: status, body, seconds."""
    link = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    began = time.perf_counter()
    headers = {"Content-Type": "application/x-www-form-urlencoded"} if body else {}
    link.request("POST" if body else "GET", path, body, headers)
    answer = link.getresponse()
    read = answer.read()
    took = time.perf_counter() - began
    link.close()
    return answer.status, read, took


def codes(record: Path) -> dict[str, str]:
    """The batch on the fire, one that stands in its kettle, and one long finished."""
    db = sqlite3.connect(record)
    try:
        live = "SELECT code FROM waits JOIN batch ON batch.id = batch_id WHERE station = 'pan'"
        old = "SELECT code FROM lot_now ORDER BY taken_at LIMIT 1 OFFSET 3"
        kettle = live.replace("'pan'", "'colour'")
        asked = {"live": live, "kettle": kettle, "old": old}
        return {name: db.execute(sql).fetchone()[0] for name, sql in asked.items()}
    finally:
        db.close()


def first_after_a_start(record: Path) -> float:
    """The first page after a start to the next, the median of some starts."""
    first = []
    for _ in range(STARTS):
        with served(record, "serve", "--log-level", "error") as (port, _):
            each = [get(port, "/")[2] for _ in range(6)]
            first.append(each[0] / statistics.median(each[1:]))
    return statistics.median(first)


def standing_still(record: Path) -> tuple[float, float]:
    """Percent of a core with nobody watching, and with one probe that sends each second besides."""
    with served(record, "demo", "--frozen") as (port, pid):
        get(port, "/")
        time.sleep(QUIET_AFTER_SECONDS)
        idle = _share_of_a_core(pid, lambda: time.sleep(QUIET_SECONDS))
        token = _token(port)
        time.sleep(QUIET_AFTER_SECONDS)
        sent = _share_of_a_core(pid, lambda: _sends_each_second(port, token))
    return idle, sent


def _share_of_a_core(pid: int, meanwhile: Callable[[], None]) -> float:
    """Percent of a core that a process used."""
    before, began = _cpu_seconds(pid), time.perf_counter()
    meanwhile()
    return 100 * (_cpu_seconds(pid) - before) / (time.perf_counter() - began)


def _sends_each_second(port: int, token: str) -> None:
    start = datetime(2026, 4, 18, 14, 20, 0, 50_000, UTC)
    for n in range(int(QUIET_SECONDS)):
        at = start + timedelta(seconds=n)
        body = json.dumps({"samples": [{"temperature_c": 103.0, "at": at.isoformat()}]})
        link = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
        headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
        link.request("POST", "/api/probes/samples", body, headers)
        link.getresponse().read()
        link.close()
        time.sleep(1)


def _cpu_seconds(pid: int) -> float:
    fields = Path(f"/proc/{pid}/stat").read_text("ascii").rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def quiet(one: Path, many: Path) -> Iterator[tuple[str, float, float]]:
    """What a server does while nobody watches."""
    for name, record in (("one season", one), ("20 seasons", many)):
        idle, sent = standing_still(record)
        yield f"nobody watching, {name}: percent of a core", idle, 1
        yield f"nobody watching, one probe sends, {name}: percent of a core", sent, 3
        first = first_after_a_start(record)
        yield f"first page after a start, {name}, times the next", first, 1.5


def sums() -> Iterator[tuple[str, float, float]]:
    """`lumbrel compute` of anything to the start of a bare Python, in turns."""
    command = [str(Path(sys.executable).with_name("lumbrel")), "compute"]
    bare = [sys.executable, "-c", "pass"]
    given = {name: [f"{k}={json.dumps(v)}" for k, v in body.items()] for name, body, *_ in EXPECTED}
    ratios = {}
    for name, words in given.items():
        took: list[list[float]] = [[], []]
        for _ in range(9):
            for each, line in zip(took, (bare, [*command, name, *words]), strict=True):
                began = time.perf_counter()
                subprocess.run(line, stdout=subprocess.DEVNULL, check=True, cwd=ROOT)
                each.append(time.perf_counter() - began)
        ratios[name] = statistics.median(took[1]) / statistics.median(took[0])
    most = max(ratios, key=lambda name: ratios[name])
    yield (
        "lumbrel compute, times a bare Python's start, median",
        statistics.median(ratios.values()),
        6,
    )
    yield f"lumbrel compute, the slowest ({most})", ratios[most], 6


def under_load(record: Path) -> Iterator[tuple[str, float, float]]:
    """A probe at 8 Hz, alone and then beside eight clients that put lines on the slip, in turns."""
    alone, beside, refused = [], [], 0
    with served(record, "demo", "--frozen") as (port, _):
        live, token = codes(record)["live"], _token(port)
        for turn in range(LOADS):
            late, lost = _probing(port, token, 2 * turn * LOAD_SECONDS)
            alone.append(late)
            late, more = _beside_clients(port, live, token, (2 * turn + 1) * LOAD_SECONDS)
            beside.append(late)
            refused += lost + more
    yield "samples and lines refused, eight clients writing", float(refused), 0
    ratio = statistics.median(beside) / statistics.median(alone)
    yield "a sample's p95 beside eight clients, times alone", ratio, 10


def _beside_clients(port: int, code: str, token: str, begins: float) -> tuple[float, int]:
    stop = threading.Event()
    refused: list[int] = []
    clients = [threading.Thread(target=_writing, args=(port, code, stop, refused)) for _ in range(8)]
    for client in clients:
        client.start()
    late, lost = _probing(port, token, begins)
    stop.set()
    for client in clients:
        client.join()
    return late, lost + sum(refused)


def _token(port: int) -> str:
    sent = urlencode({"id": str(uuid4())}).encode()
    _, body, _ = get(port, "/kitchen/instrument/probe-1/token", sent)
    found = re.search(rb"<code>([\w-]{20,})</code>", body)
    assert found is not None
    return found[1].decode()


def _probing(port: int, token: str, begins: float) -> tuple[float, int]:
    """Samples at 8 Hz for a while: the 95th percentile in seconds, and how many were refused."""
    took, lost = [], 0
    link = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    # Off the whole seconds, at which the record has samples already.
    start = datetime(2026, 4, 18, 14, 20, 0, 50_000, UTC) + timedelta(seconds=begins)
    for i in range(int(8 * LOAD_SECONDS)):
        at = start + timedelta(seconds=i / 8)
        body = json.dumps({"samples": [{"temperature_c": 103.0, "at": at.isoformat()}]})
        began = time.perf_counter()
        link.request(
            "POST",
            "/api/probes/samples",
            body,
            {"Authorization": f"Bearer {token}", "Content-Type": "application/json"},
        )
        answer = link.getresponse()
        said = json.loads(answer.read())
        kept = said.get("kept", 0)
        spent = time.perf_counter() - began
        took.append(spent)
        if answer.status != 200 or kept != 1:
            lost += 1
            print(f"    a sample: {answer.status} {said}", file=sys.stderr)
        time.sleep(max(0.125 - spent, 0))
    link.close()
    return sorted(took)[int(len(took) * 0.95)], lost


def _writing(port: int, code: str, stop: threading.Event, refused: list[int]) -> None:
    while not stop.is_set():
        sent = urlencode({"id": str(uuid4()), "text": "foam"}).encode()
        status, body, _ = get(port, f"/pan/{code}/slip/note", sent)
        refused.append(status != 303)
        if status != 303:
            print(f"    a line: {status} {re.sub(rb'<[^>]+>', b'', body)[-300:]!r}", file=sys.stderr)
        time.sleep(LINE_EVERY_SECONDS)


def weight() -> tuple[str, float, float]:
    """What ten years of four probes at one a second weigh: from what samples weigh, measured, raw
    for the season that is on and thinned for those before. A season has 54 days of ten hours."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "lumbrel.sqlite3"
        with opened(path) as db:
            ready(db)
            example.load_example(db, datetime(2020, 1, 1, tzinfo=UTC))
            before = _bytes(db)
            start = datetime(2025, 3, 1, tzinfo=UTC)
            hours = 10
            samples_store.add_samples(
                db,
                "probe-1",
                (Sample(start + timedelta(seconds=s), 99.0 + (s % 97) / 100) for s in range(hours * 3600)),
            )
            raw = (_bytes(db) - before) / hours
            while thin_a_little(db, datetime(2026, 6, 1, tzinfo=UTC)):
                pass
            db.execute("VACUUM")
            thinned = max(_bytes(db) - before, 0) / hours
    season = 54 * 10
    gigabytes = 4 * season * (raw + 9 * thinned) / 1e9
    return "ten years of four probes at 1 Hz, thinned, GB", gigabytes, 1


def _bytes(db: sqlite3.Connection) -> int:
    return int(db.execute("PRAGMA page_count").fetchone()[0]) * int(
        db.execute("PRAGMA page_size").fetchone()[0]
    )


def measures() -> Iterator[tuple[str, float, float]]:
    """Every figure of the record with its bound, on records made for it."""
    with tempfile.TemporaryDirectory() as folder:
        one, many = Path(folder) / "one.sqlite3", Path(folder) / "many.sqlite3"
        long_record.make(one, 1)
        long_record.make(many, SEASONS)
        yield from bench_pages.pages(one, many)
        yield from bench_pages.memory(one, many, ROOT)
        yield from quiet(one, many)
        yield from under_load(one)
        yield from sums()
        yield weight()


if __name__ == "__main__":
    for name, value, bound in measures():
        print(f"{'ok  ' if value <= bound else 'MISS'} {value:10.3f}  <= {bound:<8g} {name}")

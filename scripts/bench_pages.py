"""What pages cost, in processor time of the application itself and in statements, on a record of one season and of
twenty with everything in it, asked in turns: every address that a visitor comes to by links, its first look apart;
and the page after a reading, while a probe sends."""

import asyncio
import shutil
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from urllib.parse import urlencode, urlsplit
from uuid import uuid4

import jinja2
from fastapi.testclient import TestClient

from lumbrel.exchange import logbook as exchange
from lumbrel.store.db import opened
from lumbrel.store.instruments import ThermometerDetail, instruments_of
from lumbrel.store.samples import Sample, add_samples
from lumbrel.web.shell.app import create_app
from lumbrel.web.shell.settings import Settings
from tests.support import crawl
from tests.support.records import AFTERNOON
from tests.support.statements import Counted, counted

ROUNDS, READINGS = 7, 12
TRIVIAL = "/no-such-page"
COMMANDS = ("export", "import", "check", "rebuild")
Measured = tuple[str, float, float]
"""Name, value, and the most that it should be."""


@dataclass
class Cost:
    """What an answer took: processor milliseconds, statements of SQL, the answer itself."""

    ms: float
    statements: int
    status: int
    size: int
    said: list[str] = field(default_factory=list)
    """The statements, where they are kept."""


@dataclass
class Kitchen:
    """An application on a copy of a record, asked without a network between."""

    record: Path
    now: datetime = AFTERNOON
    statements: Counted = field(default_factory=Counted)

    def __post_init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.path = self.folder / "lumbrel.sqlite3"
        shutil.copy(self.record, self.path)
        settings = Settings(database=self.path, clock=lambda: self.now, demo=True, refresh_seconds=0)
        self.app = create_app(settings)
        self.loop = asyncio.new_event_loop()
        self.life = self.app.router.lifespan_context(self.app)
        self.loop.run_until_complete(self.life.__aenter__())

    def close(self) -> None:
        """End it, and let go of its copy."""
        self.loop.run_until_complete(self.life.__aexit__(None, None, None))
        self.loop.close()
        shutil.rmtree(self.folder, ignore_errors=True)

    def ask(self, path: str, fields: dict[str, str] | None = None) -> Cost:
        """One request, and what it took."""
        body = urlencode(fields).encode() if fields else b""
        there = urlsplit(path)
        headers = [(b"host", b"127.0.0.1"), (b"origin", b"http://127.0.0.1")]
        if fields:
            headers.append((b"content-type", b"application/x-www-form-urlencoded"))
        scope = {
            "type": "http",
            "asgi": {"version": "3.0"},
            "http_version": "1.1",
            "method": "POST" if fields else "GET",
            "scheme": "http",
            "path": there.path,
            "raw_path": there.path.encode(),
            "query_string": there.query.encode(),
            "root_path": "",
            "headers": headers,
            "client": ("127.0.0.1", 0),
            "server": ("127.0.0.1", 0),
            "state": {},
        }
        said = {"status": 0, "size": 0}
        waiting = [{"type": "http.request", "body": body, "more_body": False}]

        async def receive() -> dict[str, Any]:
            if not waiting:
                await asyncio.sleep(3600)
            return waiting.pop()

        async def send(message: dict[str, Any]) -> None:
            said["status"] = message.get("status", said["status"])
            said["size"] += len(message.get("body", b""))

        self.statements.so_far = 0
        if self.statements.said is not None:
            self.statements.said = []
        began = time.process_time()
        self.loop.run_until_complete(self.app(scope, receive, send))
        took = 1000 * (time.process_time() - began)
        told = self.statements.said or []
        return Cost(took, self.statements.so_far, said["status"], said["size"], told)

    def addresses(self) -> list[str]:
        """One of each address that links lead to."""
        client = TestClient(self.app, base_url="http://127.0.0.1", raise_server_exceptions=False)
        return [path for path, answer in crawl.pages(client, each=1) if answer.status_code == 200]

    def one(self, asked: str) -> str:
        """The first cell that a question of SQL finds."""
        with opened(self.path) as db:
            return str(db.execute(asked).fetchone()[0])


def pages(one: Path, many: Path) -> Iterator[Measured]:
    """The bounds of the pages; a table of them all on stderr."""
    with counted() as count:
        kitchens = [Kitchen(one, statements=count), Kitchen(many, statements=count)]
        old = "SELECT code FROM lot_now WHERE season = 2026 ORDER BY taken_at LIMIT 1 OFFSET 3"
        asked = dict.fromkeys([TRIVIAL, *kitchens[0].addresses(), f"/pan/{kitchens[0].one(old)}"])
        # What is in both: the last season's own.
        paths = [p for p in asked if kitchens[1].ask(p).status == kitchens[0].ask(p).status]
        for kitchen in kitchens:
            kitchen.close()
        kitchens = [Kitchen(one, statements=count), Kitchen(many, statements=count)]
        yield from _of_pages(kitchens, paths)
        for name, kitchen in zip(("one season", "20 seasons"), kitchens, strict=True):
            yield from _after_a_reading(kitchen, name)
            kitchen.close()


def _of_pages(kitchens: list[Kitchen], paths: list[str]) -> Iterator[Measured]:
    for kitchen in kitchens:
        kitchen.ask("/healthz")
    health = [statistics.median(k.ask("/healthz").ms for _ in range(60)) for k in kitchens]
    kitchens[1].statements.said = []
    first = [{path: kitchen.ask(path) for path in paths} for kitchen in kitchens]
    kitchens[1].statements.said = None
    again: list[dict[str, list[Cost]]] = [{path: [] for path in paths} for _ in kitchens]
    for _ in range(ROUNDS):
        for path in paths:
            for kitchen, costs in zip(kitchens, again, strict=True):
                costs[path].append(kitchen.ask(path))
    took = [{p: statistics.median(c.ms for c in found) for p, found in k.items()} for k in again]
    known = {path: costs[0] for path, costs in again[1].items()}
    for path in sorted(paths, key=lambda path: -took[1][path]):
        print(
            f"    {path:60} {took[0][path]:7.1f} {took[1][path]:7.1f} ms"
            f" {took[1][path] / health[1]:6.1f} x; first {first[1][path].ms / health[1]:6.0f} x;"
            f" {known[path].statements:4} statements; {known[path].size / 1024:5.0f} KB",
            file=sys.stderr,
        )
    slow = max(paths, key=lambda path: took[1][path])
    yield f"20 seasons: slowest page ({slow}), times healthz", took[1][slow] / health[1], 40
    late = max(paths, key=lambda path: first[1][path].ms)
    yield f"20 seasons: slowest first look ({late})", first[1][late].ms / health[1], 80
    yield "statements under a trivial page", float(known[TRIVIAL].statements), 12
    most = max(paths, key=lambda path: known[path].statements)
    yield f"statements under any page ({most})", float(known[most].statements), 60
    grown = {path: took[1][path] / took[0][path] for path in paths}
    yield "20 seasons to one: pages, median", statistics.median(grown.values()), 1.1
    most = max(paths, key=lambda path: grown[path])
    yield f"20 seasons to one: page that grew most ({most})", grown[most], 1.3
    yield "heaviest page at 20 seasons, KB", max(c.size for c in known.values()) / 1024, 300
    yield from _from_their_limits(kitchens[1], first[1], took[1], health[1])


def _from_their_limits(
    kitchen: Kitchen, first: dict[str, Cost], took: dict[str, float], health: float
) -> Iterator[Measured]:
    """How far pages are from what they could cost at the least: what the server does for any request, the SQL of
    their first look once more with nothing made of it, and a plain template that fills in as many bytes."""
    db = sqlite3.connect(kitchen.path)
    db.execute("PRAGMA temp_store = MEMORY")
    apart = {}
    for path, cost in first.items():
        if cost.status != 200 or cost.size < LEAST_BYTES or "/api/" in path:
            continue
        limits = [health + _bare_ms(db, cost.said) + _plain_ms(cost.size) for _ in range(5)]
        apart[path] = took[path] / statistics.median(limits)
    db.close()
    for path in sorted(apart, key=lambda path: -apart[path]):
        print(f"    {path:60} {apart[path]:6.1f} x its own limit", file=sys.stderr)
    most = max(apart, key=lambda path: apart[path])
    yield "20 seasons: pages, times their own limit, median", statistics.median(apart.values()), 2.5
    yield f"20 seasons: page furthest from its own limit ({most})", apart[most], 4


def _bare_ms(db: sqlite3.Connection, statements: list[str]) -> float:
    """The statements that read, once more."""
    began = time.process_time()
    for statement in statements:
        if statement.lstrip().upper().startswith(("SELECT", "WITH")):
            db.execute(statement).fetchall()
    return 1000 * (time.process_time() - began)


PLAIN = jinja2.Environment(autoescape=True).from_string(
    "{% for one in rows %}<p><b>{{ one.name }}</b> {{ one.text }}, {{ '%.1f' % one.value }}</p>\n{% endfor %}"
)
LEAST_BYTES, A_ROW = 3000, 60


def _plain_ms(size: int) -> float:
    rows = [
        {"name": f"row {n}", "text": "bubbles small and even, foam low", "value": n / 7}
        for n in range(size // A_ROW)
    ]
    began = time.process_time()
    PLAIN.render(rows=rows).encode()
    return 1000 * (time.process_time() - began)


def _after_a_reading(kitchen: Kitchen, name: str) -> Iterator[Measured]:
    """A stem is read every forty seconds, as it would be; the probe in the pan sends meanwhile."""
    waits = "SELECT code FROM waits JOIN batch ON batch.id = batch_id WHERE station = 'pan'"
    code, page, posted = kitchen.one(waits), [], []
    health = statistics.median(kitchen.ask("/healthz").ms for _ in range(60))
    with opened(kitchen.path) as db:
        probe = next(one for one in instruments_of(db, ThermometerDetail) if one.vessel_id)
    kitchen.ask(f"/pan/{code}")
    for turn in range(READINGS):
        kitchen.now += timedelta(seconds=40)
        with opened(kitchen.path) as db:
            add_samples(db, probe.id, [Sample(kitchen.now, 102.2 + 0.02 * turn)])
        fields = {
            "id": str(uuid4()),
            "instrument": "long-stem",
            "reading": f"{58.2 + 0.25 * turn:.2f}",
            "cup": "92 C",
            "reading_confirmed": "1",
            "cup_confirmed": "1",
        }
        written = kitchen.ask(f"/pan/{code}/slip/hydrometer", fields)
        assert written.status == 303, written
        posted.append(written.ms)
        page.append(kitchen.ask(f"/pan/{code}").ms)
    yield (
        f"{name}: a reading, POST to redirect, times healthz",
        statistics.median(posted) / health,
        20,
    )
    yield f"{name}: the page after a reading, times healthz", statistics.median(page) / health, 20


LOOK_AT_ALL = """
import resource, sys
from pathlib import Path
from scripts.bench_pages import Kitchen
kitchen = Kitchen(Path(sys.argv[1]))
for path in kitchen.addresses():
    kitchen.ask(path)
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)
"""


def memory(one: Path, many: Path, root: Path) -> Iterator[Measured]:
    """What the commands hold at most, MB, and how much longer they take on the longer record."""
    look = [sys.executable, "-c", LOOK_AT_ALL, str(many)]
    said = subprocess.run(look, cwd=root, check=True, capture_output=True, text=True).stdout
    yield "20 seasons: the application after every address, MB", float(said), 220
    for command in COMMANDS:
        took, held = [], []
        for record, times in ((one, 3), (many, 1)):
            costs = []
            for _ in range(times):
                with tempfile.TemporaryDirectory() as folder:
                    costs.append(_run(_words(command, record, Path(folder)), root))
            took.append(statistics.median(seconds for seconds, _ in costs))
            held.append(max(megabytes for _, megabytes in costs))
        yield f"{command}, 20 seasons: MB at most", held[1], 250
        yield f"{command}, 20 seasons to one: processor time", took[1] / took[0], 22


def _words(command: str, record: Path, folder: Path) -> list[str]:
    """A command with all that it wants, in a folder of its own."""
    data, logbook = folder / "data", folder / "logbook.json"
    data.mkdir()
    if command == "import":
        with opened(record) as db, logbook.open("w", encoding="utf-8") as file:
            file.writelines(exchange.parts(db))
        return ["import", str(logbook), "--data", str(data)]
    shutil.copy(record, data / "lumbrel.sqlite3")
    _own(data / "lumbrel.sqlite3")
    return [command, "--data", str(data)]


def _own(record: Path) -> None:
    """As a kitchen's own, which commands take."""
    db = sqlite3.connect(record)
    db.execute("UPDATE nature SET is_a = 'own'")
    db.commit()
    db.close()


RUN = """
import resource, subprocess, sys
subprocess.run([sys.executable, "-m", "lumbrel.cli", *sys.argv[1:]], check=False, stdout=subprocess.DEVNULL)
used = resource.getrusage(resource.RUSAGE_CHILDREN)
print(used.ru_utime + used.ru_stime, used.ru_maxrss // 1024)
"""


def _run(words: list[str], root: Path) -> tuple[float, float]:
    """Processor seconds of a command, and MB at most."""
    done = subprocess.run(
        [sys.executable, "-c", RUN, *words], cwd=root, check=True, capture_output=True, text=True
    )
    seconds, megabytes = done.stdout.split()[-2:]
    return float(seconds), float(megabytes)

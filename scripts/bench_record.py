"""How quick the pages are on a record of one season, and of twenty."""

import http.client
import json
import os
import re
import shutil
import socket
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import urlencode
from uuid import uuid4

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from scripts import long_record  # noqa: E402

ROUNDS = 15
SEASONS = 20
PAGES = (
    "/",
    "/day",
    "/take-in",
    "/pan/{live}",
    "/pan/{live}/board",
    "/pan/{live}/series",
    "/pan/{old}",
    "/filter/{old}",
    "/colour/{old}",
    "/jar/{old}",
    "/jar/{old}/labels",
    "/candy",
    "/shelf",
    "/shelf?woodlot=Tern+Lot",
    "/shelf?q={old}",
    "/shelf/{old}",
    "/trace/{old}",
    "/accounts",
    "/batch/{old}/slip",
    "/batch/{old}.json",
    "/working/methods/{live}",
    "/kitchen",
    "/kitchen/methods",
    "/kitchen/instrument/long-stem",
    "/kitchen/instrument/probe-1",
    "/kitchen/instrument/hand-prism",
    "/practice",
    "/no-such-page",
    "/api/trace/{old}",
    "/api/accounts",
)
Times = dict[str, tuple[float, float, float]]
"""By page: median and 95th percentile in ms, and KB."""


@contextmanager
def served(record: Path) -> Iterator[tuple[int, int]]:
    """`lumbrel demo` on a copy of a record, its clock standing; yields port and process."""
    folder = Path(tempfile.mkdtemp())
    shutil.copy(record, folder / "lumbrel.sqlite3")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, "-m", "lumbrel.cli", "demo", "--frozen", "--data", str(folder)]
    process = subprocess.Popen(
        [*command, "--port", str(port)], cwd=ROOT, stdout=subprocess.DEVNULL, env=os.environ
    )
    try:
        deadline = time.perf_counter() + 60
        while time.perf_counter() < deadline:
            try:
                get(port, "/healthz")
                break
            except OSError:
                time.sleep(0.05)
        yield port, process.pid
    finally:
        process.terminate()
        process.wait(timeout=20)
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
    """The batch on the fire, and one long finished."""
    db = sqlite3.connect(record)
    try:
        live = "SELECT code FROM waits JOIN batch ON batch.id = batch_id WHERE station = 'pan'"
        old = "SELECT code FROM lot_now ORDER BY taken_at LIMIT 1 OFFSET 3"
        return {"live": db.execute(live).fetchone()[0], "old": db.execute(old).fetchone()[0]}
    finally:
        db.close()


def times(record: Path, rounds: int = ROUNDS) -> Times:
    """How long every page takes, and what it weighs; a reading put on the live pan too."""
    named = codes(record)
    found: dict[str, list[float]] = {}
    weighs: dict[str, float] = {}
    with served(record) as (port, _):
        paths = ["/healthz", *(page.format(**named) for page in PAGES)]
        for _ in range(2):
            for path in paths:
                get(port, path)
        for _ in range(rounds):
            for path in paths:
                status, body, took = get(port, path)
                assert status in (200, 404), (path, status)
                found.setdefault(path, []).append(took)
                weighs[path] = len(body) / 1024
            fields = {
                "id": str(uuid4()),
                "instrument": "long-stem",
                "reading": "58.2",
                "cup": "92 C",
                "reading_confirmed": "1",
                "cup_confirmed": "1",
            }
            path = f"/pan/{named['live']}/slip/hydrometer"
            status, body, took = get(port, path, urlencode(fields).encode())
            assert status == 303, (status, re.sub(rb"<[^>]+>", b"", body)[-2000:])
            found.setdefault("POST reading", []).append(took)
            weighs["POST reading"] = 0.0
    general = {value: "{" + key + "}" for key, value in named.items()}
    result = {}
    for path, took_each in found.items():
        name = path
        for value, key in general.items():
            name = name.replace(value, key)
        ordered = sorted(took_each)
        late = ordered[min(int(len(ordered) * 0.95), len(ordered) - 1)]
        result[name] = (1000 * statistics.median(ordered), 1000 * late, weighs[path])
    return result


def main() -> None:
    """Print the table for two records that are there, or are made now."""
    one, many = (Path(argument) for argument in sys.argv[1:3])
    if not one.exists():
        long_record.make(one, 1)
    if not many.exists():
        long_record.make(many, SEASONS)
    first, last = times(one), times(many)
    health = first["/healthz"][0]
    for path, (median, late, _) in first.items():
        later = last[path]
        print(
            f"{path:32} {median:7.1f} ms {median / health:6.1f}x  p95 {late:7.1f} -> {later[1]:7.1f} ms"
            f" {later[1] / late:5.2f}x  {later[2]:6.0f} KB"
        )
    print(json.dumps({"healthz_ms": health}))


if __name__ == "__main__":
    main()

"""What a broker that floods, a broker that is gone and an address that hangs cost the pages: each beside the same
machine without them."""

import http.client
import json
import multiprocessing
import socket
import statistics
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import urlencode

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from lumbrel import demo  # noqa: E402
from lumbrel.demo.at_the_pan import STARTS_AT  # noqa: E402
from lumbrel.store import alarms, record  # noqa: E402
from lumbrel.store.db import opened, transaction  # noqa: E402
from tests.support.broker import TestBroker  # noqa: E402

PAGES = ("/", "/pan/26-058", "/jar/26-055", "/candy", "/kitchen/sources", "/shelf")
PER_SECOND, TOPICS, ROUNDS = 1000, 50, 14
Measured = tuple[str, float, float]


def _flood(port: int) -> None:
    import paho.mqtt.client as mqtt
    from paho.mqtt.enums import CallbackAPIVersion

    client = mqtt.Client(CallbackAPIVersion.VERSION2)
    client.connect("127.0.0.1", port)
    client.loop_start()
    began, sent = time.monotonic(), 0
    while True:
        for _any in range(20):
            client.publish(f"flood/{sent % TOPICS}", json.dumps({"temperature_c": 21.5, "n": sent}))
            sent += 1
        time.sleep(max(began + sent / PER_SECOND - time.monotonic(), 0))


class Pages:
    """A server of the demonstration, and how long its pages take."""

    def __init__(self, port: int) -> None:
        self.port = port

    def post(self, path: str, **fields: str) -> int:
        """Send a form."""
        link = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        link.request("POST", path, urlencode(fields), {"Content-Type": "application/x-www-form-urlencoded"})
        return link.getresponse().status

    def seconds(self) -> list[float]:
        """Each page once."""
        link, found = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20), []
        for path in PAGES:
            began = time.perf_counter()
            link.request("GET", path)
            answer = link.getresponse()
            answer.read()
            assert answer.status == 200, (path, answer.status)
            found.append(time.perf_counter() - began)
        return found


def p95(each: list[float]) -> float:
    """Its 95th percentile."""
    return statistics.quantiles(each, n=20)[-1]


@contextmanager
def _flooded(broker: TestBroker) -> Iterator[None]:
    flood = multiprocessing.Process(target=_flood, args=(broker.port,), daemon=True)
    flood.start()
    try:
        yield
    finally:
        flood.terminate()
        broker.stop()


def measures() -> Iterator[Measured]:
    """Ratios of the pages' p95, with and without, by turns."""
    from scripts.bench import Server

    with tempfile.TemporaryDirectory() as folder:
        demo.make(demo.database(Path(folder)))
        server = Server(Path(folder), sys.executable, "-m", "lumbrel.cli", "demo", "--frozen")
        try:
            server.wait()
            pages = Pages(server.port)
            pages.seconds()
            broker = TestBroker(Path(folder))
            known = {"address": f"mqtt://127.0.0.1:{broker.port}", "tells": "1"}
            with _flooded(broker):
                yield _beside(pages, "a broker that floods", "/kitchen/sources/at/mqtt", known)
            yield _beside(pages, "a broker that is gone", "/kitchen/sources/at/mqtt", known)
            hangs = socket.create_server(("127.0.0.1", 0))
            address = f"http://127.0.0.1:{hangs.getsockname()[1]}/"
            with opened(demo.database(Path(folder))) as db, transaction(db):
                batch = record.batch_by(db, code="26-058")
                assert batch is not None
                for kind in ("strain", "foam", "near"):
                    alarms.raise_alarm(db, batch.id, kind, STARTS_AT, "It rings")
            yield _beside(
                pages, "an address that hangs", "/kitchen/told", {"address": address, "in_the_house": "1"}
            )
            hangs.close()
        finally:
            server.stop()


def _beside(pages: Pages, what: str, path: str, fields: dict[str, str]) -> Measured:
    with_it: list[float] = []
    without: list[float] = []
    for _any in range(ROUNDS):
        for seconds, forget in ((with_it, {}), (without, {"forget": "1"})):
            assert pages.post(path, **fields, **forget) == 303
            time.sleep(1.0)
            pages.seconds()
            for _each in range(6):
                seconds += pages.seconds()
    return f"pages beside {what}, p95 of those without", p95(with_it) / p95(without), 1.2


if __name__ == "__main__":
    for name, value, bound in measures():
        print(f"{name}: {value:.2f} (<= {bound:g})")

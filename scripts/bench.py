"""Benchmarks: each a ratio or a count measured in one run, with the bound it should hold.

Absolute speed is this machine's affair; ratios are ours. Never part of the tests.
"""

import argparse
import http.client
import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import timeit
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from iapws import IAPWS97, iapws97  # noqa: E402

from lumbrel import demo  # noqa: E402
from lumbrel.core.physics import water  # noqa: E402
from lumbrel.web.shell.render import STATIC  # noqa: E402
from scripts import (  # noqa: E402
    bench_after,
    bench_browser,
    bench_candy,
    bench_hardship,
    bench_kitchen,
    bench_live,
    bench_network,
    bench_plugged,
    bench_record,
    bench_silence,
    bench_unsaid,
)
from tests.support.browser import chromium  # noqa: E402

HYDROMETER = json.dumps({"reading_brix": 60, "cup_temperature_c": 82.2}).encode()


@dataclass
class Result:
    """One measured figure and its bound."""

    name: str
    value: float
    bound: str
    good: bool

    def line(self) -> str:
        """As printed."""
        return f"{'ok  ' if self.good else 'MISS'} {self.value:10.3f}  {self.bound:14}  {self.name}"


def at_least(name: str, value: float, bound: float) -> Result:
    return Result(name, value, f">= {bound:g}", value >= bound)


def at_most(name: str, value: float, bound: float) -> Result:
    return Result(name, value, f"<= {bound:g}", value <= bound)


class Server:
    """`lumbrel demo` as its users start it, in a process of its own."""

    def __init__(self, folder: Path, *more: str) -> None:
        import socket

        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.started = time.perf_counter()
        self.process = subprocess.Popen(
            [*more, "--data", str(folder), "--port", str(self.port)],
            cwd=ROOT,
            stdout=subprocess.DEVNULL,
        )
        self.address = f"http://127.0.0.1:{self.port}"

    def wait(self) -> float:
        """Seconds until the first page was answered."""
        deadline = time.perf_counter() + 120
        while time.perf_counter() < deadline:
            try:
                link = http.client.HTTPConnection("127.0.0.1", self.port, timeout=10)
                link.request("GET", "/")
                if link.getresponse().read():
                    return time.perf_counter() - self.started
            except OSError:
                time.sleep(0.02)
        raise TimeoutError("the server never answered")

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(timeout=15)


def requests_per_second(port: int, method: str, path: str, body: bytes | None, seconds: float) -> float:
    """Requests answered a second over two kept-open connections."""
    counts = [0, 0]

    def call(i: int) -> None:
        link = http.client.HTTPConnection("127.0.0.1", port)
        headers = {"Content-Type": "application/json"} if body else {}
        end = time.perf_counter() + seconds
        while time.perf_counter() < end:
            link.request(method, path, body, headers)
            answer = link.getresponse()
            answer.read()
            assert answer.status == 200, answer.status
            counts[i] += 1

    threads = [threading.Thread(target=call, args=(i,)) for i in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return sum(counts) / seconds


def correction_over_http(server: Server) -> Result:
    """Interleaved rounds, so that a noisy machine disturbs both alike."""
    ratios = []
    for _ in range(5):
        constant = requests_per_second(server.port, "GET", "/api/constant", None, 1.0)
        corrected = requests_per_second(server.port, "POST", "/api/hydrometer/correct", HYDROMETER, 1.0)
        ratios.append(corrected / constant)
    return at_least(
        "hydrometer correction over HTTP, requests to a constant's", statistics.median(ratios), 0.5
    )


def boiling_point() -> list[Result]:
    pressures = [60_000 + 500 * i for i in range(100)]

    def each(call: Callable[[float], object], rounds: int) -> float:
        return min(timeit.repeat(lambda: [call(p) for p in pressures], number=rounds, repeat=3)) / rounds

    ours = each(water.boiling_point_c, 200)
    theirs = each(lambda p: IAPWS97(P=p * 1e-6, x=0).T, 1)
    bare = each(lambda p: iapws97._TSat_P(p * 1e-6), 200)
    apart = max(abs(water.boiling_point_c(p) + 273.15 - IAPWS97(P=p * 1e-6, x=0).T) for p in pressures)
    return [
        at_least("boiling point of water, times as fast as iapws", theirs / ours, 20),
        at_least("... and as iapws's bare saturation function (for knowledge)", bare / ours, 0.5),
        at_most("... furthest apart, K", apart, 1e-6),
    ]


def first_page(server: Server) -> list[Result]:
    """The kitchen's first page in a real browser with a cold cache."""
    with chromium() as browser:

        def load(path: str) -> tuple[float, float, int]:
            context = browser.new_context(viewport={"width": 1280, "height": 800})
            page = context.new_page()
            network = context.new_cdp_session(page)
            network.send("Network.enable")
            sizes: list[float] = []
            network.on("Network.loadingFinished", lambda e: sizes.append(e["encodedDataLength"]))
            requests: list[str] = []
            page.on("request", lambda r: requests.append(r.url))
            page.goto(server.address + path, wait_until="load")
            ready = page.evaluate("performance.timing.domInteractive - performance.timing.navigationStart")
            page.wait_for_timeout(400)
            context.close()
            return ready, sum(sizes) / 1024, len(requests)

        load("/")
        pages, plain = [], []
        for _ in range(7):
            plain.append(load(f"{STATIC}/img/lumbrel.svg")[0])
            pages.append(load("/"))
        ratio = statistics.median(p[0] for p in pages) / max(statistics.median(plain), 1.0)
    return [
        at_most("first page, cold: KB over the wire", pages[-1][1], 350),
        at_most("first page, cold: requests", pages[-1][2], 25),
        at_most("first page, cold: interactive, times a static page's", ratio, 5),
    ]


def demo_starts_again(folder: Path) -> Result:
    """scripts/demo when all is set up, to its first answered page."""
    times = []
    for _ in range(3):
        server = Server(folder, "scripts/demo")
        times.append(server.wait())
        server.stop()
    return at_most("scripts/demo, set up already: seconds to the first page", statistics.median(times), 3)


def main() -> int:
    """Run all; exit code 1 when a bound is missed."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--json", action="store_true")
    as_json = parser.parse_args().json
    os.environ["LUMBREL_VENV"] = str(Path(sys.prefix))
    folder = Path(tempfile.mkdtemp())
    try:
        demo.make(demo.database(folder))
        results = boiling_point()
        server = Server(folder, sys.executable, "-m", "lumbrel.cli", "demo", "--frozen")
        try:
            server.wait()
            results.append(correction_over_http(server))
            results += first_page(server)
        finally:
            server.stop()
        results.append(demo_starts_again(folder))
        for measure in (
            bench_live.one_more_sample,
            bench_live.a_night_on_canvas,
            bench_live.eight_probes_twenty_pages,
        ):
            results += [at_most(*measured) for measured in measure()]
        results += [at_most(*measured) for measured in bench_record.measures()]
        results += [at_most(*measured) for measured in bench_browser.measures()]
        results += [at_most(*measured) for measured in bench_after.measures()]
        results += [at_most(*measured) for measured in bench_hardship.measures()]
        results += [at_most(*measured) for measured in bench_network.measures()]
        results += [at_most(*measured) for measured in bench_plugged.measures()]
        results += [at_most(*measured) for measured in bench_silence.measures()]
        results += [
            Result(name, value, f"{low:g} to {high:g}", low <= value <= high)
            for name, value, low, high in (
                *bench_live.boils_against_the_truth(),
                *bench_kitchen.measures(),
                *bench_unsaid.measures(),
                *bench_after.photographs(),
                *bench_candy.measures(),
            )
        ]
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    if as_json:
        print(json.dumps([result.__dict__ for result in results], indent=2))
    else:
        print("\n".join(result.line() for result in results))
    return 0 if all(result.good for result in results) else 1


if __name__ == "__main__":
    sys.exit(main())

"""Checks and every test; the last line printed is "N passed, N failed".

Run by scripts/test. With names as arguments only those tests run, with `--checks` no test does, with
`--coverage` all but the browser's and the long ones do, one after the other, and it is printed how many lines
and branches they cover. The demonstration's season is made once, for all processes.
"""

import faulthandler
import io
import multiprocessing
import os
import subprocess
import sys
import threading
import time
import unittest
from collections import deque
from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import partial
from pathlib import Path
from typing import NamedTuple

import coverage

from tests.support.kitchen import season

PYTHON = [sys.executable, "-m"]
CHECKS = {
    "format": [*PYTHON, "ruff", "format", "--check", "--quiet", "."],
    "lint": [*PYTHON, "ruff", "check", "--quiet", "."],
    "types": [*PYTHON, "mypy", "--no-error-summary"],
    "imports": [str(Path(sys.executable).with_name("lint-imports")), "--no-cache"],
    "template format": [*PYTHON, "djlint", "lumbrel/web", "--check", "--quiet"],
    "template lint": [*PYTHON, "djlint", "lumbrel/web", "--lint", "--quiet"],
    "words": [sys.executable, "-m", "scripts.words", "--check"],
    "bundle": [sys.executable, "scripts/bundle.py", "--check"],
    "scripts and styles": ["node_modules/.bin/biome", "ci", "--error-on-warnings", "."],
}
BROWSER = "tests.browser"
LONG = (
    "tests.core.test_independent",
    "tests.core.test_properties",
    "tests.services.test_against_the_truth",
    "tests.services.test_demo",
    "tests.web.test_anything_goes",
    "tests.web.test_asked",
    "tests.web.test_every_state",
)
"""Simulations and storms of input: measured they would take minutes."""
MORE_THAN_CORES = 1
"""So many processes more than the machine has cores."""


class Count(NamedTuple):
    """How many tests, or checks, came out well and how many did not."""

    passed: int
    failed: int

    def with_(self, other: "Count") -> "Count":
        """Both together."""
        return Count(self.passed + other.passed, self.failed + other.failed)

    def __str__(self) -> str:
        return f"{self.passed} passed, {self.failed} failed"


class Counting(unittest.TextTestResult):
    """Counts what passed; a test with a failing subtest did not."""

    passed = 0

    def addSuccess(self, test: unittest.TestCase) -> None:
        super().addSuccess(test)
        self.passed += 1


def checks() -> Count:
    """Run every check; what one says is printed when it fails."""
    count = Count(0, 0)
    for name, command in CHECKS.items():
        done = subprocess.run(command, check=False, capture_output=True, text=True)
        good = done.returncode == 0
        if not good:
            print(done.stdout, done.stderr, sep="\n")
        print(f"{name}: {'ok' if good else 'FAILED'}", flush=True)
        count = count.with_(Count(good, not good))
    return count


def run(suite: unittest.TestSuite, verbosity: int = 1, stream: io.TextIOBase | None = None) -> Count:
    """Run some tests in this process."""
    out = stream or sys.stdout
    runner = unittest.TextTestRunner(resultclass=Counting, verbosity=verbosity, stream=out)
    result = runner.run(suite)
    failed = len({str(test) for test, _ in [*result.failures, *result.errors]})
    return Count(result.passed, failed + len(result.unexpectedSuccesses))


def tests_of(*parts: str) -> unittest.TestSuite:
    """The tests of some modules or packages."""
    return unittest.TestSuite(
        unittest.defaultTestLoader.loadTestsFromName(name) for name in modules() if name.startswith(parts)
    )


def modules() -> list[str]:
    """Every module of tests, by name."""
    return [".".join(path.with_suffix("").parts) for path in sorted(Path("tests").rglob("test_*.py"))]


def tasks() -> dict[bool, deque[str]]:
    """What one process does at a time: of the browser's tests a module, of the others a class; by whether it
    is the browser's, the longest first as far as is known."""
    browsers = [name for name in modules() if name.startswith(BROWSER)]
    browsers.sort(key=lambda name: -Path(*name.split(".")).with_suffix(".py").stat().st_size)
    others = [
        f"{name}.{case}"
        for name in modules()
        if not name.startswith(BROWSER)
        for case in _cases_of(unittest.defaultTestLoader.loadTestsFromName(name))
    ]
    others.sort(key=lambda name: not name.startswith(LONG))
    return {True: deque(browsers), False: deque(others)}


def _cases_of(suite: Iterable[unittest.TestCase | unittest.TestSuite]) -> list[str]:
    found: dict[str, None] = {}
    for part in suite:
        if isinstance(part, unittest.TestSuite):
            found |= dict.fromkeys(_cases_of(part))
        else:
            found[type(part).__qualname__] = None
    return list(found)


def one(name: str) -> tuple[Count, str]:
    """Run one class of tests in a process of the pool; with what was said where one failed."""
    faulthandler.enable()
    said = io.StringIO()
    begun = time.monotonic()
    count = run(unittest.defaultTestLoader.loadTestsFromName(name), stream=said)
    print(f"{name}: {count}, {time.monotonic() - begun:.0f} s", flush=True)
    return count, said.getvalue() if count.failed else ""


def everything() -> Count:
    """Checks and all tests: processes beside each other, most of them with a browser that mostly waits; who
    has nothing left of its own kind helps the others."""
    left, counts = tasks(), [Count(0, 0)]
    checking = threading.Thread(target=lambda: counts.append(checks()))
    checking.start()
    season()
    processes = (os.cpu_count() or 1) + MORE_THAN_CORES
    kinds = [number % 2 == 0 for number in range(processes)]
    threads = [threading.Thread(target=work, args=(left, kind, counts)) for kind in kinds]
    for thread in threads:
        thread.start()
    for thread in (checking, *threads):
        thread.join()
    total = Count(0, 0)
    for count in counts:
        total = total.with_(count)
    return total


def work(left: dict[bool, deque[str]], kind: bool, counts: list[Count]) -> None:
    """Do what is left, one after the other in a process of its own."""
    fresh = partial(ProcessPoolExecutor, 1, multiprocessing.get_context("spawn"))
    process, did = fresh(), kind
    while left[True] or left[False]:
        try:
            name = (left[kind] or left[not kind]).popleft()
        except IndexError:
            continue
        if did is not name.startswith(BROWSER):
            # A process that has a browser has an event loop that others cannot be beside.
            process.shutdown()
            process, did = fresh(), not did
        try:
            count, said = process.submit(one, name).result()
        except BrokenProcessPool:
            count, said = Count(0, 1), f"{name}: its process is gone"
            process = fresh()
        counts.append(count)
        if said:
            print(said, flush=True)
    process.shutdown()


def covered() -> Count:
    """The tests that are quick, one after the other, and how much of the code they reach."""
    branches = coverage.Coverage(data_file=None, branch=True, source=["lumbrel"])
    with branches.collect():
        quick = (name for name in modules() if not name.startswith((BROWSER, *LONG)))
        count = run(tests_of(*quick))
    share = branches.report(file=io.StringIO())
    print(f"lines and branches covered, without browser and long simulations: {share:.1f} %")
    return count


def main(arguments: list[str]) -> int:
    faulthandler.enable()
    match arguments:
        case ["--checks"]:
            count = checks()
        case ["--coverage"]:
            count = covered()
        case []:
            count = everything()
        case names:
            suite = unittest.defaultTestLoader.loadTestsFromNames(names)
            count = checks().with_(run(suite, verbosity=2))
    print(count)
    return 1 if count.failed or not count.passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))

"""Checks, then every test; the last line printed is "N passed, N failed".

Run by scripts/test. With names as arguments only those tests run, with `--checks` no test does. The
browser's tests run in a process of their own beside the others. Branch coverage is printed.
"""

import faulthandler
import io
import subprocess
import sys
import unittest
from pathlib import Path
from typing import NamedTuple

import coverage

PYTHON = [sys.executable, "-m"]
CHECKS = {
    "format": [*PYTHON, "ruff", "format", "--check", "--quiet", "."],
    "lint": [*PYTHON, "ruff", "check", "--quiet", "."],
    "types": [*PYTHON, "mypy", "--no-error-summary"],
    "imports": [str(Path(sys.executable).with_name("lint-imports")), "--no-cache"],
    "template format": [*PYTHON, "djlint", "lumbrel/web", "--check", "--quiet"],
    "template lint": [*PYTHON, "djlint", "lumbrel/web", "--lint", "--quiet"],
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


def run(suite: unittest.TestSuite, verbosity: int = 1) -> Count:
    """Run some tests in this process."""
    runner = unittest.TextTestRunner(resultclass=Counting, verbosity=verbosity, stream=sys.stdout)
    result = runner.run(suite)
    failed = len({str(test) for test, _ in [*result.failures, *result.errors]})
    return Count(result.passed, failed + len(result.unexpectedSuccesses))


def tests_of(*parts: str) -> unittest.TestSuite:
    """The tests of some modules or packages."""
    return unittest.TestSuite(
        unittest.defaultTestLoader.loadTestsFromName(name)
        for name in modules()
        if name.startswith(parts)
    )


def modules() -> list[str]:
    """Every module of tests, by name."""
    return [
        ".".join(path.with_suffix("").parts) for path in sorted(Path("tests").rglob("test_*.py"))
    ]


def everything() -> Count:
    """Checks and all tests, the browser's beside the rest."""
    measured = tuple(name for name in modules() if not name.startswith((BROWSER, *LONG)))
    command = [*PYTHON, "tests.run", "--browser"]
    branches = coverage.Coverage(data_file=None, branch=True, source=["lumbrel"])
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as beside:
        count = checks()
        with branches.collect():
            suite = tests_of(*measured)
        count = count.with_(run(tests_of(*LONG)))
        with branches.collect():
            count = count.with_(run(suite))
        said, _ = beside.communicate()
    *lines, last = said.strip().splitlines() or ["0 passed, 1 failed"]
    print(*lines, sep="\n")
    share = branches.report(file=io.StringIO())
    print(f"lines and branches covered, without browser and long simulations: {share:.1f} %")
    passed, failed = (int(word) for word in last.split() if word.isdigit())
    return count.with_(Count(passed, failed))


def main(arguments: list[str]) -> int:
    faulthandler.enable()
    match arguments:
        case ["--checks"]:
            count = checks()
        case ["--browser"]:
            count = run(tests_of(BROWSER))
        case []:
            count = everything()
        case names:
            suite = unittest.defaultTestLoader.loadTestsFromNames(names)
            count = checks().with_(run(suite, verbosity=2))
    print(count)
    return 1 if count.failed or not count.passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))

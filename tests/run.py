"""Lint, types and every test; the last line printed is "N passed, N failed".

Run by scripts/test. With names as arguments only those tests run.
"""

import subprocess
import sys
import unittest
from pathlib import Path

PYTHON = [sys.executable, "-m"]
CHECKS = {
    "format": [*PYTHON, "ruff", "format", "--check", "--quiet", "."],
    "lint": [*PYTHON, "ruff", "check", "--quiet", "."],
    "types": [*PYTHON, "mypy", "--no-error-summary"],
    "imports": [str(Path(sys.executable).with_name("lint-imports")), "--no-cache"],
    "template format": [*PYTHON, "djlint", "lumbrel/web", "--check", "--quiet"],
    "template lint": [*PYTHON, "djlint", "lumbrel/web", "--lint", "--quiet"],
    "scripts and styles": ["node_modules/.bin/biome", "ci", "--error-on-warnings", "."],
}


class Counting(unittest.TextTestResult):
    """Counts what passed; a test with a failing subtest did not."""

    passed = 0

    def addSuccess(self, test: unittest.TestCase) -> None:
        super().addSuccess(test)
        self.passed += 1


def main(names: list[str]) -> int:
    passed = failed = 0
    for name, command in CHECKS.items():
        done = subprocess.run(command, check=False, capture_output=True, text=True)
        good = done.returncode == 0
        if not good:
            print(done.stdout, done.stderr, sep="\n")
        print(f"{name}: {'ok' if good else 'FAILED'}", flush=True)
        passed, failed = passed + good, failed + (not good)
    loader = unittest.TestLoader()
    suite = (
        loader.loadTestsFromNames(names) if names else loader.discover("tests", top_level_dir=".")
    )
    runner = unittest.TextTestRunner(
        resultclass=Counting, verbosity=2 if names else 1, stream=sys.stdout
    )
    result = runner.run(suite)
    passed += result.passed
    failed += len({str(test) for test, _ in [*result.failures, *result.errors]})
    failed += len(result.unexpectedSuccesses)
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not result.passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))

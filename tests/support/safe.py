"""The command line as a test calls it."""

import contextlib
import io

from lumbrel import cli


def run(*words: str) -> tuple[int, str, str]:
    """Run a command; its exit code, what it said, and what it complained of."""
    out, complaint = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(complaint):
        code = cli.main(list(words))
    return code, out.getvalue(), complaint.getvalue()

"""What commands say, what is logged, and how they end."""

import logging
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from lumbrel.words import _

if TYPE_CHECKING:
    from lumbrel.services.base.progress import Progress

A_LOG_BYTES, LOGS = 1_000_000, 5
MANY, A_MINUTE = ("lumbrel.connections", "lumbrel.live", "asyncio", "uvicorn"), 60.0
"""Loggers that may have the same to say a thousand times a second, and may say it once a minute."""


class Seldom(logging.Filter):
    """Lets one line of each place of those loggers through a minute, with how many were left out."""

    def __init__(self) -> None:
        super().__init__()
        self._said: dict[tuple[str, int], tuple[float, int]] = {}

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether a line is written; several handlers ask about one."""
        if record.name.startswith(MANY) and "seldom" not in record.__dict__:
            record.seldom = self._is_due(record)
        return bool(record.__dict__.get("seldom", True))

    def _is_due(self, record: logging.LogRecord) -> bool:
        place = (record.pathname, record.lineno)
        said, left_out = self._said.get(place, (float("-inf"), 0))
        if record.created - said < A_MINUTE:
            self._said[place] = (said, left_out + 1)
            return False
        self._said[place] = (record.created, 0)
        if left_out:
            record.msg = _("{msg} (and {left_out} more like it)", msg=record.msg, left_out=left_out)
        return True


def refuse(sentence: object) -> int:
    """Say why not, on stderr; the exit code."""
    print(_("lumbrel: {sentence}", sentence=sentence), file=sys.stderr)
    return 2


def progress_of(did: str) -> "Progress":
    """Says on a terminal how far something has come, and how long it takes still."""
    from lumbrel.services.base.progress import Progress, in_words

    if not sys.stderr.isatty():
        return Progress()

    def tell(did: str, done: int, whole: int, seconds_left: float) -> None:
        words = in_words(did, done, whole, seconds_left) if done < whole else ""
        print(f"\r{words:70}" + ("" if words else "\r"), end="", file=sys.stderr, flush=True)

    return Progress(did, tell)


def log_to(folder: Path, level: str) -> None:
    """Log with times and levels to stderr, and to a file that is turned over as it grows."""
    from logging.handlers import RotatingFileHandler

    form = logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s")
    handlers: list[logging.Handler] = [logging.StreamHandler(sys.stderr)]
    handlers.append(
        RotatingFileHandler(folder / "lumbrel.log", maxBytes=A_LOG_BYTES, backupCount=LOGS, encoding="utf-8")
    )
    # Where a line cannot be written, as on a full disk, the kitchen goes on.
    logging.raiseExceptions = False
    root, seldom = logging.getLogger(), Seldom()
    for handler in handlers:
        handler.setFormatter(form)
        handler.addFilter(seldom)
        root.addHandler(handler)
    root.setLevel(logging.WARNING)
    logging.getLogger("lumbrel").setLevel(level.upper())

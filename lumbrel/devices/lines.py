"""Probes that speak in lines of text, over a serial port, a pipe or TCP.

A line is `[TIME] VALUE [UNIT]`, for example `103.42`, `218.2 F`, `t=103.4 C` or
`2026-03-18T12:00:00Z 103.42 C`. Celsius unless it says F; lines that begin with # are skipped.
"""

import re
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import BinaryIO

LONGEST_LINE = 200
_LINE = re.compile(
    r"^\s*(?:(?P<at>\d{4}-\d\d-\d\dT\d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:Z|[+-]\d\d:?\d\d))\s+)?"
    r"(?:t(?:emp)?\s*[=:]\s*)?(?P<value>[+-]?\d{1,4}(?:[.,]\d{1,4})?|nan)\s*(?:°|deg)?\s*(?P<unit>[CF])?\s*$",
    re.IGNORECASE,
)


class UnreadableLine(ValueError):
    """A line that holds no temperature."""


@dataclass(frozen=True)
class ProbeSample:
    """A temperature from a probe; `at` is None when the line named no time: it is now."""

    at: datetime | None
    celsius: float


def parse(line: bytes) -> ProbeSample | None:
    """One line; None for an empty one or a comment.

    Args:
        line: as it came, at most 200 bytes.
    Raises:
        UnreadableLine: no text, too long, or no temperature in it.
    """
    if len(line) > LONGEST_LINE:
        raise UnreadableLine("longer than a line may be")
    try:
        text = line.decode("utf-8").strip()
    except UnicodeDecodeError as error:
        raise UnreadableLine("not text") from error
    if not text or text.startswith("#"):
        return None
    match = _LINE.match(text)
    if not match:
        raise UnreadableLine("no temperature in it")
    value = float(match["value"].replace(",", "."))
    if (match["unit"] or "C").upper() == "F":
        value = (value - 32) / 1.8
    at = None
    if match["at"]:
        try:
            at = datetime.fromisoformat(match["at"]).astimezone(UTC)
        except ValueError as error:
            raise UnreadableLine("no such time") from error
    return ProbeSample(at, value)


class LineSource:
    """A probe behind anything that gives lines.

    Args:
        connect: opens the stream anew; called again after it ended.
    """

    def __init__(self, connect: Callable[[], BinaryIO]) -> None:
        self._connect = connect
        self.unreadable = 0

    def samples(self) -> Iterator[ProbeSample | None]:
        """Samples as they come until the stream ends; None after a line that held none, so that
        the caller can count it (`unreadable`).

        Raises:
            OSError: the stream could not be opened, or broke.
        """
        with closing(self._connect()) as stream:
            while line := stream.readline(LONGEST_LINE + 1):
                try:
                    sample = parse(line)
                except UnreadableLine:
                    self.unreadable += 1
                    yield None
                    continue
                if sample is not None:
                    yield sample

"""Probes that speak in lines of text, over a serial port, a pipe or TCP.

A line is `[TIME] VALUE [UNIT]`, for example `103.42`, `218.2 F`, `t=103.4 C` or
`2026-03-18T12:00:00Z 103.42 C`; the same as fields between commas, semicolons or tabs; or a JSON object, as
`{"temperature_c": 103.42}`. Celsius unless it says F; lines that begin with # are skipped.
"""

import json
import re
import threading
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import BinaryIO

LONGEST_LINE = 200
KEYS = {"temperature_c": "C", "temperature_f": "F", "temperature": "", "temp": "", "t": "", "value": ""}
"""Of an object the first of these that is a number, and the unit that it names."""
_LINE = re.compile(
    r"^\s*(?:(?P<at>\d{4}-\d\d-\d\dT\d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:Z|[+-]\d\d:?\d\d))\s+)?"
    r"(?:t(?:emp)?\s*[=:]\s*)?(?P<value>[+-]?\d{1,4}(?:[.,]\d{1,4})?|nan)\s*(?:°|deg)?\s*(?P<unit>[CF])?\s*$",
    re.IGNORECASE,
)


class UnreadableLine(ValueError):
    """A line that holds no temperature."""


@dataclass(frozen=True)
class ProbeSample:
    """A temperature from a probe; `at` is None when the line named no time: it is now. Whether it named its unit:
    else it is read as Celsius."""

    at: datetime | None
    celsius: float
    has_unit: bool = True


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
    at, value, unit = _told(text)
    if unit == "F":
        value = (value - 32) / 1.8
    return ProbeSample(at, value, bool(unit))


def _told(text: str) -> tuple[datetime | None, float, str]:
    """Its time, its value and the unit it names, if any: of a line, of fields, or of an object."""
    match = _LINE.match(text)
    if match:
        return _moment(match["at"]), float(match["value"].replace(",", ".")), (match["unit"] or "").upper()
    if text.startswith("{"):
        return _of_object(text)
    fields = re.split(r"\s*[;\t]\s*" if ";" in text or "\t" in text else r"\s*,\s*", text)
    for first in range(len(fields)):
        for many in (3, 2, 1):
            if match := _LINE.match(" ".join(fields[first : first + many])):
                unit = (match["unit"] or "").upper()
                return _moment(match["at"]), float(match["value"].replace(",", ".")), unit
    raise UnreadableLine("no temperature in it")


def _of_object(text: str) -> tuple[datetime | None, float, str]:
    try:
        told = json.loads(text)
    except ValueError as error:
        raise UnreadableLine("no temperature in it") from error
    for key, unit in KEYS.items():
        value = told.get(key)
        if isinstance(value, int | float) and not isinstance(value, bool):
            return None, float(value), unit or str(told.get("unit", ""))[-1:].upper().replace("K", "")
    raise UnreadableLine("no temperature in it")


def _moment(text: str | None) -> datetime | None:
    try:
        return datetime.fromisoformat(text).astimezone(UTC) if text else None
    except (ValueError, OverflowError) as error:
        raise UnreadableLine("no such time") from error


class LinesAwaited:
    """A stream of bytes that waits for its next line, or until it is told to stop.

    Args:
        read: some bytes; None while there are none, nothing at its end.
        close: of the stream.
        stop: set from outside.
    """

    def __init__(
        self, read: Callable[[], bytes | None], close: Callable[[], None], stop: threading.Event
    ) -> None:
        self._read, self.close, self._stop, self._rest = read, close, stop, b""

    def readline(self, limit: int) -> bytes:
        """The next line, or so many bytes of one; nothing at the end."""
        while b"\n" not in self._rest[:limit] and len(self._rest) < limit:
            more = b"" if self._stop.is_set() else self._read()
            if more == b"":
                return b""
            self._rest += more or b""
        line, end, rest = self._rest[:limit].partition(b"\n")
        self._rest = rest + self._rest[limit:]
        return line + end


class LineSource:
    """A probe behind anything that gives lines.

    Args:
        connect: opens the stream anew; called again after it ended.
    """

    def __init__(self, connect: Callable[[], BinaryIO | LinesAwaited]) -> None:
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

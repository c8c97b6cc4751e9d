"""Devices that speak in lines of text, over a serial port, a pipe, TCP or a file.

A line is `[TIME] VALUE [UNIT]`, for example `103.42`, `218.2 F`, `t=103.4 C` or
`2026-03-18T12:00:00Z 103.42 C`; the same as fields between commas, semicolons or tabs, several values with their
units among them; a scale's, as `ST,GS,+ 12.345 kg`; or a JSON object, as `{"temperature_c": 103.42}`. Lines that
begin with # are skipped.
"""

import json
import re
import threading
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, BinaryIO, NamedTuple

from lumbrel.devices.measured import KEYS, TEMPERATURE, Value, unit_of

LONGEST_LINE = 200
UNSTEADY = ("US", "SD")
"""What scales write before a weight that still moves."""
_LINE = re.compile(
    r"^\s*(?:(?P<at>\d{4}-\d\d-\d\dT\d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:Z|[+-]\d\d:?\d\d))\s+)?"
    r"(?:(?:t(?:emp)?|p|w|m)\s*[=:]\s*|(?P<steady>[A-Z]{1,2}(?: [A-Z])?)\s+)?"
    r"(?P<value>[+-]?\s*\d{1,6}(?:[.,]\d{1,5})?|nan)\s*(?P<unit>(?:°|deg)?\s*[a-zA-Z]{1,10})?\s*$",
    re.IGNORECASE,
)


class UnreadableLine(ValueError):
    """A line that holds nothing that is measured."""


@dataclass(frozen=True)
class ProbeSample:
    """What a device sent at once; `at` is None when the line named no time: it is now.

    Attributes:
        values: each with the unit that it named, or none.
        steady: a scale said no other.
    """

    at: datetime | None
    values: tuple[Value, ...]
    steady: bool = True

    def of(self, quantity: str, unit: str = "") -> float | None:
        """What it says of a quantity, degC, Pa or kg; what names no unit is in that one. None where it says nothing
        of it."""
        for one in self.values:
            if one.unit and one.quantity == quantity:
                return one.inside()
        bare = next((one for one in self.values if not one.unit and one.about in ("", quantity)), None)
        return bare._replace(unit=unit).inside() if bare and unit else None

    @property
    def celsius(self) -> float | None:
        """As a thermometer's."""
        return self.of(TEMPERATURE, "C")


def a_temperature(celsius: float) -> ProbeSample:
    """A thermometer's sample of now, degC."""
    return ProbeSample(None, (Value(celsius, "C"),))


def parse(line: bytes) -> ProbeSample | None:
    """One line; None for an empty one or a comment.

    Args:
        line: as it came, at most 200 bytes.
    Raises:
        UnreadableLine: no text, too long, or nothing measured in it.
    """
    if len(line) > LONGEST_LINE:
        raise UnreadableLine("longer than a line may be")
    try:
        text = line.decode("utf-8").strip()
    except UnicodeDecodeError as error:
        raise UnreadableLine("not text") from error
    if not text or text.startswith("#"):
        return None
    at, values, steady = _told(text)
    if not values:
        raise UnreadableLine("nothing measured in it")
    return ProbeSample(at, tuple(values), steady)


def _told(text: str) -> tuple[datetime | None, list[Value], bool]:
    """Its time, its values and whether they stand still: of a line, of fields, or of an object."""
    if text.startswith("{"):
        return None, _of_object(text), True
    whole = _field(text)
    if whole:
        return whole.at, [whole.value], whole.steady
    fields = re.split(r"\s*[;\t]\s*" if ";" in text or "\t" in text else r"\s*,\s*", text)
    at, found, steady = None, [], fields[0].upper() not in UNSTEADY
    first = 0
    while first < len(fields):
        for many in (3, 2, 1):
            if one := _field(" ".join(fields[first : first + many])):
                at = at or one.at
                found.append(one.value)
                steady = steady and one.steady
                first += many - 1
                break
        first += 1
    named = [one for one in found if one.unit]
    return at, named or found[:1], steady


class _Field(NamedTuple):
    at: datetime | None
    value: Value
    steady: bool


def _field(text: str) -> _Field | None:
    """One value with what stands about it; None where it is none, or of a unit that nobody here measures in."""
    match = _LINE.match(text)
    unit = unit_of(match["unit"] or "") if match else None
    if match is None or unit is None:
        return None
    number = float(match["value"].replace(",", ".").replace(" ", ""))
    steady = (match["steady"] or "").upper().split(" ")[0] not in UNSTEADY
    return _Field(_moment(match["at"]), Value(number, unit), steady)


def _of_object(text: str) -> list[Value]:
    try:
        told: dict[str, Any] = json.loads(text)
    except ValueError as error:
        raise UnreadableLine("nothing measured in it") from error
    found: dict[str, Value] = {}
    for key, (quantity, unit) in KEYS.items():
        value = told.get(key)
        if not isinstance(value, int | float) or isinstance(value, bool):
            continue
        said = unit or unit_of(str(told.get("unit", ""))) or ""
        found.setdefault(quantity, Value(float(value), said, quantity))
    return list(found.values())


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
    """A device behind anything that gives lines.

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

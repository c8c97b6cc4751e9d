"""Reading what a person typed into a form: every mistake found at once, nothing lost."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from typing import NamedTuple
from uuid import uuid4
from zoneinfo import ZoneInfo

from lumbrel.core import units
from lumbrel.core.errors import OutOfRange
from lumbrel.store.kitchen import Kitchen

_ID = re.compile(r"[A-Za-z0-9_-]{8,64}")
_TIME = re.compile(
    r"(?:(?P<day>\d{4}-\d\d-\d\d)[ t]+|(?P<word>yesterday) +)?"
    r"(?P<h>[01]?\d|2[0-3])[:.](?P<m>[0-5]\d)(?:[:.](?P<s>[0-5]\d))?"
)
MAX_TEXT = 400


class BadInput(Exception):
    """A form that cannot be taken as it is.

    `errors` maps a field to the sentence that says what is allowed. `asks` maps a field to a
    question: what was typed is possible but not plausible, and is taken when the person says
    that it is so.
    """

    def __init__(self, errors: dict[str, str], asks: dict[str, str] | None = None) -> None:
        super().__init__("; ".join([*errors.values(), *(asks or {}).values()]))
        self.errors = errors
        self.asks = asks or {}


class Overtaken(BadInput):
    """Somebody else was first; the message says who and what they did."""

    def __init__(self, sentence: str) -> None:
        super().__init__({"why": sentence})


class NotFound(Exception):
    """Something named in an address does not exist; the message says what to do."""


class Bounds(NamedTuple):
    """A field and what it may hold: its kind of quantity, the bounds in that kind's inside unit,
    and the sentence that says them."""

    name: str
    kind: str
    low: float
    high: float
    sentence: str


@dataclass
class Form:
    """The fields of one form as typed, read one by one.

    Each reader returns None for a field that is empty or wrong and notes the mistake; `check`
    raises BadInput when there was any.
    """

    fields: Mapping[str, str]
    kitchen: Kitchen
    errors: dict[str, str] = field(default_factory=dict)
    asks: dict[str, str] = field(default_factory=dict)

    def text(self, name: str, required: str = "", limit: int = MAX_TEXT) -> str:
        """A trimmed text; `required` is the sentence when it is missing."""
        value = self.fields.get(name, "").strip()
        if not value and required:
            self.errors[name] = required
        if len(value) > limit:
            self.errors[name] = f"At most {limit} characters; this has {len(value)}."
            return ""
        return value

    def choice(self, name: str, allowed: Mapping[str, str] | list[str], sentence: str) -> str:
        """One of the allowed values, else the sentence is noted."""
        value = self.fields.get(name, "").strip()
        if value not in allowed:
            self.errors[name] = sentence
            return ""
        return value

    def ticked(self, name: str) -> bool:
        """Whether a box is ticked."""
        return self.fields.get(name, "") not in ("", "0", "false", "off")

    def given(self, name: str) -> bool:
        """Whether anything was typed."""
        return bool(self.fields.get(name, "").strip())

    def quantity(self, name: str, kind: str, required: bool = True) -> float | None:
        """A quantity in the kind's inside unit; a bare number is in the kitchen's unit."""
        text = self.fields.get(name, "")
        if not text.strip() and not required:
            return None
        try:
            return units.parse(text, kind, self.kitchen.units.get(kind, ""), name).value
        except OutOfRange as error:
            self.errors[name] = error.sentence
            return None

    def between(self, bounds: Bounds, required: bool = True) -> float | None:
        """A quantity within bounds, else their sentence is noted."""
        value = self.quantity(bounds.name, bounds.kind, required)
        if value is not None and not bounds.low <= value <= bounds.high:
            self.errors[bounds.name] = bounds.sentence
            return None
        return value

    def attempt(self, name: str, call: Callable[[], float]) -> float | None:
        """A computed value; a refusal of core is noted at the field."""
        try:
            return call()
        except OutOfRange as error:
            self.errors.setdefault(name, error.sentence)
            return None

    def ask(self, name: str, question: str) -> None:
        """Note a question, unless the person already said that it is so."""
        if not self.ticked(name + CONFIRMED):
            before = self.asks.get(name)
            self.asks[name] = f"{before} {question}" if before else question

    def date(self, name: str) -> date | None:
        """A day typed as 2025-03-14 or a month as 2025-03; None if empty or wrong."""
        text = self.fields.get(name, "").strip()
        if not text:
            return None
        try:
            return date.fromisoformat(f"{text}-01" if re.fullmatch(r"\d{4}-\d\d", text) else text)
        except ValueError:
            self.errors[name] = "Type the day as 2025-03-14, or the month as 2025-03."
            return None

    def show(self, value: float, kind: str) -> str:
        """A value in the kitchen's unit of its kind, for a sentence."""
        unit = self.kitchen.units.get(kind, "")
        return units.show(value, kind, unit, both=self.kitchen.both_units)

    def client_id(self) -> str:
        """The client-made id of this write, so that a second send is harmless."""
        given = self.fields.get("id", "").strip()
        return given if _ID.fullmatch(given) else str(uuid4())

    def time_of_day(self, name: str, now: datetime) -> datetime:
        """A time typed as HH:MM in the kitchen's zone, today or yesterday, or with its day; now if
        empty."""
        text = self.fields.get(name, "").strip()
        if not text:
            return now
        match = _TIME.fullmatch(text.lower())
        if not match:
            self.errors[name] = (
                "Type the time as hours and minutes, for example 14:25, yesterday 14:25, or with its "
                "day 2026-03-14 14:25."
            )
            return now
        at = self._newest(now, match)
        if at is None:
            self.errors[name] = "That is still to come, or no day of the calendar."
            return now
        return min(at, now)

    def _newest(self, now: datetime, match: "re.Match[str]") -> datetime | None:
        """The newest moment that a typed time can mean: of its day, or of today or else yesterday.
        When the clocks go back, the later of the two; when they go forward, an hour that was
        skipped is the one after it."""
        local = local_time(now, self.kitchen)
        try:
            day = date.fromisoformat(match["day"]) if match["day"] else local.date()
        except ValueError:
            return None
        back = 1 if match["word"] else 0
        days = [day - timedelta(days=back)]
        if not match["day"] and not match["word"]:
            days.append(day - timedelta(days=1))
        clock = time(int(match["h"]), int(match["m"]), int(match["s"] or 0), tzinfo=local.tzinfo)
        moments = [
            datetime.combine(on, clock.replace(fold=fold)).astimezone(UTC)
            for on in days
            for fold in (0, 1)
        ]
        past = [at for at in moments if at <= now + timedelta(minutes=1)]
        return max(past, default=None)

    def check(self) -> None:
        """Raise BadInput when any field was wrong or a question is open."""
        if self.errors or self.asks:
            raise BadInput(self.errors, self.asks)


SEEN = "seen"
"""When the page was made that a form is of: what others did since then is told before it is taken."""
NOT_TYPED = ("id", "initials", SEEN)
CONFIRMED = "_confirmed"
"""Behind a field's name: the person confirmed what was asked about it."""
EARLIER_CONFIRMED = "_is_so"
"""How lines written before said the same."""


def was_confirmed(typed: Mapping[str, str], name: str = "") -> bool:
    """Whether a field, or any, was asked about and confirmed when a line was typed."""
    suffixes = (CONFIRMED, EARLIER_CONFIRMED)
    if name:
        return any(name + suffix in typed for suffix in suffixes)
    return any(key.endswith(suffixes) for key in typed)


def kept_of(fields: Mapping[str, str], *left_out: str) -> dict[str, str]:
    """What a person typed, without the form's own bookkeeping and without who they are."""
    return {k: v for k, v in fields.items() if v and k not in (*NOT_TYPED, *left_out)}


def local_time(at: datetime, kitchen: Kitchen) -> datetime:
    """A moment in the kitchen's time zone (the machine's when none is set)."""
    zone = kitchen.zone_at(at)
    return at.astimezone(ZoneInfo(zone) if zone else None)

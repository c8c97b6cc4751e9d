"""Reading what a person typed into a form: every mistake found at once, nothing lost."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property
from typing import NamedTuple
from uuid import uuid4
from zoneinfo import ZoneInfo

from lumbrel.core import units
from lumbrel.core.errors import OutOfRange
from lumbrel.store.kitchen import Kitchen
from lumbrel.words import _, joined

_ID = re.compile(r"[A-Za-z0-9_-]{8,64}")
_TIME = re.compile(
    r"(?:(?P<day>.*\S)(?:[, ]+|(?<=\d)t))?"
    r"(?P<h>[01]?\d|2[0-3])(?:[:.]|\s?h\s?)(?P<m>[0-5]\d)(?:[:.](?P<s>[0-5]\d))?\s?(?P<half>[ap]\.?m\.?)?"
)
MAX_TEXT = 400


class BadInput(Exception):
    """A form that cannot be taken as it is.

    `errors` maps a field to the sentence that says what is allowed. `asks` maps a field to a
    question: what was typed is possible but not plausible, and is taken when the person says
    that it is so.
    """

    def __init__(self, errors: dict[str, str], asks: dict[str, str] | None = None) -> None:
        super().__init__(joined("; ", [*errors.values(), *(asks or {}).values()]))
        self.errors = errors
        self.asks = asks or {}


class Overtaken(BadInput):
    """Somebody else was first; the message says who and what they did."""

    def __init__(self, sentence: str) -> None:
        super().__init__({"why": sentence})


def too_long(limit: int, text: str) -> str:
    """What is said of a text that has more letters than are taken."""
    return _("At most {limit} characters; this has {count}.", limit=limit, count=len(text))


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
    corrects_at: datetime | None = None
    """The moment of the line that it corrects: what is typed is of then."""

    @cached_property
    def made_id(self) -> str:
        """The id of a form that brings none."""
        return str(uuid4())

    @property
    def corrects(self) -> str:
        """The id of the line that it corrects; empty where it corrects none."""
        return self.fields.get("supersedes", "").strip()

    def text(self, name: str, required: str = "", limit: int = MAX_TEXT) -> str:
        """A trimmed text; `required` is the sentence when it is missing."""
        value = self.fields.get(name, "").strip()
        if not value and required:
            self.errors[name] = required
        if len(value) > limit:
            self.errors[name] = too_long(limit, value)
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
            meant = self._in_the_other_unit(bounds.name, bounds.kind, bounds.low, bounds.high)
            self.errors[bounds.name] = f"{bounds.sentence} {meant}".strip()
            return None
        return value

    def ask_the_unit(self, name: str, kind: str, low: float, high: float, why: str) -> bool:
        """Ask about a bare number that a moment does not allow, but would in the other unit.

        Args:
            low, high: what the moment allows, in the kind's inside unit.
            why: a sentence that says so.
        Returns:
            Whether it is such a number, asked about or confirmed.
        """
        value = units.parse(self.fields[name], kind, self.kitchen.units.get(kind, "")).value
        meant = self._in_the_other_unit(name, kind, low, high)
        if low <= value <= high or not meant:
            return False
        self.ask(name, f"{why} {meant}")
        return True

    def _in_the_other_unit(self, name: str, kind: str, low: float, high: float) -> str:
        """What to type where a bare number was meant in the other unit; empty where it hardly was."""
        text = self.fields.get(name, "")
        other = units.in_the_other_unit(text, kind, self.kitchen.units.get(kind, ""))
        if other is None or not low <= other.value <= high:
            return ""
        # A narrow space: in this sentence alone a quantity stays in the unit that is not the kitchen's.
        symbol = units.KINDS[kind].unit(other.unit).symbol
        return _(
            "Was it {other}\u202f{symbol}? Then type {other} {unit}.",
            other=other.text,
            symbol=symbol,
            unit=other.unit,
        )

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

    def date(self, name: str, today: date | None = None) -> date | None:
        """A day, or the first one of a month, as a person calls it; None if empty or wrong."""
        text = self.fields.get(name, "").strip()
        if not text:
            return None
        span = units.span_of(text, today or datetime.now(UTC).date(), self.kitchen.clock)
        if span is None:
            self.errors[name] = _(
                "Type the day as {example_day}, or the month as 2025-03.", example_day=self.example_day
            )
            return None
        return span[0]

    @property
    def example_day(self) -> str:
        """A day as the kitchen writes it."""
        return units.day(date(2025, 3, 14), self.kitchen.clock)

    def show(self, value: float, kind: str) -> str:
        """A value in the kitchen's unit of its kind, for a sentence."""
        unit = self.kitchen.units.get(kind, "")
        return units.show(value, kind, unit, both=self.kitchen.both_units)

    def client_id(self) -> str:
        """The client-made id of this write, so that a second send is harmless."""
        given = self.fields.get("id", "").strip()
        return given if _ID.fullmatch(given) else self.made_id

    def time_of_day(self, name: str, now: datetime) -> datetime:
        """A time typed as HH:MM in the kitchen's zone, or with its day. Without one it is of today or yesterday,
        or the nearest to the moment of the line that is corrected. If empty it is that moment, or now."""
        text = self.fields.get(name, "").strip()
        if not text:
            return self.corrects_at or now
        match = _TIME.fullmatch(text.lower())
        if not match:
            said = units.clock(datetime(2025, 3, 14, 14, 25), self.kitchen.clock)
            self.errors[name] = _(
                "Type the time as hours and minutes, for example {said}, yesterday {said}, or with "
                "its day {example_day}, {said}.",
                said=said,
                example_day=self.example_day,
            )
            return now
        at = self._newest(now, match)
        if at is None:
            self.errors[name] = _("That is in the future, or not a date.")
            return now
        return min(at, now)

    def time_to_come(self, name: str, now: datetime) -> datetime | None:
        """The next time of the kitchen's clock that was typed; None if empty or wrong."""
        text = self.fields.get(name, "").strip()
        if not text:
            return None
        match = _TIME.fullmatch(text.lower())
        hours = self._hours(match) if match and not match["day"] else []
        if match is None or not hours:
            said = units.clock(datetime(2025, 3, 14, 16, 30), self.kitchen.clock)
            self.errors[name] = _("Type the time as hours and minutes, for example {said}.", said=said)
            return None
        local = local_time(now, self.kitchen)
        today = [local.replace(hour=hour, minute=int(match["m"]), second=0, microsecond=0) for hour in hours]
        return min(at if at > local else at + timedelta(days=1) for at in today).astimezone(UTC)

    def _newest(self, now: datetime, match: "re.Match[str]") -> datetime | None:
        """The newest moment that a typed time can mean: of its day, or of today or else yesterday.
        When the clocks go back, the later of the two; when they go forward, an hour that was
        skipped is the one after it."""
        local = local_time(self.corrects_at or now, self.kitchen)
        days = [local.date() - timedelta(days=1), local.date()]
        if self.corrects_at:
            days.append(local.date() + timedelta(days=1))
        if match["day"]:
            today = local_time(now, self.kitchen).date()
            span = units.span_of(match["day"], today, self.kitchen.clock)
            if span is None or span[0] != span[1]:
                return None
            days = [span[0]]
        clocks = [
            time(hour, int(match["m"]), int(match["s"] or 0), tzinfo=local.tzinfo)
            for hour in self._hours(match)
        ]
        moments = [
            datetime.combine(on, clock.replace(fold=fold)).astimezone(UTC)
            for on in days
            for clock in clocks
            for fold in (0, 1)
        ]
        past = [at for at in moments if at <= now + timedelta(minutes=1)]
        near = self.corrects_at
        return min(past, key=lambda at: abs(at - near), default=None) if near else max(past, default=None)

    def _hours(self, match: "re.Match[str]") -> list[int]:
        """The hours of the day that a typed one can mean: before noon or after it, where the kitchen's
        clock has twelve. With seconds it is a script's, of twenty-four."""
        typed, half = int(match["h"]), (match["half"] or "")[:1]
        if half:
            return [typed % 12 + (12 if half == "p" else 0)] if 1 <= typed <= 12 else []
        twelve = self.kitchen.clock == units.TWELVE and not match["s"] and 1 <= typed <= 12
        return [typed % 12, typed % 12 + 12] if twelve else [typed]

    def check(self) -> None:
        """Raise BadInput when any field was wrong or a question is open."""
        if self.errors or self.asks:
            raise BadInput(self.own(self.errors), self.own(self.asks))

    def own(self, sentences: Mapping[str, str]) -> dict[str, str]:
        """Sentences with their quantities in the kitchen's own units."""
        if self.kitchen.both_units:
            return dict(sentences)
        return {name: units.said(text, self.kitchen.units) for name, text in sentences.items()}


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


def day_and_time(at: datetime, kitchen: Kitchen) -> str:
    """A moment with its day, as 14 March 2026, 14:25."""
    local, key = local_time(at, kitchen), kitchen.clock
    return f"{units.day(local, key)}, {units.clock(local, key)}"


def local_time(at: datetime, kitchen: Kitchen) -> datetime:
    """A moment in the kitchen's time zone (the machine's when none is set)."""
    zone = kitchen.zone_at(at)
    return at.astimezone(ZoneInfo(zone) if zone else None)

"""What a boil shows that nobody wrote down: whiles in which its probe was off the boil, and jumps of its
density or its rate that no line explains."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import NamedTuple

from lumbrel.core.pan.probe_trace import Fall
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    AnsweredFacts,
    PartDrawFacts,
    PutInFacts,
    QuestionKey,
)

SAID_WITHIN = timedelta(minutes=5)
"""A line so near to what was seen is about it."""
THINNER_K = 0.3
"""A boil that came back so much colder than it left is of something thinner."""
STILL_FALLS = timedelta(seconds=25)
FASTEST_COOLING_K_PER_MIN = 9.0
"""No pan cools so fast by itself: something cold came in, or the probe came out."""
OUT_OF_THE_PAN_K = 25.0
JUMP_SHARE, JUMP_RATE_SIGMA, RELIT_SIGMA = 0.3, 0.5, 0.12
"""What somebody may have put in, one sigma as a share of what is there; by how much the rate of its sugar
changes then; and by how much a fire that is lit again differs from before."""


@dataclass(frozen=True, kw_only=True)
class Away:
    """A while in which the probe was off the boil."""

    began: datetime
    ended: datetime | None
    from_c: float
    low_c: float
    low_at: datetime
    to_c: float
    last: datetime
    """Until when it was followed."""
    said: bool
    """Whether a line says why: something was put in or drawn, or it boiled all the while."""

    @property
    def falling(self) -> bool:
        """Whether it still cools."""
        return self.ended is None and self.last - self.low_at < STILL_FALLS

    @property
    def thinner(self) -> bool:
        """Whether it came back thinner than it left: something was put in."""
        return self.ended is not None and self.to_c < self.from_c - THINNER_K

    @property
    def sudden(self) -> bool:
        """Whether it fell faster than any pan cools: something cold came in."""
        minutes = max((self.low_at - self.began) / timedelta(minutes=1), 0.25)
        return (self.from_c - self.low_c) / minutes > FASTEST_COOLING_K_PER_MIN


@dataclass(frozen=True)
class Jump:
    """A moment at which what is in the vessel may have become another: by a share of its mass as water, one
    sigma, and by its rate."""

    at: datetime
    share: float = JUMP_SHARE
    rate_sigma: float = JUMP_RATE_SIGMA


class TakenOut(NamedTuple):
    """What was taken out at once and nobody noted: kg, at the Brix it had."""

    at: datetime
    mass_kg: float
    brix: float


class ScaleTold(NamedTuple):
    """What a scale under a vessel told of a boil.

    Attributes:
        readings: what it said of density, oldest first.
        taken: what went at once, and no line says so.
        came: what came at once, and no line says so: of what density nobody knows.
        stalls: when nothing boiled off, and nobody said that it did.
        weighed: draws that a line notes, by its id, as the scale weighed them.
    """

    readings: list[Corrected] = []
    taken: list[TakenOut] = []
    came: list[tuple[datetime, float]] = []
    stalls: list[tuple[datetime, datetime]] = []
    weighed: dict[str, TakenOut] = {}

    @property
    def speaks(self) -> bool:
        """Whether it tells anything."""
        return bool(self.readings or self.came)

    @property
    def jumps(self) -> list[Jump]:
        """Where what is in it became another."""
        return [Jump(at) for at, _kg in self.came]


def away(context: BatchContext, falls: Sequence[Fall], since: datetime) -> list[Away]:
    """All such whiles; of a continuous pan none: its draw-off falls with each draw.

    Args:
        falls: of the probe in it, in seconds since `since`.
    """
    if context.channels:
        return []
    found = []
    for fall in falls:
        ended = None if fall.ended is None else since + timedelta(seconds=fall.ended)
        began = since + timedelta(seconds=fall.began)
        one = Away(
            began=began,
            ended=ended,
            said=_explained(context, began, ended),
            from_c=fall.from_c,
            low_c=fall.low_c,
            low_at=since + timedelta(seconds=fall.low_at),
            to_c=fall.to_c,
            last=since + timedelta(seconds=fall.last),
        )
        found.append(one)
    return found


def _explained(context: BatchContext, began: datetime, ended: datetime | None) -> bool:
    until = min(ended or context.now, began + 2 * SAID_WITHIN)
    lines = context.of_kind(PutInFacts, PartDrawFacts)
    by_line = any(began - SAID_WITHIN <= entry.at <= until for entry in lines)
    return by_line or answered(context, "heat_off", began) is False


def answered(
    context: BatchContext, question: QuestionKey, at: datetime | None, instrument_id: str = ""
) -> bool | None:
    """What was answered last to a question about a moment, or an instrument; None when nothing was."""
    line = answer_to(context, question, at, instrument_id)
    return line.facts.yes if line else None


def answer_to(
    context: BatchContext, question: QuestionKey, at: datetime | None, instrument_id: str = ""
) -> Entry[AnsweredFacts] | None:
    """The line that answered a question about a moment, or an instrument, last."""
    for entry in reversed(context.of_kind(AnsweredFacts)):
        facts = entry.facts
        if facts.question != question or facts.instrument_id != instrument_id:
            continue
        if at is None or abs(entry.at - at) <= SAID_WITHIN:
            return entry
    return None


def jumps_answered(context: BatchContext, gone: Sequence[Away]) -> list[Jump]:
    """Where somebody said that something was put in, or taken, or the fire was out, of which no line says
    how much; where the probe saw it, it is known already."""
    seen = [at for one in gone for at in (one.began, one.ended) if at]
    return [
        Jump(e.at)
        for e in context.of_kind(AnsweredFacts)
        if e.facts.yes
        and e.facts.question in ("put_in", "taken_out", "relit")
        and not any(abs(at - e.at) <= SAID_WITHIN for at in seen)
    ]

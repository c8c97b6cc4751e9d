"""What came of a practice batch: where it was drawn, what it cost, who said what, what hid."""

from bisect import bisect_left
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.pan import solids
from lumbrel.core.pan.target import CEILING_BRIX, FLOOR_BRIX
from lumbrel.practice.faults import BY_KEY, Fault
from lumbrel.practice.session import PracticePan, Truth
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.corrected import READINGS
from lumbrel.services.base.facts import (
    AlarmFacts,
    AnsweredFacts,
    DepthFacts,
    DrawFacts,
    FoamFacts,
    HeatFacts,
    HydrometerFacts,
    QuestionKey,
)
from lumbrel.services.base.form import NotFound
from lumbrel.services.base.said import in_full
from lumbrel.services.pan.board import board_of
from lumbrel.services.stations import slip
from lumbrel.words import _


@dataclass(frozen=True)
class Said:
    """A reading against the truth of its moment."""

    at: datetime
    title: str
    brix: float
    sigma_brix: float
    truth_brix: float

    @property
    def off_brix(self) -> float:
        """Said less true."""
        return self.brix - self.truth_brix

    @property
    def within(self) -> bool:
        """Whether the truth lies within two of its sigmas."""
        return abs(self.off_brix) <= 2 * self.sigma_brix


@dataclass(frozen=True)
class Hidden:
    """A fault with when it began, and whether the page said anything of it."""

    fault: Fault
    began: datetime | None
    noticed: str


@dataclass(frozen=True, kw_only=True)
class Debrief:
    """The plain account."""

    drawn_at: datetime
    called_brix: float
    true_brix: float
    target_brix: float
    promised_brix: float | None
    """How near the target it was said to land."""
    mass_kg: float
    water_kg: float
    """To put back (above 0) or still to drive off (below 0)."""
    minutes_off: float
    """Drawn so many minutes after (above 0) or before the true mark."""
    verdict: str
    said: list[Said]
    hidden: list[Hidden]
    boiled_over: bool

    @property
    def kept(self) -> bool:
        """Whether it landed as it was promised."""
        promised = self.promised_brix
        return promised is not None and abs(self.true_brix - self.target_brix) <= promised


def debrief(db: Connection, pan: PracticePan, now: datetime) -> Debrief:
    """The account of a practice batch that has been drawn.

    Raises:
        NotFound: it has not been drawn yet.
    """
    context = contexts.load(db, pan.code, now)
    drawn = context.first(DrawFacts)
    if drawn is None or not pan.truth:
        raise NotFound(_("The practice batch is still in the pan: draw it off first."))
    wanted_brix = context.batch.target_brix
    there = _truth_at(pan.truth, drawn.at)
    water = -solids.water_to_remove_kg(there.mass_kg, there.brix, wanted_brix)
    said = [
        Said(at, row.title, brix, row.reading.sigma_brix, _truth_at(pan.truth, at).brix)
        for row in slip.lines(context)
        if row.reading is not None
        and (brix := row.reading.brix) is not None
        and isinstance(row.entry.facts, (*READINGS, DepthFacts))
        and not row.entry.superseded
        and (read := in_full(context, row.entry))
        and (at := read.at)
    ]
    return Debrief(
        drawn_at=drawn.at,
        called_brix=drawn.facts.brix,
        true_brix=there.brix,
        target_brix=wanted_brix,
        promised_brix=drawn.facts.promise_brix,
        mass_kg=there.mass_kg,
        water_kg=water,
        minutes_off=_minutes_off(pan.truth, there, wanted_brix),
        verdict=_verdict(there.brix, wanted_brix),
        said=said,
        hidden=[Hidden(BY_KEY[key], pan.began.get(key), _noticed(key, context, pan)) for key in pan.faults],
        boiled_over=pan.boiled_over,
    )


def _truth_at(truth: list[Truth], at: datetime) -> Truth:
    index = min(bisect_left([t.at for t in truth], at), len(truth) - 1)
    return truth[index]


def _minutes_off(truth: list[Truth], drawn: Truth, wanted_brix: float) -> float:
    reached = next((t for t in truth if t.brix >= wanted_brix), None)
    if reached is not None:
        return (drawn.at - reached.at) / timedelta(minutes=1)
    if len(truth) < 30 or drawn.brix <= truth[-30].brix:
        return 0.0
    lost = (truth[-30].mass_kg - drawn.mass_kg) / ((drawn.at - truth[-30].at) / timedelta(minutes=1))
    left = solids.water_to_remove_kg(drawn.mass_kg, drawn.brix, wanted_brix)
    return -left / lost if lost > 0 else 0.0


def _verdict(brix: float, wanted_brix: float) -> str:
    if brix > CEILING_BRIX:
        return _("Too dense: crystals will form in the jar.")
    if brix < FLOOR_BRIX:
        return _("Too thin: under the usual legal floor, and it ferments.")
    if abs(brix - wanted_brix) <= 0.5:
        return _("Well drawn.")
    return _("Sellable, but not where you meant it.")


def _noticed(key: str, context: contexts.BatchContext, pan: PracticePan) -> str:
    kinds = {e.facts.alarm for e in context.of_kind(AlarmFacts)}
    if key == "foam":
        if pan.boiled_over:
            return _("It went over the rim.")
        return _("You knocked it down in time.") if context.first(FoamFacts) else _("It had not climbed yet.")
    if key == "burner" and key not in pan.began:
        return _("It had not sagged yet when you drew.")
    if key == "barometer" and "pressure" in kinds:
        return _("The alarm called it.")
    if key == "unit":
        typed = [e.typed.get("cup", "") for e in context.of_kind(HydrometerFacts)]
        said = any(cup.strip().lower().endswith("f") for cup in typed)
        return _("You typed the unit behind it.") if said else ""
    return _when_asked(key, context, pan) if key in ASKED else ""


ASKED: dict[str, tuple[QuestionKey, ...]] = {"out": ("heat_off",), "topped": ("put_in",)}
"""By what the page asks about each."""
LOOKED_EACH = timedelta(seconds=15)


def _when_asked(key: str, context: contexts.BatchContext, pan: PracticePan) -> str:
    """When the page asked about it first, by what was on the slip then."""
    began, drawn = pan.began.get(key), context.drawn
    if began is None or drawn is None or began >= drawn.at:
        return _("It had not happened yet when you drew.")
    at = began
    while at < drawn.at:
        at += LOOKED_EACH
        known = [e for e in context.entries if e.noted_at <= at]
        then = board_of(replace(context, now=at, entries=known))
        if any(one.key in ASKED[key] for one in then.questions):
            seconds = (at - began).total_seconds()
            answered = any(
                e.noted_at >= at and isinstance(e.facts, AnsweredFacts | HeatFacts) for e in context.entries
            )
            said = _("and you answered") if answered else _("and nobody answered")
            return _(
                "The page asked {minutes_and_seconds} later, {said}.",
                minutes_and_seconds=minutes_and_seconds(seconds),
                said=said,
            )
    return _("The page did not notice.")


def minutes_and_seconds(seconds: float) -> str:
    """As 1 min 45 s."""
    minutes, rest = divmod(round(seconds), 60)
    return _("{minutes} min {rest} s", minutes=minutes, rest=rest) if minutes else f"{rest} s"

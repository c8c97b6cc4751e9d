"""The pan station: one board with the verdict and everything it rests on."""

from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from math import inf, isfinite
from sqlite3 import Connection

from lumbrel.core.bench.causes import Cause
from lumbrel.core.bench.evidence import Agreement, Estimate
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.boil_path import Finish
from lumbrel.core.pan.continuous import Left, to_the_mark
from lumbrel.core.pan.solids import carry_over_brix
from lumbrel.core.pan.target import CEILING_BRIX, LEAST_SYRUP_BRIX
from lumbrel.core.pan.verdict import Call, Verdict
from lumbrel.core.pan.vessel import LOWEST_SAFE_DEPTH_MM, hot_volume_ratio
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.cache import cache_of, record_key
from lumbrel.services.base.facts import DrawFacts
from lumbrel.services.day.pressure import Pressure
from lumbrel.services.day.thermometers import ThermometerToday
from lumbrel.services.pan.belief import Belief, believe
from lumbrel.services.pan.call import call_of, cause_of, held_back
from lumbrel.services.pan.continuous import Stands
from lumbrel.services.pan.continuous import stands as all_that_stands
from lumbrel.services.pan.cup import Cup, cup
from lumbrel.services.pan.evidence import BoilEvidence
from lumbrel.services.pan.next_look import TimeLeft, can_look, last_look, marks_of, next_check_of
from lumbrel.services.pan.question import Question
from lumbrel.services.pan.questions import questions
from lumbrel.services.pan.suspect import other_tale
from lumbrel.services.pan.unsaid import Away
from lumbrel.store.record import Batch, stamp
from lumbrel.store.samples import newest_samples
from lumbrel.words import _

GLANCE, MOST_BOARDS = timedelta(seconds=5), 12
LONG_UNREAD, ONE_SIDED = timedelta(minutes=3), 1.645
NEVER_MINUTES, FAR_MINUTES = 10_000.0, 1000.0
"""Minutes left when nothing boils off; and from where on no number says anything."""


@dataclass(frozen=True, kw_only=True)
class Board:
    """All that the pan page shows of a batch still in its vessel."""

    context: BatchContext
    evidence: BoilEvidence
    joint: Agreement
    balance: Estimate
    """What take-in, rate and every reading together say of now."""
    believed: Agreement | None
    """What may be shown large: the joint value; when one stands alone that of the others; None
    when two contradict each other and neither can be preferred."""
    verdict: Verdict
    mass_kg: float
    minutes_left: float
    low_left: float
    high_left: float | None
    finish_at: datetime | None
    next_check_at: datetime
    heating_minutes: float
    """Minutes until it boils off; 0 once it does."""
    odd: str
    cause: Cause | None
    cup: Cup | None
    carry_over_brix: float
    draw_shown_c: float | None
    """What the probe, or the day's thermometer, shows at the draw mark."""
    thermometer: ThermometerToday | None
    pressure: Pressure | None
    """As the batch's method of where water boils holds it."""
    depth_now_mm: float | None
    depth_done_mm: float | None
    foam: bool
    questions: list[Question]
    """What is suspected that nobody wrote down, the gravest first."""
    stands: Stands | None = None
    """All that is in a continuous pan, of which `mass_kg` and the marks speak then."""

    @property
    def to_near_syrup(self) -> bool:
        """Whether sap is boiled down in it, to be finished elsewhere."""
        return self.context.batch.target_brix < LEAST_SYRUP_BRIX

    @property
    def of_sap(self) -> bool:
        """Whether it is fed and stoked as it boils, and has its page at the sap station."""
        return self.context.of_sap or self.to_near_syrup

    @property
    def voices(self) -> list[Estimate]:
        """Whoever counts of the density now: the instruments but the one set aside, and the fitted
        boil."""
        said = [w.estimate for w in self.evidence.words if w.estimate.label != self.odd]
        return [*said, self.balance]

    @property
    def stop_first(self) -> bool:
        """They contradict each other, nobody can say who is right, and one says it is done; or nobody
        looked for so long that it may be past all marks."""
        said = [voice.brix for voice in self.voices]
        undecided = self.verdict.call is Call.DISAGREE and self.believed is None
        return self.unlooked or (undecided and max(said, default=0.0) >= self.verdict.draw_at_brix)

    @property
    def unlooked(self) -> bool:
        """Whether it may be past the ceiling by now, and whoever could have looked did not."""
        known, seen = self.believed, self.evidence
        if known is None or self.verdict.call is not Call.CHECK_AGAIN or self.stands:
            return False
        if self.heating_minutes or seen.heat_is_off or seen.probe_now or not can_look(self.context):
            return False
        long_ago = self.context.now - last_look(seen) > LONG_UNREAD
        return long_ago and known.brix + ONE_SIDED * known.sigma_brix > CEILING_BRIX

    @property
    def not_boiling(self) -> Away | None:
        """The while in which its probe is off the boil just now, where nothing says that the heat is off."""
        last = self.evidence.gone[-1:] if self.context.drawn is None else []
        return last[0] if last and last[0].ended is None else None

    @property
    def runs_low(self) -> bool:
        """Whether so little is left over the fire that it scorches."""
        if self.depth_now_mm is None or self.heating_minutes or self.evidence.heat_is_off:
            return False
        return self.depth_now_mm < LOWEST_SAFE_DEPTH_MM

    @property
    def kills_the_heat(self) -> bool:
        """Whether the heat is to be killed before anything else; nobody says so where this does not.
        A continuous pan is drawn while it boils."""
        called = self.verdict.call in (Call.DRAW_NOW, Call.OVER) or self.stop_first
        return not self.heating_minutes and ((called and not self.stands) or self.runs_low)

    @property
    def headline(self) -> str:
        """The verdict in a few words."""
        if self.heating_minutes:
            return _("Heating up")
        if self.not_boiling:
            return _("Not boiling")
        if self.unlooked:
            return _("Kill the heat and look")
        if self.runs_low and self.verdict.call in (Call.KEEP_BOILING, Call.CHECK_AGAIN):
            return _("The pan runs low")
        return CALL_WORDS[self.verdict.call]


def board(db: Connection, code: str, now: datetime) -> Board:
    """The board of a batch.

    Raises:
        NotFound: there is no such batch.
    """
    return board_of(contexts.load(db, code, now))


def board_of(context: BatchContext) -> Board:
    """The board of a batch at hand; of one already drawn, as it stood at the draw."""
    drawn = context.first(DrawFacts)
    if drawn:
        context = replace(context, now=drawn.at)
    found = believe(context)
    brix = found.believed.brix if found.believed else found.joint.brix
    stands = all_that_stands(context) if context.channels else None
    mass = stands.mass_kg if stands else _found_kg(found, brix)
    time = _time_left(context, found.evidence)
    asked = questions(context, found)
    call = held_back(context, found, asked, call_of(context, found, mass, time))
    marks = marks_of(context, found.evidence, call, mass_kg=mass, brix=brix, boils=time.heating == 0)
    if stands:
        level = _level_mm(context, stands)
        marks = replace(marks, depth_now_mm=level, depth_done_mm=level)
    return Board(
        context=context,
        evidence=found.evidence,
        joint=found.joint,
        balance=found.balance,
        believed=found.believed,
        verdict=call,
        mass_kg=mass,
        minutes_left=time.left,
        low_left=time.low,
        high_left=time.high,
        finish_at=time.finish_at,
        next_check_at=time.next_check_at,
        heating_minutes=time.heating,
        odd=found.odd.estimate.label if found.odd else "",
        cause=cause_of(found),
        cup=cup(context, brix),
        carry_over_brix=0.0
        if stands
        else carry_over_brix(call.draw_at_brix, context.vessel.carry_over_fraction),
        draw_shown_c=marks.draw_shown_c,
        thermometer=marks.thermometer,
        pressure=marks.pressure,
        depth_now_mm=marks.depth_now_mm,
        depth_done_mm=marks.depth_done_mm,
        foam=marks.foam,
        questions=asked,
        stands=stands,
    )


def _found_kg(found: Belief, brix: float) -> float:
    """What its sugar weighs at a density."""
    return 100 * found.evidence.fitted.solids_kg[-1] / max(brix, 1.0)


def _level_mm(context: BatchContext, stands: Stands) -> float | None:
    """How deep a continuous pan stands, which its float keeps."""
    try:
        return context.geometry.depth_mm(stands.litres * hot_volume_ratio(stands.brix, 100.0))
    except OutOfRange:
        return None


def boards(db: Connection, on_fire: list[Batch], now: datetime) -> list[Board]:
    """Boards of all that is on the fire. One that cannot be computed says so on its own page;
    it must not take every other page with it."""
    found = []
    for batch in on_fire:
        with suppress(OutOfRange):
            found.append(board_now(contexts.of(db, batch, now)))
    return found


def board_now(context: BatchContext) -> Board:
    """The board of a batch at hand, made once for all who look at the same news within moments: its page and
    its parts, its stream, the wall, the alarms."""
    db = context.db
    if db.in_transaction:
        return board_of(context)
    shelf = cache_of(db).shelf("boards", MOST_BOARDS)
    key, news = (record_key(db), context.batch.id), (stamp(db), newest_samples(db))
    with shelf.lock:
        kept = shelf.peek(key)
        if kept is None or kept[0] != news or not _is_fresh(kept[1], context.now):
            kept = news, board_of(context)
            shelf.put(key, kept)
    made: Board = kept[1]
    return replace(made, context=replace(context, now=made.context.now))


def _is_fresh(board: Board, now: datetime) -> bool:
    """Whether a board is of now, give or take some seconds."""
    return timedelta(0) <= now - board.context.now <= GLANCE


def at_a_glance(db: Connection, on_fire: list[Batch], now: datetime) -> list[Board]:
    """Boards of all that is on the fire, at most a few seconds old and never older than the last
    thing that was written; for the line across the top."""
    shelf = cache_of(db).shelf("boards", MOST_BOARDS)
    known, found = stamp(db), []
    for batch in on_fire:
        kept = shelf.peek((record_key(db), batch.id))
        if kept and kept[0][0] == known and _is_fresh(kept[1], now):
            found.append(kept[1])
        else:
            found += boards(db, [batch], now)
    return found


def _time_left(context: BatchContext, seen: BoilEvidence) -> TimeLeft:
    now, wanted_brix = context.now, context.batch.target_brix
    minute = seen.minute(now)
    finish = _finish(context, seen, seen.fitted.finish(wanted_brix, minute))
    other = other_tale(context, seen)
    if other:
        by_other = other.fitted.finish(wanted_brix, minute)
        finish = Finish(finish.left, min(finish.low, by_other.low), max(finish.high, by_other.high))
    heating = max(-minute, 0.0)
    left = finish.left - heating
    known = finish.left < NEVER_MINUTES / 2
    return TimeLeft(
        left=left if known else NEVER_MINUTES,
        low=max(finish.low - heating, 0.0),
        high=max(finish.high - heating, 0.0) if isfinite(finish.high) else None,
        finish_at=now + timedelta(minutes=left) if known else None,
        next_check_at=next_check_of(seen, minute + finish.low if known else inf),
        heating=heating,
    )


def _finish(context: BatchContext, seen: BoilEvidence, by_fit: Finish) -> Finish:
    """When the mark is reached: as the boil goes on; at the draw-off of a continuous pan also as such
    climbs go."""
    if seen.climb is None:
        return by_fit
    gone = max((context.now - seen.climbs_from) / timedelta(minutes=1), 0.0)
    brix = seen.fitted.brix_at(max(seen.minute(context.now), 0.0))
    slope = Left(by_fit.left, by_fit.low, by_fit.high)
    target, by_drops = context.batch.target_brix, not seen.probe_samples
    left = to_the_mark(seen.climb, gone, slope, brix, target, by_drops=by_drops)
    return Finish(left.middle, left.low, left.high)


CALL_WORDS = {
    Call.KEEP_BOILING: _("Keep boiling"),
    Call.CHECK_AGAIN: _("Look now"),
    Call.DRAW_NOW: _("Draw now"),
    Call.OVER: _("Over"),
    Call.DISAGREE: _("They disagree"),
}

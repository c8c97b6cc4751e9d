"""The pan station: one board with the verdict and everything it rests on."""

from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from math import isfinite, sqrt
from sqlite3 import Connection

from lumbrel.core.bench import evidence, refractometer
from lumbrel.core.bench.causes import Cause, likely
from lumbrel.core.bench.evidence import Agreement, Estimate
from lumbrel.core.bench.thermometer import Calibration
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import methods
from lumbrel.core.pan.fit import next_check_minutes
from lumbrel.core.pan.solids import carry_over_brix
from lumbrel.core.pan.target import FOAM_ABOVE_WATER_K, FinishPoint, finish_point
from lumbrel.core.pan.verdict import VAGUE_SIGMA_BRIX, Call, Verdict, verdict
from lumbrel.core.pan.vessel import HOTTEST_VOLUME_C, done_depth_mm, hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.cache import cache_of, record_key
from lumbrel.services.base.facts import DrawFacts
from lumbrel.services.day.ladder import today
from lumbrel.services.day.pressure import Pressure, pressure_by
from lumbrel.services.day.thermometers import (
    DEFAULT_BOIL_BY,
    DEFAULT_END_POINT,
    ThermometerToday,
    thermometer_today,
)
from lumbrel.services.pan.cup import Cup, cup
from lumbrel.services.pan.evidence import BoilEvidence, gather
from lumbrel.store.instruments import ThermometerDetail, with_detail
from lumbrel.store.record import Batch, stamp

BALANCE_SIGMA_BRIX = 0.3
"""What the fitted boil may be wrong by besides its readings: a burner is not quite steady, and the
boiling curve not quite the book's. In simulated boils, which know no other curve, it is 0.2."""
CONTRADICTS_SIGMAS = 3.0
"""So far the only instrument may lie from the boil fitted without it."""
GLANCE = timedelta(seconds=5)
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
    by_balance: bool
    """It is the balance that is believed: no instrument speaks, or the boil as a whole knows
    more."""
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

    @property
    def voices(self) -> list[Estimate]:
        """Whoever speaks of the density now: the instruments, and the balance where it is
        believed or contradicts the only one."""
        said = [word.estimate for word in self.evidence.words]
        heard = self.by_balance or (len(said) == 1 and not self.joint.agree)
        return [*said, self.balance] if heard else said

    @property
    def stop_first(self) -> bool:
        """They contradict each other, nobody can say who is right, and one says it is done."""
        said = [voice.brix for voice in self.voices]
        undecided = self.verdict.call is Call.DISAGREE and self.believed is None
        return undecided and max(said, default=0.0) >= self.verdict.draw_at_brix


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
    found = _believe(context, gather(context))
    brix = found.believed.brix if found.believed else found.joint.brix
    mass = 100 * found.evidence.fitted.solids_kg[-1] / max(brix, 1.0)
    time = _time_left(context, found.evidence)
    call = _call(context, found, mass, time)
    odd, cause = _odd_one(found.evidence, found.joint, found.balance)
    marks = _marks(context, found.evidence, call, mass_kg=mass, brix=brix, boils=time.heating == 0)
    return Board(
        context=context,
        evidence=found.evidence,
        joint=found.joint,
        balance=found.balance,
        by_balance=found.by_balance,
        believed=found.believed,
        verdict=call,
        mass_kg=mass,
        minutes_left=time.left,
        low_left=time.low,
        high_left=time.high,
        finish_at=time.finish_at,
        next_check_at=time.next_check_at,
        heating_minutes=time.heating,
        odd=odd,
        cause=cause,
        cup=cup(context, brix),
        carry_over_brix=carry_over_brix(call.draw_at_brix, context.vessel.carry_over_fraction),
        draw_shown_c=marks.draw_shown_c,
        thermometer=marks.thermometer,
        pressure=marks.pressure,
        depth_now_mm=marks.depth_now_mm,
        depth_done_mm=marks.depth_done_mm,
        foam=marks.foam,
    )


def boards(db: Connection, on_fire: list[Batch], now: datetime) -> list[Board]:
    """Boards of all that is on the fire. One that cannot be computed says so on its own page;
    it must not take every other page with it."""
    found = []
    for batch in on_fire:
        with suppress(OutOfRange):
            found.append(remember(board_of(contexts.of(db, batch, now))))
    return found


def remember(board: Board) -> Board:
    """Keep a board for those who only glance at it."""
    db = board.context.db
    shelf = cache_of(db).shelf("boards at a glance")
    key = (record_key(db), board.context.batch.id)
    shelf.drop(key)
    shelf.get(key, lambda: (stamp(db), board))
    return board


def at_a_glance(db: Connection, on_fire: list[Batch], now: datetime) -> list[Board]:
    """Boards of all that is on the fire, at most a few seconds old and never older than the last
    thing that was written; for the line across the top."""
    shelf = cache_of(db).shelf("boards at a glance")
    known, found = stamp(db), []
    for batch in on_fire:
        key = (record_key(db), batch.id)
        kept = shelf.peek(key)
        if kept and kept[0] == known and timedelta(0) <= now - kept[1].context.now <= GLANCE:
            found.append(kept[1])
        else:
            found += boards(db, [batch], now)
    return found


@dataclass(frozen=True, kw_only=True)
class _Belief:
    """Whose word on the density now counts, after who contradicts the others is left out."""

    evidence: BoilEvidence
    joint: Agreement
    balance: Estimate
    believed: Agreement | None
    by_balance: bool


def _believe(context: BatchContext, seen: BoilEvidence) -> _Belief:
    """The instruments together; without the one that stands alone; or the balance, where no
    instrument speaks or it knows more."""
    balance = _balance(seen, context.now)
    joint = evidence.agreement([word.estimate for word in seen.words] or [balance])
    believed: Agreement | None = joint
    if not joint.agree:
        seen, joint, balance, believed = _without_the_odd(context, seen, joint, balance)
    elif len(seen.words) == 1 and abs(balance.brix - joint.brix) > 2 * joint.sigma_brix:
        alone = _balance(gather(context, leave_out=seen.words[0].reading), context.now)
        apart = sqrt(joint.sigma_brix**2 + alone.sigma_brix**2)
        if abs(alone.brix - joint.brix) > CONTRADICTS_SIGMAS * apart:
            balance, believed = alone, None
            joint = replace(joint, agree=False)
    by_balance = not seen.words or (believed is not None and _finer(balance, believed))
    return _Belief(
        evidence=seen,
        joint=joint,
        balance=balance,
        believed=evidence.agreement([balance]) if by_balance else believed,
        by_balance=by_balance,
    )


def _without_the_odd(
    context: BatchContext, seen: BoilEvidence, joint: Agreement, balance: Estimate
) -> tuple[BoilEvidence, Agreement, Estimate, Agreement | None]:
    """Instruments that disagree: who stands alone is left out of the fit, and the others are
    believed when they agree; of none of it can be said when nobody stands alone."""
    if len(seen.words) == 2:
        joint = replace(joint, odd_one_out=_the_odd_of_two(context, seen))
    if joint.odd_one_out is None:
        return seen, joint, balance, None
    odd = seen.words[joint.odd_one_out]
    seen = gather(context, leave_out=odd.reading)
    rest = [w.estimate for w in seen.words if w.estimate.label != odd.estimate.label]
    others = evidence.agreement(rest)
    return seen, joint, _balance(seen, context.now), others if others.agree else None


@dataclass(frozen=True, kw_only=True)
class _TimeLeft:
    """When it will be done, and when to look next."""

    left: float
    low: float
    high: float | None
    finish_at: datetime | None
    next_check_at: datetime
    heating: float
    """Minutes until it boils off; 0 once it does."""


def _time_left(context: BatchContext, seen: BoilEvidence) -> _TimeLeft:
    now, wanted_brix = context.now, context.batch.target_brix
    minute = max(seen.minute(now), 0.0)
    low, high = seen.fitted.band_of(wanted_brix)
    finish = seen.fitted.minute_of(wanted_brix)
    left = max(finish - minute, 0.0) if isfinite(finish) else NEVER_MINUTES
    return _TimeLeft(
        left=left,
        low=max(low - minute, 0.0),
        high=max(high - minute, 0.0) if isfinite(high) else None,
        finish_at=now + timedelta(minutes=left) if left < NEVER_MINUTES / 2 else None,
        next_check_at=_next_check(seen, finish),
        heating=max(-seen.minute(now), 0.0),
    )


def _call(context: BatchContext, found: _Belief, mass_kg: float, time: _TimeLeft) -> Verdict:
    """What to do next, from whom is believed."""
    batch, joint, believed = context.batch, found.joint, found.believed
    due = context.now > time.next_check_at and time.heating == 0
    said = believed if joint.agree and believed else joint
    call = verdict(
        mass_kg,
        said.brix,
        said.sigma_brix,
        target_brix=batch.target_brix,
        agree=joint.agree,
        check_due=due,
        draw_margin_brix=batch.draw_margin_brix,
    )
    if believed is not None and not joint.agree:
        call = _by_the_others(call, believed, mass_kg, batch.target_brix, batch.draw_margin_brix)
    if found.by_balance and _unproven(found.evidence, joint) and call.call is Call.DRAW_NOW:
        why = "no instrument bears the arithmetic out yet"
        call = replace(call, call=Call.CHECK_AGAIN, reason=why)
    return call


@dataclass(frozen=True, kw_only=True)
class _Marks:
    """What tells done on the thermometer and the wall of the pan."""

    pressure: Pressure | None
    thermometer: ThermometerToday | None
    draw_shown_c: float | None = None
    depth_now_mm: float | None = None
    depth_done_mm: float | None = None
    foam: bool = False


def _marks(
    context: BatchContext,
    seen: BoilEvidence,
    call: Verdict,
    *,
    mass_kg: float,
    brix: float,
    boils: bool,
) -> _Marks:
    boil_by = context.batch.methods.get("boil_by", DEFAULT_BOIL_BY)
    pressure = pressure_by(context.db, context.kitchen, context.now, boil_by)
    if pressure is None:
        return _Marks(pressure=None, thermometer=None)
    glass = _thermometer(context, seen, pressure, boil_by)
    point = finish_point(pressure.pa, call.draw_at_brix, context.invert_fraction)
    boils_c = sucrose.boiling_point_c(
        min(brix, sucrose.MAX_BOIL_BRIX), pressure.pa, context.invert_fraction
    )
    now_mm, done_mm = _depths(
        context,
        mass_kg,
        brix,
        solids_kg=seen.fitted.solids_kg[-1],
        boil_c=boils_c,
        done_c=point.temperature_c,
    )
    return _Marks(
        pressure=pressure,
        thermometer=glass,
        draw_shown_c=_draw_mark(context, glass, pressure, point),
        depth_now_mm=now_mm,
        depth_done_mm=done_mm,
        foam=boils and boils_c - point.boiling_point_c >= FOAM_ABOVE_WATER_K,
    )


def _draw_mark(
    context: BatchContext, glass: ThermometerToday | None, pressure: Pressure, point: FinishPoint
) -> float:
    """What the thermometer shows when it is done, by the batch's method of the end point."""
    held = glass.calibration if glass else Calibration(at_c=pressure.boil_c)
    rule = context.batch.methods.get("end_point", DEFAULT_END_POINT)
    if rule == DEFAULT_END_POINT:
        return held.indicated_c(point.temperature_c)
    return methods.shown_mark_c(rule, held.indicated_c(pressure.boil_c), point.above_water_c)


def _balance(seen: BoilEvidence, now: datetime) -> Estimate:
    """The fitted boil's own word on the density now."""
    minute = max(seen.minute(now), 0.0)
    doubt = sqrt(seen.fitted.sigma_brix_at(minute) ** 2 + BALANCE_SIGMA_BRIX**2)
    brix = min(max(seen.fitted.brix_at(minute), 0.2), 96.9)
    return Estimate("Mass balance", brix, min(doubt, 50.0))


def _finer(balance: Estimate, joint: Agreement) -> bool:
    """Whether the balance knows better than the instruments and nothing speaks against it."""
    bound = 2.0 if joint.sigma_brix <= VAGUE_SIGMA_BRIX else 4.0
    apart = abs(balance.brix - joint.brix)
    return balance.sigma_brix < joint.sigma_brix and apart < bound * joint.sigma_brix


def _unproven(seen: BoilEvidence, joint: Agreement) -> bool:
    """Whether no instrument yet bears out what the balance says, as near as a draw needs it."""
    return not seen.words or joint.sigma_brix > VAGUE_SIGMA_BRIX


def _the_odd_of_two(context: BatchContext, seen: BoilEvidence) -> int | None:
    """Which of two that contradict each other stands alone, by the boil fitted without it.

    One is out of line when the rest of the boil, fitted without it, bears the other out but not
    it; None when that holds of neither, or of both.
    """
    odd = []
    for i in (0, 1):
        one, other = seen.words[i].estimate, seen.words[1 - i].estimate
        without = gather(context, leave_out=seen.words[i].reading)
        balance = _balance(without, context.now)
        borne_out = evidence.agreement([other, balance]).agree
        if borne_out and not evidence.agreement([one, balance]).agree:
            odd.append(i)
    return odd[0] if len(odd) == 1 else None


def _by_the_others(
    call: Verdict, others: Agreement, mass_kg: float, target_brix: float, margin_brix: float
) -> Verdict:
    """One stands alone and the others agree: at the mark their word is enough to draw on, if it is
    fresh enough."""
    said = verdict(
        mass_kg,
        others.brix,
        others.sigma_brix,
        target_brix=target_brix,
        agree=True,
        check_due=False,
        draw_margin_brix=margin_brix,
    )
    if said.call in (Call.DRAW_NOW, Call.OVER):
        return replace(said, reason="at the mark by the others")
    return said if said.call is Call.CHECK_AGAIN else call


@dataclass(frozen=True)
class Promise:
    """How near the target a draw on the verdict lands, in 95 of 100, and what would sharpen it."""

    within_brix: float | None
    """0.5 or 1.0; None when neither can be promised."""
    sharpen: str
    would_be_brix: float


PROMISES_BRIX = (0.5, 1.0)
TWO_SIGMA = 1.96


def promise(board: Board) -> Promise:
    """What can be promised of a draw now: from the doubt of the density believed."""
    sigma = board.believed.sigma_brix if board.believed else board.joint.sigma_brix
    within = next((p for p in PROMISES_BRIX if TWO_SIGMA * sigma <= p), None)
    if board.believed is None or (board.by_balance and _unproven(board.evidence, board.joint)):
        within = None
    with_drop = (sigma**-2 + refractometer.SIGMA**-2) ** -0.5
    kinds = {w.reading.kind for w in board.evidence.words}
    sharpen = (
        ""
        if within == PROMISES_BRIX[0]
        else (
            "a cooled drop on the refractometer"
            if "refractometer" not in kinds
            else "a fresh cooled drop"
        )
    )
    return Promise(within, sharpen, TWO_SIGMA * with_drop)


def _next_check(seen: BoilEvidence, finish_minute: float) -> datetime:
    looks = [reading.at for reading in seen.readings]
    last = max([seen.boil_start, *looks])
    left = finish_minute - seen.minute(last) if isfinite(finish_minute) else 60.0
    return last + timedelta(minutes=next_check_minutes(left))


def _odd_one(seen: BoilEvidence, joint: Agreement, balance: Estimate) -> tuple[str, Cause | None]:
    """Who is out of line, and why most likely; of two, the one easier to get wrong. An instrument
    that speaks alone is held against the balance."""
    if joint.agree:
        return "", None
    index = joint.odd_one_out
    if index is None:
        index = max(range(len(seen.words)), key=lambda i: seen.words[i].estimate.sigma_brix)
        name = ""
    else:
        name = seen.words[index].estimate.label
    word = seen.words[index]
    rest = [w.estimate for i, w in enumerate(seen.words) if i != index]
    others = evidence.agreement(rest or [balance])
    return name, likely(
        word.reading.causes(),
        word.estimate.brix - others.brix,
        word.estimate.sigma_brix,
        others.sigma_brix,
    )


def _thermometer(
    context: BatchContext, seen: BoilEvidence, pressure: Pressure, boil_by: str
) -> ThermometerToday | None:
    """The thermometer whose marks the board gives: a probe that speaks, else the one last read
    in this boil, else the day's."""
    typed = [t for r in seen.readings if (t := with_detail(r.instrument, ThermometerDetail))]
    used = seen.probe if seen.probe and seen.probe_samples else (typed[-1] if typed else None)
    if used:
        return thermometer_today(context.db, used, pressure, context.now, boil_by)
    return today(context.db, context.now).chosen


def _depths(
    context: BatchContext,
    mass_kg: float,
    brix: float,
    *,
    solids_kg: float,
    boil_c: float,
    done_c: float,
) -> tuple[float | None, float | None]:
    """How deep it stands now, and how deep when it is done, mm; None where no depth tells."""
    syrup = min(brix, sucrose.MAX_DENSITY_BRIX)
    vessel, wanted_brix = context.geometry, context.batch.target_brix
    try:
        litres = mass_kg / sucrose.density_kg_m3(syrup, 20) * 1000
        now_mm = vessel.depth_mm(litres * hot_volume_ratio(syrup, min(boil_c, HOTTEST_VOLUME_C)))
        return now_mm, done_depth_mm(vessel, solids_kg, wanted_brix, done_c)
    except OutOfRange:
        return None, None


CALL_WORDS = {
    Call.KEEP_BOILING: "Keep boiling",
    Call.CHECK_AGAIN: "Check again",
    Call.DRAW_NOW: "Draw now",
    Call.OVER: "Over",
    Call.DISAGREE: "They disagree",
}

"""The pan station: one board with the verdict and everything it rests on."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from math import isfinite, sqrt
from sqlite3 import Connection

from lumbrel.core.bench import evidence, refractometer
from lumbrel.core.bench.causes import Cause, likely
from lumbrel.core.bench.evidence import Agreement, Estimate
from lumbrel.core.bench.thermometer import Calibration
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import fit, methods
from lumbrel.core.pan import solids as solids_of
from lumbrel.core.pan.target import FOAM_ABOVE_WATER_K, finish_point
from lumbrel.core.pan.verdict import VAGUE_SIGMA_BRIX, Call, Verdict, verdict
from lumbrel.core.pan.vessel import done_depth_mm, hot_volume_ratio
from lumbrel.core.physics import sucrose
from lumbrel.services import context as contexts
from lumbrel.services import day
from lumbrel.services.air import Pressure, pressure_by
from lumbrel.services.boil_evidence import BoilEvidence, gather
from lumbrel.services.context import BatchContext
from lumbrel.services.cup import Cup, cup

BALANCE_SIGMA_BRIX = 0.3
"""What the fitted boil may be wrong by besides its readings: a burner is not quite steady, and the
boiling curve not quite the book's. In simulated boils, which know no other curve, it is 0.2."""
CONTRADICTS_SIGMAS = 3.0
"""So far the only instrument may lie from the boil fitted without it."""


@dataclass(frozen=True)
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
    thermometer: day.ThermometerToday | None
    pressure: Pressure | None
    """As the batch's school of where water boils holds it."""
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
    drawn = context.first("draw")
    if drawn:
        context = replace(context, now=drawn.at)
    now, batch = context.now, context.batch
    seen = gather(context)
    fitted = seen.fitted
    minute = max(seen.minute(now), 0.0)
    balance = _balance(seen, now)
    joint = evidence.agreement([word.estimate for word in seen.words] or [balance])
    believed: Agreement | None = joint
    if not joint.agree:
        believed = None
        if len(seen.words) == 2:
            joint = replace(joint, odd_one_out=_the_odd_of_two(context, seen))
        if joint.odd_one_out is not None:
            odd_word = seen.words[joint.odd_one_out]
            seen = gather(context, leave_out=odd_word.reading)
            fitted, balance = seen.fitted, _balance(seen, now)
            rest = [w.estimate for w in seen.words if w.estimate.label != odd_word.estimate.label]
            others = evidence.agreement(rest)
            believed = others if others.agree else None
    elif len(seen.words) == 1 and abs(balance.brix - joint.brix) > 2 * joint.sigma_brix:
        alone = _balance(gather(context, leave_out=seen.words[0].reading), now)
        apart = sqrt(joint.sigma_brix**2 + alone.sigma_brix**2)
        if abs(alone.brix - joint.brix) > CONTRADICTS_SIGMAS * apart:
            balance, believed = alone, None
            joint = replace(joint, agree=False)
    by_balance = not seen.words or (believed is not None and _finer(balance, believed))
    if by_balance:
        believed = evidence.agreement([balance])
    now_brix = believed.brix if believed else joint.brix
    solids = fitted.solids_kg[-1]
    mass = 100 * solids / max(now_brix, 1.0)
    low, high = fitted.band_of(batch.target_brix)
    finish = fitted.minute_of(batch.target_brix)
    left = max(finish - minute, 0.0) if isfinite(finish) else 10_000.0
    next_check = _next_check(context, seen, finish)
    heating = max(-seen.minute(now), 0.0)
    due = now > next_check and heating == 0
    said = believed if joint.agree and believed else joint
    call = verdict(
        mass, said.brix, said.sigma_brix, batch.target_brix, joint.agree, due,
        batch.draw_margin_brix,
    )  # fmt: skip
    if believed is not None and not joint.agree:
        call = _by_the_others(call, believed, mass, batch.target_brix, batch.draw_margin_brix)
    if by_balance and _unproven(seen, joint) and call.call is Call.DRAW_NOW:
        call = replace(
            call, call=Call.CHECK_AGAIN, reason="no instrument bears the arithmetic out yet"
        )
    odd, cause = _odd_one(seen, joint, balance)
    boil_by = batch.schools.get("boil_by", day.DEFAULT_BOIL_BY)
    pressure = pressure_by(context.db, context.kitchen, now, boil_by)
    glass = _thermometer(context, seen, pressure, boil_by)
    draw_c = None
    foam = False
    depth_now = depth_done = None
    if pressure:
        point = finish_point(pressure.pa, call.draw_at_brix, context.invert_fraction)
        held = glass.calibration if glass else Calibration(at_c=pressure.boil_c)
        draw_c = held.indicated_c(point.temperature_c)
        rule = batch.schools.get("end_point", day.DEFAULT_END_POINT)
        if rule != day.DEFAULT_END_POINT:
            draw_c = methods.shown_mark_c(
                rule, held.indicated_c(pressure.boil_c), point.above_water_c
            )
        boils_at = sucrose.boiling_point_c(min(now_brix, 97), pressure.pa, context.invert_fraction)
        foam = heating == 0 and boils_at - point.boiling_point_c >= FOAM_ABOVE_WATER_K
        depth_now, depth_done = _depths(
            context, mass, now_brix, solids, boils_at, point.temperature_c
        )
    carry = solids_of.carry_over_brix(call.draw_at_brix, context.vessel.carry_over_fraction)
    return Board(
        context, seen, joint, balance, by_balance, believed, call, mass, left, max(low - minute, 0.0),
        max(high - minute, 0.0) if isfinite(high) else None,
        now + timedelta(minutes=left) if left < 5000 else None, next_check, heating, odd, cause,
        cup(context, now_brix), carry, draw_c, glass, pressure, depth_now, depth_done, foam,
    )  # fmt: skip


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
    said = verdict(mass_kg, others.brix, others.sigma_brix, target_brix, True, False, margin_brix)
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
    sharpen = "" if within == PROMISES_BRIX[0] else (
        "a cooled drop on the refractometer" if "refractometer" not in kinds else
        "a fresh cooled drop"
    )  # fmt: skip
    return Promise(within, sharpen, TWO_SIGMA * with_drop)


def _next_check(context: BatchContext, seen: BoilEvidence, finish_minute: float) -> datetime:
    looks = [reading.at for reading in seen.readings]
    last = max([seen.boil_start, *looks])
    left = finish_minute - seen.minute(last) if isfinite(finish_minute) else 60.0
    return last + timedelta(minutes=fit.next_check_minutes(left))


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
        word.reading.causes(), word.estimate.brix - others.brix, word.estimate.sigma_brix,
        others.sigma_brix,
    )  # fmt: skip


def _thermometer(
    context: BatchContext, seen: BoilEvidence, pressure: Pressure | None, boil_by: str
) -> day.ThermometerToday | None:
    """The thermometer whose marks the board gives: a probe that speaks, else the one last read
    in this boil, else the day's."""
    if pressure is None:
        return None
    typed = [r.instrument for r in seen.readings if r.kind == "thermometer"]
    used = seen.probe if seen.probe and seen.probe_samples else (typed[-1] if typed else None)
    if used:
        return day.thermometer_today(context.db, used, pressure, context.now, boil_by)
    return day.today(context.db, context.now).chosen


def _depths(
    context: BatchContext, mass_kg: float, brix: float, solids: float, boil_c: float, done_c: float
) -> tuple[float | None, float | None]:
    try:
        litres = mass_kg / sucrose.density_kg_m3(min(brix, 85), 20) * 1000
        now_mm = context.geometry.depth_mm(
            litres * hot_volume_ratio(min(brix, 85), min(boil_c, 115))
        )
        return now_mm, done_depth_mm(context.geometry, solids, context.batch.target_brix, done_c)
    except OutOfRange:
        return None, None


CALL_WORDS = {
    Call.KEEP_BOILING: "Keep boiling",
    Call.CHECK_AGAIN: "Check again",
    Call.DRAW_NOW: "Draw now",
    Call.OVER: "Over",
    Call.DISAGREE: "They disagree",
}

"""The coach at the pan: one thing to do next, what it is like now, what may go wrong, how long one may look
away. It says what the board says, in the words of what is owned."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from math import inf

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan.coach import SENSES, Senses, Stage, away_minutes, stage_of
from lumbrel.core.pan.target import FOAM_ABOVE_WATER_K
from lumbrel.core.pan.verdict import Call
from lumbrel.core.pan.vessel import LOWEST_SAFE_DEPTH_MM, hot_volume_ratio
from lumbrel.core.physics import sucrose, water
from lumbrel.core.physics.air import STANDARD_PA
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import SignFacts, SignKey
from lumbrel.services.pan import alarms
from lumbrel.services.pan.board import Board
from lumbrel.services.pan.signs import KNOWN
from lumbrel.store import kept
from lumbrel.store.instruments import HydrometerDetail, Instrument, RefractometerDetail, ThermometerDetail
from lumbrel.words import _, after

PRACTISED_BATCHES = 10
"""Who has finished so many is told only what to do next."""
SINCE_EVER = datetime(1900, 1, 1, tzinfo=UTC)
LOOKS_NOW = timedelta(seconds=20)
SPOON_FROM_BRIX = 45.0
"""Thinner than this a spoon tells nothing, and a stick does."""
STRAIN_TO_BRIX = 57.0
"""Thicker than this it runs through no cloth."""


@dataclass(frozen=True, kw_only=True)
class Coaching:
    """What the coach says."""

    stage: Stage
    do: str
    asks: str
    """The kind of line that it asks for; empty where it asks for none."""
    senses: Senses
    away_minutes: float | None
    look_for: SignKey | None
    """The sign that comes next, where what is seen is all there is."""
    look_for_words: str
    practised: bool
    """Whether it speaks to somebody who has done this ten times."""


def coach(board: Board) -> Coaching:
    """What the coach says of a batch on the fire."""
    context = board.context
    stage = _stage(board)
    sign = _next_sign(board, stage)
    do, read = _do(board, stage), _read(board, stage)
    return Coaching(
        stage=stage,
        do=do,
        asks=_asks(board, stage) if read in do or after(read) in do else "",
        senses=SENSES[stage],
        away_minutes=_away(board, stage),
        look_for=sign,
        look_for_words=KNOWN[sign].words if sign else "",
        practised=finished(context) >= PRACTISED_BATCHES,
    )


def finished(context: BatchContext) -> int:
    """How many batches were drawn in this kitchen, as far as it matters here."""
    return len(kept.drawn_between(context.db, SINCE_EVER, context.now, PRACTISED_BATCHES))


def _brix(board: Board) -> float:
    return (board.believed or board.joint).brix


def _sigma(board: Board) -> float:
    return (board.believed or board.joint).sigma_brix


def _pa(board: Board) -> float:
    return board.pressure.pa if board.pressure else STANDARD_PA


def _stage(board: Board) -> Stage:
    pa = _pa(board)
    brix = min(_brix(board), sucrose.MAX_BOIL_BRIX)
    rise = sucrose.boiling_point_c(brix, pa, board.context.invert_fraction) - water.boiling_point_c(pa)
    return stage_of(
        min(_brix(board), 97.0),
        rise,
        target_brix=board.context.batch.target_brix,
        boils=board.heating_minutes == 0,
        heat_is_off=board.evidence.heat_is_off,
        at_mark=board.verdict.call in (Call.DRAW_NOW, Call.OVER),
    )


def _away(board: Board, stage: Stage) -> float | None:
    if board.questions:
        return 0.0
    seen, now = board.evidence, board.context.now
    if stage not in (Stage.THIN, Stage.SWEET, Stage.WARMING):
        return away_minutes(stage)
    minute = max(seen.minute(now), 0.0)
    foam_from = _foam_brix(board)
    to_foam = max(seen.fitted.finish(foam_from, minute).low, 0.0) + board.heating_minutes
    return away_minutes(stage, to_boil=board.heating_minutes, to_foam=to_foam, to_low=_minutes_to_low(board))


def _foam_brix(board: Board) -> float:
    pa = _pa(board)
    boils_c = water.boiling_point_c(pa) + FOAM_ABOVE_WATER_K
    return sucrose.brix_from_boiling_point(boils_c, pa, board.context.invert_fraction)


def _minutes_to_low(board: Board) -> float:
    """Until so little is left that it scorches, at the rate of now; far where no depth tells."""
    rate = board.evidence.fitted.rate_kg_per_min
    try:
        litres = board.context.geometry.volume_l(LOWEST_SAFE_DEPTH_MM)
    except OutOfRange:
        return inf
    brix = min(_brix(board), sucrose.MAX_DENSITY_BRIX)
    cold_l = litres / hot_volume_ratio(brix, 100.0)
    lowest_kg = cold_l * sucrose.density_kg_m3(brix, 20) / 1000
    return max(board.mass_kg - lowest_kg, 0.0) / rate if rate > 0 else inf


def _next_sign(board: Board, stage: Stage) -> SignKey | None:
    """What is to be seen next, by who measures no density."""
    unseen = (Stage.WARMING, Stage.RESTING, Stage.NEAR_SYRUP)
    if _reads_density(board.context) or board.to_near_syrup or stage in unseen:
        return None
    seen = {e.facts.sign for e in board.context.of_kind(SignFacts)}
    if stage in (Stage.THIN, Stage.SWEET):
        return "foam"
    if stage is Stage.FOAM:
        return "two_drops"
    return "cold_plate" if "sheet" in seen else "sheet"


def _reads_density(context: BatchContext) -> bool:
    return any(context.instruments_of(d) for d in (HydrometerDetail, RefractometerDetail))


def _do(board: Board, stage: Stage) -> str:
    """One thing to do next."""
    if stage is Stage.WARMING:
        return _while_warming(board)
    if board.verdict.call is not Call.OVER and _is_off_the_boil(board):
        return _off_the_boil(board)
    if board.kills_the_heat:
        return _kill_the_heat(board, stage)
    if board.stands and board.verdict.call in (Call.DRAW_NOW, Call.OVER):
        return _("Open the draw-off, and close it when the syrup thins.")
    if stage is Stage.RESTING:
        return _("It rests. {read}, then light it again or draw off.", read=_read(board, stage))
    if board.verdict.call is Call.DISAGREE:
        return _("Turn the heat down. {read}: one more settles who is right.", read=_read(board, stage))
    due = {cause.kind for cause in alarms.due(board)}
    if "strain" in due and _brix(board) < STRAIN_TO_BRIX:
        return _("Strain it once now, while it runs, and press “Strained once”.")
    return _boil_on(board, stage)


def _kill_the_heat(board: Board, stage: Stage) -> str:
    """Why the heat is killed, and what comes after it."""
    read, call = after(_read(board, stage)), board.verdict.call
    if call is Call.OVER and not board.stands:
        return _("Kill the heat, draw it off, and put back what the figure above says.")
    if board.unlooked:
        return _("Kill the heat first. Then {read}: it may be past the mark.", read=read)
    if call is Call.DRAW_NOW and not board.stands:
        return _("Kill the heat first. Then pour it out of the hot pan.")
    if board.stop_first and not board.stands:
        return _("Kill the heat first. Then {read}: one more settles who is right.", read=read)
    if board.of_sap:
        return _("Kill the heat first: so low it scorches. Then feed it.")
    return _("Kill the heat first: so low it scorches. Then put near-syrup in, or draw off.")


def _is_off_the_boil(board: Board) -> bool:
    return board.not_boiling is not None and bool(board.questions or board.not_boiling.sudden)


def _off_the_boil(board: Board) -> str:
    if board.questions:
        return _("Look at the pan, and answer what is asked here.")
    return _("It warms up again. Stay with it until it boils.")


def _boil_on(board: Board, stage: Stage) -> str:
    """When to look next, and what to do until then."""
    at = board.next_check_at
    if board.verdict.call is Call.CHECK_AGAIN or at <= board.context.now + LOOKS_NOW:
        return _("{read}. Then save the reading.", read=_read(board, stage))
    when = board.context.clock(at)
    if stage in (Stage.FOAM, Stage.CLOSE) or _away(board, stage) == 0:
        return _(
            "Keep butter within reach. At {when}: {read}.",
            when=when,
            read=after(_read(board, stage)),
        )
    told = {"when": when, "read": after(_read(board, stage))}
    if board.of_sap:
        return _("Let it boil hard, and feed it little and often. At {when}: {read}.", **told)
    return _("Let it boil hard. At {when}: {read}.", **told)


def _while_warming(board: Board) -> str:
    glass = _glass(board)
    if glass and (board.thermometer is None or board.thermometer.boil is None):
        return _(
            "While it heats, hold {glass} in a pot of boiling water and set the day by it: every "
            "mark below moves with that.",
            glass=glass.name,
        )
    return _("Bring it to a hard boil. When the whole face of it rolls, press “It boils now”.")


def _glass(board: Board) -> Instrument[ThermometerDetail] | None:
    return next(iter(board.context.instruments_of(ThermometerDetail)), None)


def _asks(board: Board, stage: Stage) -> str:
    """The kind of line that the best that is owned is put down as."""
    context = board.context
    if context.instruments_of(RefractometerDetail):
        return "refractometer"
    if context.instruments_of(HydrometerDetail):
        return "hydrometer"
    if _glass(board) and not (board.evidence.probe_now and stage is Stage.CLOSE):
        return "thermometer"
    thick = _brix(board) + _sigma(board) >= SPOON_FROM_BRIX
    return "sign" if thick or stage is Stage.RESTING else "depth"


def _read(board: Board, stage: Stage) -> str:
    """How that is read now."""
    close = stage in (Stage.CLOSE, Stage.RESTING)
    match _asks(board, stage):
        case "refractometer":
            return _("Take a drop, let it cool covered, and read it")
        case "hydrometer":
            return _("Fill the cup, read the stem and the cup’s heat at once")
        case "thermometer":
            glass = _glass(board)
            name = glass.name if glass else ""
            if stage is Stage.CLOSE:
                return _("Read {glass} in the boil, clear of the floor; then dip the spoon", glass=name)
            return _("Read {glass} in the boil, clear of the floor", glass=name)
        case "depth":
            return _("Put the stick in and enter the depth")
    if close:
        return _("Dip the spoon, hold it up on edge, and watch how it falls; then a drop on a cold plate")
    return _("Dip the spoon, hold it up on edge, and watch how it falls")

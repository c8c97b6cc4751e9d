"""Where practitioners disagree: the methods, the kitchen's choice, and what each would have done."""

from dataclasses import dataclass, replace
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import methods, solids, target
from lumbrel.core.physics import water
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import HydrometerFacts
from lumbrel.services.base.form import Form
from lumbrel.services.bench.curves import hydrometer_of
from lumbrel.services.bench.hot_and_cold import HOT_FROM_C
from lumbrel.services.day.pressure import Pressure, pressure_at, pressure_by
from lumbrel.services.day.thermometers import ThermometerToday, thermometer_today
from lumbrel.services.methods.questions import QUESTIONS, Method, MethodQuestion
from lumbrel.services.pan.board import Board
from lumbrel.store.db import transaction
from lumbrel.store.instruments import HydrometerDetail, Instrument, with_detail
from lumbrel.store.kitchen import load_kitchen, save_kitchen
from lumbrel.words import _, bare, joined, number

USUAL_CUP_C = 90.0
Found = dict[str, tuple[float | None, str]]
"""By method, the true density at which it stops, and a remark."""


@dataclass(frozen=True)
class Outcome:
    """What one method would have done with a batch: the true density at which it stops."""

    method: Method
    chosen: bool
    brix: float | None
    note: str


@dataclass(frozen=True)
class Comparison:
    """One question with the outcome of each of its methods; one that cannot be told is left out."""

    question: MethodQuestion
    outcomes: list[Outcome]


def save(db: Connection, fields: dict[str, str], now: datetime) -> None:
    """Take sides; a batch already open keeps those it was opened under.

    Raises:
        BadInput: a side that is not offered.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    taken = {}
    for question in QUESTIONS:
        keys = [method.key for method in question.methods]
        taken[question.key] = form.choice(question.key, keys, _("Choose one of those offered."))
    form.check()
    with transaction(db):
        save_kitchen(db, replace(kitchen, methods=taken), now)


def compare(board: Board) -> list[Comparison]:
    """What every method would have done with a batch, said in true Brix at the stop."""
    context = board.context
    taken = context.batch.methods
    found = {
        "end_point": _end_points(context, board),
        "boil_by": _boil_bases(context, board),
        "trust": _trusts(board),
        "hot_mark": _hot_marks(context, board),
    }
    comparisons = []
    for question in QUESTIONS:
        own = question.chosen(taken).key
        outcomes = [
            Outcome(method, method.key == own, *found[question.key][method.key])
            for method in question.methods
            if method.key in found[question.key]
        ]
        if len(outcomes) > 1:
            comparisons.append(Comparison(question, outcomes))
    targets = [
        Outcome(
            Method(f"{brix:g}", joined(", ", (bare(brix), word))),
            abs(brix - context.batch.target_brix) < 0.01,
            brix,
            _(
                "{solids} of syrup",
                solids=context.show(100 * board.evidence.fitted.solids_kg[-1] / brix, "mass"),
            ),
        )
        for brix, word in _targets(context)
    ]
    density = MethodQuestion(
        "target",
        _("How dense"),
        (),
        _("66.0 is the usual legal minimum; above 68.9 crystals form. Check the rule where you sell."),
    )
    return [*comparisons, Comparison(density, targets), _draws(context)]


def _targets(context: BatchContext) -> list[tuple[float, str]]:
    known = {66.0: _("the usual minimum"), 66.9: _("stricter places"), 68.9: _("the ceiling")}
    known.setdefault(context.batch.target_brix, "yours")
    return sorted(known.items())


def _draws(context: BatchContext) -> Comparison:
    """Exactly at the mark, or ahead of it by the margin and the heat left in the pan."""
    wanted_brix, margin = context.batch.target_brix, context.batch.draw_margin_brix
    carry = solids.carry_over_brix(wanted_brix, context.vessel.carry_over_fraction)
    ahead = margin or round(carry, 1)
    rows = [
        Outcome(
            Method("exact", _("draw at the mark")),
            margin == 0,
            wanted_brix + carry,
            _("with the hot pan’s carry-over"),
        ),
        Outcome(
            Method("early", _("draw {ahead} Brix early", ahead=bare(ahead))),
            margin > 0,
            wanted_brix - ahead + carry,
            _("with the same carry-over"),
        ),
    ]
    why = _("The pan still boils off after the heat is cut; draw ahead of the mark by as much.")
    return Comparison(MethodQuestion("draw", _("Draw exactly, or early"), (), why), rows)


@dataclass(frozen=True)
class _Heat:
    """The truth as best known, and what each method holds this thermometer to show in water."""

    truth: Pressure
    real: ThermometerToday
    shows_water: dict[str, float]
    step_k: float


def _heat(context: BatchContext, board: Board) -> _Heat | None:
    truth = pressure_at(context.db, context.kitchen, context.now)
    used = board.thermometer.instrument if board.thermometer else None
    if truth is None or used is None:
        return None
    real = thermometer_today(context.db, used, truth, context.now)
    shows = {}
    for method in QUESTIONS[1].methods:
        held = pressure_by(context.db, context.kitchen, context.now, method.key)
        if held is not None:
            own = thermometer_today(context.db, used, held, context.now, method.key)
            shows[method.key] = own.calibration.indicated_c(held.boil_c)
    step = methods.step_k(truth.pa, context.batch.target_brix, context.invert_fraction)
    return _Heat(truth, real, shows, step)


def _stop(context: BatchContext, heat: _Heat, end_point: str, boil_by: str) -> tuple[float | None, str]:
    shown = methods.shown_mark_c(end_point, heat.shows_water[boil_by], heat.step_k)
    stop = methods.stop_at(shown, heat.real.calibration, heat.truth.pa, context.invert_fraction)
    told = {"instrument": heat.real.instrument.name, "shown": context.show(shown, "temperature")}
    if stop.brix is not None:
        return stop.brix, _("{instrument} at {shown}", **told)
    if stop.true_c < water.boiling_point_c(heat.truth.pa):
        return None, _("{instrument} at {shown}: under water’s boil here", **told)
    return None, _("{instrument} at {shown}: no syrup boils so hot", **told)


def _end_points(context: BatchContext, board: Board) -> Found:
    heat = _heat(context, board)
    base = QUESTIONS[1].chosen(context.batch.methods).key
    if heat is None or base not in heat.shows_water:
        return {}
    return {s.key: _stop(context, heat, s.key, base) for s in QUESTIONS[0].methods}


def _boil_bases(context: BatchContext, board: Board) -> Found:
    heat = _heat(context, board)
    rule = QUESTIONS[0].chosen(context.batch.methods).key
    if heat is None:
        return {}
    return {base: _stop(context, heat, rule, base) for base in heat.shows_water}


def _trusts(board: Board) -> Found:
    """Where each kind of instrument alone would call the target."""
    wanted_brix = board.context.batch.target_brix
    believed = board.believed or board.joint
    found: Found = {"all": (wanted_brix, "")}
    for word in [*board.evidence.words, *board.evidence.set_aside]:
        off = word.estimate.brix - believed.brix
        found[word.reading.kind] = (
            wanted_brix - off,
            _(
                "{estimate_label} says {off} {value}",
                estimate_label=word.estimate.label,
                off=number(abs(off), 1),
                value=_("more") if off > 0 else _("less"),
            ),
        )
    return found if len(found) > 1 else {}


def _hot_marks(context: BatchContext, board: Board) -> Found:
    """The printed mark, met in a cup as warm as the one last read."""
    wanted_brix = context.batch.target_brix
    stem, cup_c = _hot_cup(context, board)
    mark = stem.detail.hot_mark if stem else None
    if stem is None or mark is None or cup_c < HOT_FROM_C:
        return {}
    floats_at = mark.reading_brix + wanted_brix - mark.true_brix
    try:
        true: float | None = hydrometer_of(context.db, stem, context.now, context.invert_fraction).correct(
            floats_at, cup_c
        )
    except OutOfRange:
        true = None
    words = _(
        "{stem} at {floats_at} in a cup of {cup_c}",
        stem=stem.name,
        floats_at=number(floats_at, 1),
        cup_c=context.show(cup_c, "temperature"),
    )
    return {"cup": (wanted_brix, ""), "printed": (true, words)}


def _hot_cup(context: BatchContext, board: Board) -> tuple[Instrument[HydrometerDetail] | None, float]:
    """The stem last read and its cup; else one that has a printed mark, in a usual cup."""
    cups = [r for r in board.evidence.readings if isinstance(r.facts, HydrometerFacts)]
    if cups:
        facts = cups[-1].facts
        assert isinstance(facts, HydrometerFacts)
        return with_detail(cups[-1].instrument, HydrometerDetail), facts.cup_c
    marked = [i for i in context.instruments_of(HydrometerDetail) if i.detail.hot_mark]
    return (marked[0] if marked else None), USUAL_CUP_C


def verdict_of(brix: float | None) -> str:
    """Whether a stop lies in the band syrup is drawn in: "thin", "good", "dense" or ""."""
    if brix is None:
        return ""
    brix = round(brix, 1)
    if brix < target.FLOOR_BRIX:
        return "thin"
    return "dense" if brix > target.CEILING_BRIX else "good"

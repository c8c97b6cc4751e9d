"""Where practitioners disagree: the schools, the kitchen's choice, and what each would have done."""

from dataclasses import dataclass, replace
from sqlite3 import Connection

from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import methods, solids, target
from lumbrel.core.physics import water
from lumbrel.services import day
from lumbrel.services.air import Pressure, pressure_at, pressure_by
from lumbrel.services.bench.curves import HOT_FROM_C, hydrometer_of
from lumbrel.services.context import BatchContext
from lumbrel.services.day import ThermometerToday
from lumbrel.services.pan import Board
from lumbrel.services.typed import Form
from lumbrel.store.db import transaction
from lumbrel.store.instruments import instruments
from lumbrel.store.kitchen import load_kitchen, save_kitchen


@dataclass(frozen=True)
class School:
    """One side of a question."""

    key: str
    name: str


@dataclass(frozen=True)
class Question:
    """What practitioners disagree on; the first school is the default, and why."""

    key: str
    text: str
    schools: tuple[School, ...]
    why: str

    def chosen(self, taken: dict[str, str]) -> School:
        """The side taken, else the default."""
        wanted = taken.get(self.key, "")
        return next((s for s in self.schools if s.key == wanted), self.schools[0])


QUESTIONS = (
    Question(
        "end_point", "The end point on the thermometer",
        (
            School("computed", "computed from pressure, target and sugar"),
            School("plus-7", "boiling water + 7 °F"), School("plus-7.1", "boiling water + 7.1 °F"),
            School("plus-7.5", "boiling water + 7.5 °F"), School("flat-219", "219 °F, flat"),
        ),
        "The “plus” rules are the computation frozen at sea level. The step itself shrinks with "
        "pressure (7.44 °F at 1013 hPa, 7.22 at 850, for 66.9) and grows with invert sugar: birch "
        "needs 10 to 12 °F. A flat 219 °F is right nowhere but near the sea on a middling day.",
    ),
    Question(
        "boil_by", "Where water boils",
        (
            School("test-boil", "a test boil of this thermometer"),
            School("barometer", "the barometer, the thermometer at its word"),
            School("elevation", "elevation alone"), School("feet-rule", "one degree F per 500 ft"),
        ),
        "A test boil calibrates the thermometer as well, so its error falls out. Pressure alone "
        "leaves that error in; elevation alone leaves the weather in too, half a kelvin either way.",
    ),
    Question(
        "trust", "What to trust",
        (
            School("all", "all, weighted by what each can resolve"),
            School("hydrometer", "the hydrometer"), School("refractometer", "the refractometer"),
            School("thermometer", "the thermometer"),
        ),
        "Each instrument fails in its own way. Together they give a better figure than the best "
        "of them, and they say so when one must be wrong.",
    ),
    Question(
        "hot_mark", "A hydrometer read hot",
        (
            School("cup", "compute for the cup’s own temperature"),
            School("printed", "the mark printed on the stem"),
        ),
        "The printed mark is meant for about 211 °F. A cup is several degrees colder when it is "
        "read, and every 10 °F of that is a third of a Brix.",
    ),
)  # fmt: skip


@dataclass(frozen=True)
class Outcome:
    """What one school would have done with a batch: the true density at which it stops."""

    school: School
    chosen: bool
    brix: float | None
    note: str


@dataclass(frozen=True)
class Comparison:
    """One question with the outcome of each of its schools; one that cannot be told is left out."""

    question: Question
    outcomes: list[Outcome]


def save(db: Connection, fields: dict[str, str]) -> None:
    """Take sides; a batch already open keeps those it was opened under.

    Raises:
        BadInput: a side that is not offered.
    """
    kitchen = load_kitchen(db)
    form = Form(fields, kitchen)
    taken = {}
    for question in QUESTIONS:
        keys = [school.key for school in question.schools]
        taken[question.key] = form.choice(question.key, keys, "Choose one of those offered.")
    form.check()
    with transaction(db):
        save_kitchen(db, replace(kitchen, schools=taken))


def compare(board: Board) -> list[Comparison]:
    """What every school would have done with a batch, said in true Brix at the stop."""
    context = board.context
    taken = context.batch.schools
    found = {
        "end_point": _end_points(context, board), "boil_by": _boil_bases(context, board),
        "trust": _trusts(board), "hot_mark": _hot_marks(context, board),
    }  # fmt: skip
    comparisons = []
    for question in QUESTIONS:
        own = question.chosen(taken).key
        outcomes = [
            Outcome(school, school.key == own, *found[question.key][school.key])
            for school in question.schools
            if school.key in found[question.key]
        ]
        if len(outcomes) > 1:
            comparisons.append(Comparison(question, outcomes))
    targets = [
        Outcome(
            School(f"{brix:g}", f"{brix:g}, {word}"), abs(brix - context.batch.target_brix) < 0.01,
            brix, f"{context.show(100 * board.evidence.fitted.solids_kg[-1] / brix, 'mass')} of syrup",
        )
        for brix, word in _targets(context)
    ]  # fmt: skip
    density = Question(
        "target", "How dense", (), "66.0 is the usual legal floor; above 68.9 crystals form. "
        "Check the rule where you sell.",
    )  # fmt: skip
    return [*comparisons, Comparison(density, targets), _draws(context)]


def _targets(context: BatchContext) -> list[tuple[float, str]]:
    known = {66.0: "the usual floor", 66.9: "stricter places", 68.9: "the ceiling"}
    known.setdefault(context.batch.target_brix, "yours")
    return sorted(known.items())


def _draws(context: BatchContext) -> Comparison:
    """Exactly at the mark, or ahead of it by the margin and the heat left in the pan."""
    wants, margin = context.batch.target_brix, context.batch.draw_margin_brix
    carry = solids.carry_over_brix(wants, context.vessel.carry_over_fraction)
    ahead = margin or round(carry, 1)
    rows = [
        Outcome(School("exact", "draw at the mark"), margin == 0, wants + carry, "with the hot pan’s carry-over"),
        Outcome(School("early", f"draw {ahead:g} Brix early"), margin > 0, wants - ahead + carry, "with the same carry-over"),
    ]  # fmt: skip
    why = "The pan still boils off after the heat is cut; draw ahead of the mark by as much."
    return Comparison(Question("draw", "Draw exactly, or early", (), why), rows)


@dataclass(frozen=True)
class _Heat:
    """The truth as best known, and what each school holds this thermometer to show in water."""

    truth: Pressure
    real: ThermometerToday
    shows_water: dict[str, float]
    step_k: float


def _heat(context: BatchContext, board: Board) -> _Heat | None:
    truth = pressure_at(context.db, context.kitchen, context.now)
    used = board.thermometer.instrument if board.thermometer else None
    if truth is None or used is None:
        return None
    real = day.thermometer_today(context.db, used, truth, context.now)
    shows = {}
    for school in QUESTIONS[1].schools:
        held = pressure_by(context.db, context.kitchen, context.now, school.key)
        if held is not None:
            own = day.thermometer_today(context.db, used, held, context.now, school.key)
            shows[school.key] = own.calibration.indicated_c(held.boil_c)
    step = methods.step_k(truth.pa, context.batch.target_brix, context.invert_fraction)
    return _Heat(truth, real, shows, step)


def _stop(
    context: BatchContext, heat: _Heat, end_point: str, boil_by: str
) -> tuple[float | None, str]:
    shown = methods.shown_mark_c(end_point, heat.shows_water[boil_by], heat.step_k)
    stop = methods.stop_at(shown, heat.real.calibration, heat.truth.pa, context.invert_fraction)
    words = f"{heat.real.instrument.name} at {context.show(shown, 'temperature')}"
    if stop.brix is None:
        under = stop.true_c < water.boiling_point_c(heat.truth.pa)
        words += ": under water’s boil here" if under else ": no syrup boils so hot"
    return stop.brix, words


def _end_points(context: BatchContext, board: Board) -> dict[str, tuple[float | None, str]]:
    heat = _heat(context, board)
    base = QUESTIONS[1].chosen(context.batch.schools).key
    if heat is None or base not in heat.shows_water:
        return {}
    return {s.key: _stop(context, heat, s.key, base) for s in QUESTIONS[0].schools}


def _boil_bases(context: BatchContext, board: Board) -> dict[str, tuple[float | None, str]]:
    heat = _heat(context, board)
    rule = QUESTIONS[0].chosen(context.batch.schools).key
    if heat is None:
        return {}
    return {base: _stop(context, heat, rule, base) for base in heat.shows_water}


def _trusts(board: Board) -> dict[str, tuple[float | None, str]]:
    """Where each kind of instrument alone would call the target."""
    wants = board.context.batch.target_brix
    believed = board.believed or board.joint
    found: dict[str, tuple[float | None, str]] = {"all": (wants, "")}
    for word in [*board.evidence.words, *board.evidence.set_aside]:
        off = word.estimate.brix - believed.brix
        found[word.reading.kind] = (
            wants - off, f"{word.estimate.label} says {abs(off):.1f} {'more' if off > 0 else 'less'}",
        )  # fmt: skip
    return found if len(found) > 1 else {}


def _hot_marks(context: BatchContext, board: Board) -> dict[str, tuple[float | None, str]]:
    """The printed mark, met in a cup as warm as the one last read."""
    wants = context.batch.target_brix
    cups = [r for r in board.evidence.readings if r.kind == "hydrometer"]
    marked = [i for i in instruments(context.db, "hydrometer") if i.detail.get("hot_mark")]
    stem = cups[-1].instrument if cups else (marked[0] if marked else None)
    if stem is None or not stem.detail.get("hot_mark"):
        return {}
    cup_c = cups[-1].facts["cup_c"] if cups else 90.0
    if cup_c < HOT_FROM_C:
        return {}
    mark = stem.detail["hot_mark"]
    floats_at = mark["reading_brix"] + wants - mark["true_brix"]
    try:
        true: float | None = hydrometer_of(context.db, stem, context.now).correct(floats_at, cup_c)
    except OutOfRange:
        true = None
    words = f"{stem.name} at {floats_at:.1f} in a cup of {context.show(cup_c, 'temperature')}"
    return {"cup": (wants, ""), "printed": (true, words)}


def verdict_of(brix: float | None) -> str:
    """Whether a stop lies in the band syrup is drawn in: "thin", "good", "dense" or ""."""
    if brix is None:
        return ""
    brix = round(brix, 1)
    if brix < target.FLOOR_BRIX:
        return "thin"
    return "dense" if brix > target.CEILING_BRIX else "good"

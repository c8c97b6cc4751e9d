"""A day of several cooks, as it is typed and laid out."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core import units
from lumbrel.core.candy import cook as core
from lumbrel.core.candy.bath import BATHS
from lumbrel.core.candy.confections import Confection, confections, solids_brix
from lumbrel.core.candy.day import MOST_POTS, CookJob, Laid, lay_out
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.candy.cook import POT
from lumbrel.services.candy.firm_map import start_of
from lumbrel.services.day.ladder import today
from lumbrel.store.kitchen import Kitchen, load_kitchen
from lumbrel.words import _, in_a_row

ROWS = 8
POTS = Bounds(
    "pots", "count", 1, MOST_POTS, _("Type how many pots there are, 1 to {MOST_POTS}.", MOST_POTS=MOST_POTS)
)
STANDARD = {"pots": "2", "pot": "12 L", "bath": "water", "begin": ""}
PIECE, SYRUP = "piece_{}", "syrup_{}"


@dataclass(frozen=True)
class PlacedPart:
    """A part of a batch in its place on the day."""

    name: str
    begins: datetime
    ends: datetime
    hands: bool


@dataclass(frozen=True)
class PlacedBatch:
    """A batch in its place: which pot, from 0, and its parts."""

    name: str
    pot: int
    parts: list[PlacedPart]

    @property
    def begins(self) -> datetime:
        """When it is laid out."""
        return self.parts[0].begins

    @property
    def ends(self) -> datetime:
        """When its last piece is done."""
        return self.parts[-1].ends


@dataclass(frozen=True, kw_only=True)
class CandyDay:
    """A day: its batches, and what it takes."""

    batches: list[PlacedBatch]
    pots: int
    begins: datetime
    ends: datetime
    hands_minutes: float
    syrup_kg: float
    typed: dict[str, str]


def standard(kitchen: Kitchen) -> dict[str, str]:
    """What a day's form holds to begin with, in the kitchen's units."""
    return {name: units.said(text, kitchen.units) for name, text in STANDARD.items()}


def candy_day(db: Connection, now: datetime, fields: Mapping[str, str]) -> CandyDay | None:
    """The day that a form asks for; None while no cook is named.

    Raises:
        BadInput: a field is wrong, or there is too much for a day.
    """
    kitchen = load_kitchen(db)
    typed = standard(kitchen) | dict(fields)
    form = Form(typed, kitchen)
    pots, pot = form.between(POTS), form.between(POT)
    bath = form.choice("bath", list(BATHS), _("Choose where they cool."))
    begin = form.time_to_come("begin", now) or now
    wanted = _wanted(form)
    form.check()
    if not wanted or pots is None or pot is None:
        return None
    known = today(db, now)
    pressure = known.pressure.pa if known.pressure else 101_325.0
    boil = known.pressure.boil_c if known.pressure else 100.0
    jobs, syrup = [], 0.0
    for i, piece, kg in wanted:
        above, stir = start_of(piece)
        try:
            solids = solids_brix(above, pressure, 0.01)
            plan = core.plan_cook(kitchen.target_brix, solids, pot, syrup_kg=kg)
            stages = core.stages(plan, piece, boil + above, stir, bath)
        except OutOfRange as error:
            form.errors[SYRUP.format(i)] = error.sentence
            continue
        syrup += kg
        jobs += [CookJob(piece.full_name, tuple(stages))] * plan.batches
    form.check()
    try:
        laid = lay_out(jobs, int(pots))
    except OutOfRange as error:
        form.errors[error.field or "pots"] = error.sentence
        form.check()
        raise
    return CandyDay(
        batches=_batches(laid, begin),
        pots=int(pots),
        begins=begin,
        ends=begin + timedelta(minutes=max(one.end for one in laid)),
        hands_minutes=sum(b - a for job in jobs for a, b in job.hands),
        syrup_kg=syrup,
        typed=typed,
    )


def _wanted(form: Form) -> list[tuple[int, Confection, float]]:
    """The cooks that are named: their row, the confection, and its syrup."""
    known = {piece.key: piece for piece in confections()}
    found = []
    for i in range(1, ROWS + 1):
        if not form.given(PIECE.format(i)):
            continue
        key = form.choice(PIECE.format(i), list(known), _("Choose a confection."))
        name = SYRUP.format(i)
        kg = form.between(Bounds(name, "mass", 0.05, 500, _("The syrup must weigh between 0.05 and 500 kg.")))
        if key and kg is not None:
            found.append((i, known[key], kg))
    return found


def _batches(laid: list[Laid], begin: datetime) -> list[PlacedBatch]:
    """The batches in their order; several of one confection are numbered."""
    many = Counter(one.job.name for one in laid)
    seen: Counter[str] = Counter()
    found = []
    for one in laid:
        name = one.job.name
        seen[name] += 1
        which = _("{seen} of {many}", seen=seen[name], many=many[name]) if many[name] > 1 else ""
        found.append(_batch(one, begin, in_a_row([name, which])))
    return found


def _batch(laid: Laid, begin: datetime, name: str) -> PlacedBatch:
    parts, at = [], begin + timedelta(minutes=laid.start)
    for stage in laid.job.stages:
        ends = at + timedelta(minutes=stage.minutes)
        if stage.minutes > 0:
            parts.append(PlacedPart(stage.name, at, ends, stage.hands))
        at = ends
    return PlacedBatch(name, laid.pot, parts)

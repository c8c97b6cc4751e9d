"""A cook planned for what is wanted: syrup, pots, and the times backwards from when it must be ready."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from lumbrel.core.candy import cook as core
from lumbrel.core.candy.bath import BATHS
from lumbrel.core.candy.confections import Confection
from lumbrel.core.candy.cook import CookPlan, CookStage
from lumbrel.core.errors import OutOfRange
from lumbrel.core.physics.sucrose import density_kg_m3
from lumbrel.services.base.form import Bounds, Form
from lumbrel.services.candy.firm_map import MapLook
from lumbrel.services.candy.learnt import Taught
from lumbrel.words import _, joined

WANTED = {
    "syrup": _("use this much syrup"),
    "mass": _("by weight"),
    "pieces": _("so many pieces"),
    "jars": _("so many jars"),
}
SYRUP = Bounds("syrup", "mass", 0.05, 500, _("The syrup must weigh between 0.05 and 500 kg."))
MADE = Bounds("made", "mass", 0.05, 500, _("What is wanted must weigh between 0.05 and 500 kg."))
PIECES = Bounds("pieces", "count", 1, 20_000, _("Type how many pieces, 1 to 20 000."))
EACH = Bounds("each", "piece", 1, 5000, _("A piece, or what a mould holds, must weigh between 1 g and 5 kg."))
JARS = Bounds("jars", "count", 1, 5000, _("Type how many jars, 1 to 5000."))
JAR = Bounds("jar", "jar", 20, 5000, _("A jar must hold between 20 ml and 5 L."))
POT = Bounds("pot", "volume", 0.5, 1000, _("A pot must hold between 0.5 and 1000 L."))
PRICE = Bounds("price", "price", 0, 100_000, _("Type what a litre of syrup costs, as a number."))
FUEL = Bounds("fuel", "price", 0, 100, _("Type what a kilowatt-hour costs, as a number."))
STANDARD = {"by": "syrup", "syrup": "4 kg", "pot": "12 L", "bath": "water"}


@dataclass(frozen=True)
class Timed:
    """A stage with when it begins."""

    at: datetime
    stage: CookStage


@dataclass(frozen=True, kw_only=True)
class Cook:
    """A planned cook."""

    plan: CookPlan
    pieces: int | None
    each_kg: float | None
    stages: list[Timed]
    """Of all batches, one after the other."""
    bath: str
    late: bool
    """Whether it would have had to begin already."""
    fuel_kwh: float
    cost: float | None = None
    """Of syrup and fuel, in whatever it was typed; None where nobody typed a price."""
    lay_out: str = ""
    """What is at hand before the fire is lit."""
    learned: str = ""
    """What earlier cooks of the pot taught it, in words."""

    @property
    def cost_each(self) -> float | None:
        """Of one piece."""
        return self.cost / self.pieces if self.cost is not None and self.pieces else None


def planned(
    form: Form, look: MapLook, piece: Confection, brix: float, *, now: datetime, taught: Taught
) -> Cook | None:
    """A cook as it is typed; None where something is wrong, noted on the form."""
    by = form.choice("by", WANTED, _("Choose one: {values}.", values=joined(", ", WANTED.values())))
    bath = form.choice("bath", list(BATHS), _("Choose where it cools."))
    pot = form.between(POT)
    made, syrup, pieces, each = _amounts(form, by, look)
    ready = form.time_to_come("ready", now)
    price, fuel = form.between(PRICE, required=False), form.between(FUEL, required=False)
    if form.errors or pot is None or (made is None and syrup is None):
        return None
    try:
        plan = core.plan_cook(
            brix, look.point.brix, pot, made_kg=made, syrup_kg=syrup, loss=taught.loss.share
        )
        stove = taught.heating_kw
        stir_c = look.point.stir_c
        parts = core.stages(plan, piece, look.true_c, stir_c, bath, film=taught.film, heating_kw=stove)
    except OutOfRange as error:
        form.errors[error.field or "syrup"] = error.sentence
        return None
    if each and pieces is None:
        pieces = int(plan.made_kg / each)
    whole = plan.batches * sum(part.minutes for part in parts)
    begin = ready - timedelta(minutes=whole) if ready else now
    return Cook(
        plan=plan,
        pieces=pieces,
        each_kg=each,
        stages=_timed(begin, parts, plan.batches),
        bath=BATHS[bath].name,
        late=begin < now,
        fuel_kwh=core.fuel_kwh(plan),
        cost=_cost(price, fuel, plan, brix),
        lay_out=piece.lay_out,
        learned=taught.words,
    )


def _cost(price: float | None, fuel: float | None, plan: CookPlan, brix: float) -> float | None:
    """What syrup and fuel cost, as far as a price was typed."""
    if price is None and fuel is None:
        return None
    litres = 1000 * plan.syrup_kg / density_kg_m3(min(brix, 85.0), 20.0)
    return litres * (price or 0.0) + core.fuel_kwh(plan) * (fuel or 0.0)


def _amounts(
    form: Form, by: str, look: MapLook
) -> tuple[float | None, float | None, int | None, float | None]:
    """What is made, the syrup, pieces and what one weighs; kg."""
    if by == "mass":
        return form.between(MADE), None, None, None
    if by == "pieces":
        count, each = form.between(PIECES), _each(form)
        made = None if count is None or each is None else count * each
        return made, None, None if count is None else int(count), each
    if by == "jars":
        count, size = form.between(JARS), form.between(JAR)
        if count is None or size is None:
            return None, None, None, None
        each = size / 1e6 * density_kg_m3(min(look.point.brix, 85.0), 20.0)
        return count * each, None, int(count), each
    return None, form.between(SYRUP), None, _each(form, required=False)


def _each(form: Form, required: bool = True) -> float | None:
    """What a piece weighs, kg."""
    grams = form.between(EACH, required=required)
    return None if grams is None else grams / 1000


def _timed(begin: datetime, parts: list[CookStage], batches: int) -> list[Timed]:
    found, at = [], begin
    for _any in range(batches):
        for part in parts:
            found.append(Timed(at, part))
            at += timedelta(minutes=part.minutes)
    return found

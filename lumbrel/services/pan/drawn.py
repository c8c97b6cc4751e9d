"""After the draw: the density as known now, and what would correct it."""

from collections.abc import Sequence
from dataclasses import dataclass

from lumbrel.core.bench import evidence
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import solids
from lumbrel.core.physics import sucrose
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import (
    DrawnFacts,
    FilterFacts,
    HydrometerFacts,
    PouredFacts,
    PutInFacts,
    RefractometerFacts,
)
from lumbrel.services.bench.correct import Corrector
from lumbrel.services.pan.rate import learned_rate


@dataclass(frozen=True, kw_only=True)
class AfterDraw:
    """A batch that has left the pan: its density as known now, and what would correct it."""

    context: BatchContext
    draw: Entry[DrawnFacts]
    """The last of its draws."""
    brix: float
    sigma_brix: float
    mass_kg: float
    checks: list[Corrected]
    over_brix: float
    water_to_put_back_kg: float
    short_by_water_kg: float
    minutes_to_boil_on: float | None = None
    """At this vessel's rate, when it came out thin."""

    def thinner_kg(self, thinner_brix: float) -> float | None:
        """Thinner syrup that would bring it down to the target, instead of water."""
        try:
            return solids.thinner_syrup_to_add_kg(
                self.mass_kg, self.brix, self.context.batch.target_brix, thinner_brix
            )
        except OutOfRange:
            return None

    @property
    def volume_l(self) -> float:
        """How much it is at 20 degC, L."""
        return 1000 * self.mass_kg / sucrose.density_kg_m3(self.syrup_brix, 20.0)

    @property
    def syrup_brix(self) -> float:
        """Its density as far as syrup goes; past 85 Brix no density is tabulated."""
        return min(self.brix, sucrose.MAX_DENSITY_BRIX)


LEAST_KG = 0.001
LEAST_OVER_BRIX = 0.3
"""Nothing is put back for less, nor for less than the doubt."""


def after_draw(context: BatchContext) -> AfterDraw:
    """What was drawn: checked by later readings, or else as the verdict had it."""
    draws = context.of_kind(DrawnFacts)
    draw = draws[-1]
    emptied = context.drawn
    added = [e for e in context.of_kind(PutInFacts) if emptied and e.at > emptied.at]
    last = max((e.at for e in added), default=draw.at)
    # While some of it boils on, a reading is of what is in the pan.
    last = max(last, context.left_at or context.now)
    corrector = Corrector.of(context)
    checks = [
        corrector.correct(e) for e in context.of_kind(HydrometerFacts, RefractometerFacts) if e.at > last
    ]
    mass, brix = _mixed(context, [e.facts for e in draws], [e.facts for e in added])
    mass = max(mass - _gone_kg(context), LEAST_KG)
    sigma = draw.facts.sigma_brix
    words = [e for e in (c.estimate for c in checks) if e is not None]
    if words:
        joint = evidence.agreement(words)
        brix, sigma = joint.brix, joint.sigma_brix
    over = brix - context.batch.target_brix
    water = 0.0
    if abs(over) > max(LEAST_OVER_BRIX, sigma):
        water = solids.water_to_remove_kg(mass, max(brix, 0.1), context.batch.target_brix)
    rate = learned_rate(context.db, context.vessel, draw.at).kg_per_min
    return AfterDraw(
        context=context,
        draw=draw,
        brix=brix,
        sigma_brix=sigma,
        mass_kg=mass,
        checks=checks,
        over_brix=over,
        water_to_put_back_kg=max(-water, 0.0),
        short_by_water_kg=max(water, 0.0),
        minutes_to_boil_on=water / rate if water > 0 else None,
    )


def _gone_kg(context: BatchContext) -> float:
    """Of what was drawn: poured into another batch, or in the filter."""
    poured = [e.facts for e in context.of_kind(PouredFacts) if e.facts.stage == "bulk"]
    stayed = [e.facts.loss_kg or 0.0 for e in context.of_kind(FilterFacts)]
    return sum(facts.mass_kg for facts in poured) + sum(stayed)


def _mixed(
    context: BatchContext, draws: Sequence[DrawnFacts], added: Sequence[PutInFacts]
) -> tuple[float, float]:
    """Mass and density of all that was drawn, with its carry-over, and was put in since."""
    mass, brix = 0.0, 0.0
    for more in draws:
        # A valve runs dry at once, a pan that is emptied boils on a moment.
        left_hot = 0.0 if context.channels else context.vessel.carry_over_fraction
        carry = solids.carry_over_brix(more.brix, left_hot)
        came = min(more.brix + carry, solids.MOST_BRIX)
        total = mass + more.mass_kg
        brix = (mass * brix + more.mass_kg * came) / total if mass else came
        mass = total
    for put_in in added:
        total = mass + put_in.mass_kg
        brix = (mass * brix + put_in.mass_kg * put_in.brix) / total
        mass = total
    return mass, brix

"""After the draw: the density as known now, and what would mend it."""

from dataclasses import dataclass

from lumbrel.core.bench import evidence
from lumbrel.core.errors import OutOfRange
from lumbrel.core.pan import solids
from lumbrel.core.physics import sucrose
from lumbrel.services import take_in
from lumbrel.services.context import BatchContext
from lumbrel.services.readings import Corrected
from lumbrel.store.record import Entry


@dataclass(frozen=True)
class AfterDraw:
    """A batch that has left the pan: its density as known now, and what would mend it."""

    context: BatchContext
    draw: Entry
    brix: float
    sigma_brix: float
    mass_kg: float
    proved: list[Corrected]
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
    def syrup_brix(self) -> float:
        """Its density as far as syrup goes; past 85 Brix no density is tabulated."""
        return min(self.brix, sucrose.MAX_DENSITY_BRIX)


def after_draw(context: BatchContext) -> AfterDraw:
    """What was drawn: proved cold by later readings, or else as the verdict had it."""
    draw = context.first("draw")
    assert draw is not None
    corrector = context.corrector()
    put = [e for e in context.of_kind("added") if e.at > draw.at]
    mass = float(draw.facts["mass_kg"])
    carry = solids.carry_over_brix(draw.facts["brix"], context.vessel.carry_over_fraction)
    brix, sigma = min(draw.facts["brix"] + carry, sucrose.MAX_BOIL_BRIX), draw.facts["sigma_brix"]
    last_put = max((e.at for e in put), default=draw.at)
    later = [
        corrector.correct(e)
        for e in context.of_kind("hydrometer", "refractometer")
        if e.at > last_put
    ]
    proofs = [e for e in (c.estimate for c in later) if e is not None]
    for entry in put:
        total = mass + entry.facts["mass_kg"]
        brix = (mass * brix + entry.facts["mass_kg"] * entry.facts["brix"]) / total
        mass = total
    if proofs:
        joint = evidence.agreement(proofs)
        brix, sigma = joint.brix, joint.sigma_brix
    water = solids.water_to_remove_kg(mass, max(brix, 0.1), context.batch.target_brix)
    over = brix - context.batch.target_brix
    significant = abs(over) > max(0.3, sigma)
    return AfterDraw(
        context, draw, brix, sigma, mass, later, over,
        max(-water, 0.0) if significant else 0.0, max(water, 0.0) if significant else 0.0,
        _minutes_to_boil_on(context, water) if significant and water > 0 else None,
    )  # fmt: skip


def _minutes_to_boil_on(context: BatchContext, water_kg: float) -> float:
    rate, _, _ = take_in.learned_rate(context.db, context.vessel)
    return water_kg / rate

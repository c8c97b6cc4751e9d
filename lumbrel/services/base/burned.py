"""What a boil-down's fire taught, by the lines of its slip: the heat it needed, and what was burned."""

from datetime import datetime

from lumbrel.core.errors import OutOfRange
from lumbrel.core.sap.fuel import heat_mj
from lumbrel.services.base import standing
from lumbrel.services.base.facts import DrawnFacts, FuelFacts, PouredFacts, PutInFacts
from lumbrel.store.sap import Burn

BOIL_C = 98.6
"""Near enough for the heat of warming: a degree is a thousandth of it."""
COLD_C = 4.0


def burn_seen(lines: standing.Slip) -> Burn | None:
    """The fire of a batch that left it; None where nobody noted what was burned.

    Water driven off is what came in less what came out, by mass and sugar; what was poured in from
    another pan over the same fire had its water driven off there, with the same fuel, and is not known
    here.
    """
    fuels = standing.of_kind(lines, FuelFacts)
    drawn, poured = standing.of_kind(lines, DrawnFacts), standing.of_kind(lines, PouredFacts)
    if not fuels or not standing.left_the_fire(lines):
        return None
    taken = standing.taken_in(lines).facts
    left = _left_at(lines)
    put_in = [e.facts for e in standing.of_kind(lines, PutInFacts) if left is None or e.at <= left]
    came_kg = taken.mass_kg + sum(one.mass_kg for one in put_in)
    went_kg = sum(e.facts.mass_kg for e in drawn) + sum(e.facts.mass_kg for e in poured)
    warm = taken.temperature_c
    cold = [(one.mass_kg, one.temperature_c) for one in put_in if one.brix > 0]
    mean = (taken.mass_kg * warm + sum(kg * (COLD_C if c is None else c) for kg, c in cold)) / max(
        taken.mass_kg + sum(kg for kg, _ in cold), 1e-9
    )
    try:
        needed = heat_mj(came_kg, max(came_kg - went_kg, 0.0), max(mean, 0.0), BOIL_C, taken.brix)
    except OutOfRange:
        return None
    last = fuels[-1].facts
    burned = sum(e.facts.mj for e in fuels)
    if needed <= 0 or burned <= 0:
        return None
    return Burn(standing.taken_in(lines).at, last.setup, last.fuel, needed, burned)


def _left_at(lines: standing.Slip) -> datetime | None:
    gone = standing.left_the_fire(lines)
    return gone.at if gone else None

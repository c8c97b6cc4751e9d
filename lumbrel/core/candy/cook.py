"""A cook planned: how much syrup makes what is wanted, in how many pots, and how long each part takes."""

from dataclasses import dataclass
from math import ceil

from lumbrel.core.candy.bath import BATHS, Held, PotPlace, minutes_to_cool
from lumbrel.core.candy.confections import POT_LOSS_FRACTION, Confection
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics.sucrose import density_kg_m3
from lumbrel.words import _

MOST_FULL = 0.5
"""Of the pot: foam wants the rest."""
BOIL_C = 104.0
LEAST_KG, MOST_KG = 0.05, 500.0


@dataclass(frozen=True, kw_only=True)
class CookPlan:
    """A cook: all batches together, kg, and each; how full the pot is with one."""

    syrup_kg: float
    made_kg: float
    left_in_pot_kg: float
    water_kg: float
    batches: int
    full: float

    @property
    def syrup_each_kg(self) -> float:
        """Syrup in one batch."""
        return self.syrup_kg / self.batches


def plan_cook(
    syrup_brix: float,
    final_brix: float,
    pot_l: float,
    *,
    made_kg: float | None = None,
    syrup_kg: float | None = None,
    loss: float = POT_LOSS_FRACTION,
) -> CookPlan:
    """A cook from what is wanted, or from what is there.

    Args:
        syrup_brix: 50 to 80.
        final_brix: above that, to 99.
        pot_l: what the pot holds to its rim, 0.2 to 1000.
        made_kg, syrup_kg: one of them, 0.05 to 500.
        loss: share of the finished mass that stays in each pot, 0 to 0.5.
    Raises:
        OutOfRange: a value lies outside its range, or neither amount is given.
    Source: solids are conserved.
    """
    require_between(syrup_brix, 50.0, 80.0, field="brix", what=_("The syrup's Brix"), unit="percent")
    require_between(final_brix, syrup_brix, 99.0, field="above", what=_("The solids"), unit="percent")
    require_between(pot_l, 0.2, 1000.0, field="pot", what=_("The pot"), unit="L")
    require_between(loss, 0.0, 0.5, field="loss", what=_("What stays in the pot"), unit="")
    if syrup_kg is None:
        if made_kg is None:
            raise OutOfRange(_("Say how much is wanted, or how much syrup there is."), "wanted")
        require_between(made_kg, LEAST_KG, MOST_KG, field="wanted", what=_("What is wanted"), unit="kg")
        syrup_kg = made_kg / (1 - loss) * final_brix / syrup_brix
    require_between(syrup_kg, LEAST_KG, MOST_KG, field="syrup", what=_("The syrup"), unit="kg")
    boiled = syrup_kg * syrup_brix / final_brix
    hot_l = syrup_kg / density_kg_m3(syrup_brix, 99.0) * 1000
    batches = max(ceil(hot_l / (MOST_FULL * pot_l) - 1e-9), 1)
    return CookPlan(
        syrup_kg=syrup_kg,
        made_kg=boiled * (1 - loss),
        left_in_pot_kg=boiled * loss,
        water_kg=syrup_kg - boiled,
        batches=batches,
        full=hot_l / batches / pot_l,
    )


HEATING_KW = 1.4
"""What a stove puts into a candy pot."""
LAY_OUT_MIN = 5.0


@dataclass(frozen=True)
class CookStage:
    """A part of a cook: what, how long, and whether it takes a pair of hands."""

    name: str
    minutes: float
    hands: bool


SPECIFIC_HEAT_KJ, LATENT_KJ = 2.7, 2257.0
FUEL_REACHES = 0.5
"""Of the fuel's heat so much reaches a pot on a stove, give or take a third."""


def heat_kj(plan: CookPlan) -> float:
    """What all batches of a cook take up: to warm the syrup, and to drive its water off."""
    return plan.syrup_kg * SPECIFIC_HEAT_KJ * (BOIL_C - 20.0) + plan.water_kg * LATENT_KJ


def fuel_kwh(plan: CookPlan) -> float:
    """Fuel or current for all batches of a cook, kWh."""
    return heat_kj(plan) / 3600 / FUEL_REACHES


def stages(
    plan: CookPlan,
    piece: Confection,
    boil_to_c: float,
    stir_c: float,
    bath: str,
    *,
    film: Held | None = None,
    heating_kw: float = HEATING_KW,
) -> list[CookStage]:
    """The parts of one batch of a cook, in their order.

    Args:
        boil_to_c: true temperature of the boil's end; stir_c where stirring begins.
        bath: key of `BATHS`; film as this pot taught it.
        heating_kw: what the stove puts into the pot, above 0.
    """
    each, water = plan.syrup_each_kg, plan.water_kg / plan.batches
    heat = each * SPECIFIC_HEAT_KJ * (BOIL_C - 20.0) / heating_kw / 60
    boil = water * LATENT_KJ / heating_kw / 60
    boiled = each - water
    # Planned with water enough: it is changed, or runs.
    cold = PotPlace(bath=bath, mass_kg=boiled, film=film or BATHS[bath].film, running=bath != "bench")
    cool = 0.0 if piece.cool_to_c is None else minutes_to_cool(cold, boil_to_c, stir_c)
    rest = 5.0 if piece.key.startswith("snow") else cool
    return [
        CookStage(_("lay out"), LAY_OUT_MIN, True),
        CookStage("boil", heat + boil, True),
        CookStage("rest" if piece.key.startswith("snow") else "cool", rest, False),
        CookStage("work", piece.work_min, True),
    ]

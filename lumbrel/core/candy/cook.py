"""A cook planned: how much syrup makes what is wanted, in how many pots, and how long each part takes."""

from dataclasses import dataclass
from math import ceil, log

from lumbrel.core.candy.confections import POT_LOSS_FRACTION, Confection
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics.sucrose import density_kg_m3
from lumbrel.words import _, number

MOST_FULL = 0.5
"""Of the pot: foam wants the rest."""
BOIL_C = 104.0
USUAL_KG = 13.0
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


@dataclass(frozen=True, kw_only=True)
class Bath:
    """Where a pot cools.

    Attributes:
        around_c, sigma_k: how warm it is there at first, and one sigma.
        rate_per_min: the share of its excess that a pot of 13 kg loses a minute.
        warms: by so much of the pot's first excess the bath warms meanwhile, and one sigma.
        bend, bend_sigma: how much more than in proportion a hotter pot loses.
    """

    name: str
    around_c: float
    sigma_k: float
    rate_per_min: float
    warms: tuple[float, float] = (0.0, 0.0)
    bend: float
    bend_sigma: float

    def comes_to(self, hot_c: float, around_c: float | None = None) -> tuple[float, float]:
        """To what a pot comes there in the end, and one sigma; degC and K.

        Args:
            hot_c: of the pot at first.
            around_c: of the bath at first, when somebody read it.
        """
        around = self.around_c if around_c is None else around_c
        sigma = self.sigma_k if around_c is None else READ_BATH_SIGMA_K
        share, doubt = self.warms
        excess = max(hot_c - around, 0.0)
        return around + share * excess, float((sigma**2 + (doubt * excess) ** 2) ** 0.5)


READ_BATH_SIGMA_K = 1.0
BATHS: dict[str, Bath] = {
    "bench": Bath(
        name=_("on the bench"), around_c=20.0, sigma_k=4.0, rate_per_min=0.011, bend=0.3, bend_sigma=0.13
    ),
    "water": Bath(
        name=_("in a water bath"),
        around_c=13.0,
        sigma_k=4.0,
        rate_per_min=0.036,
        warms=(0.09, 0.05),
        bend=0.2,
        bend_sigma=0.13,
    ),
    "ice": Bath(
        name=_("in ice or snow"), around_c=1.0, sigma_k=1.5, rate_per_min=0.046, bend=0.2, bend_sigma=0.13
    ),
}
"""Made-up beginnings, learned from what is noted."""
SMALLER_BY = 0.35


def minutes_to_cool(mass_kg: float, hot_c: float, stir_c: float, bath: Bath) -> float:
    """How long a pot cools to where stirring begins.

    Args:
        mass_kg: in the pot, above 0.
        hot_c: of the boil; stir_c: where stirring begins, below it.
    Raises:
        OutOfRange: it never grows so cold there.
    Source: Newton's law.
    """
    if stir_c >= hot_c:
        return 0.0
    if stir_c <= bath.around_c + 1:
        raise OutOfRange(
            _(
                "It never cools to {stir_c} °C {bath}: that is {around} °C itself.",
                stir_c=number(stir_c, 0),
                bath=bath.name,
                around=number(bath.around_c, 0),
            ),
            "bath",
        )
    rate = float(bath.rate_per_min * (USUAL_KG / max(mass_kg, 0.2)) ** SMALLER_BY)
    return float(log((hot_c - bath.around_c) / (stir_c - bath.around_c)) / rate)


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
    bath: Bath,
    heating_kw: float = HEATING_KW,
) -> list[CookStage]:
    """The parts of one batch of a cook, in their order.

    Args:
        boil_to_c: true temperature of the boil's end; stir_c where stirring begins.
        heating_kw: what the stove puts into the pot, above 0.
    """
    each, water = plan.syrup_each_kg, plan.water_kg / plan.batches
    heat = each * SPECIFIC_HEAT_KJ * (BOIL_C - 20.0) / heating_kw / 60
    boil = water * LATENT_KJ / heating_kw / 60
    boiled = each - water
    cool = 0.0 if piece.cool_to_c is None else minutes_to_cool(boiled, boil_to_c, stir_c, bath)
    rest = 5.0 if piece.key.startswith("snow") else cool
    return [
        CookStage(_("lay out"), LAY_OUT_MIN, True),
        CookStage("boil", heat + boil, True),
        CookStage("rest" if piece.key.startswith("snow") else "cool", rest, False),
        CookStage("work", piece.work_min, True),
    ]

"""How much fire it takes: the heat that sap needs, what each fuel holds, and what share of it gets
into the sap, learned from what was burned."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, log, sqrt

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics import sucrose, water
from lumbrel.words import _

MJ_EACH: dict[str, float] = {
    "wood kg": 15.0,
    "hardwood m3": 25_000 / 3.6,
    "softwood m3": 17_000 / 3.6,
    "propane kg": 46.4,
    "propane L": 25.3,
    "electricity kWh": 3.6,
    "hardwood cord": 25_000.0,
    "softwood cord": 17_000.0,
    "wood lb": 15.0 * 0.45359237,
    "propane lb": 46.4 * 0.45359237,
    "propane gal": 25.3 * 3.785411784,
}
"""Heat in one of each, MJ: wood air-dry, m3 as stacked, a full cord (3.6 of them), propane liquid."""
FUELS: dict[str, tuple[str, ...]] = {
    "hardwood": ("hardwood m3", "wood kg"),
    "softwood": (_("softwood m3"), "wood kg"),
    "propane": (_("propane kg"), _("propane L")),
    "electricity": (_("electricity kWh"),),
}
"""By fuel, how it is measured where one weighs in kg; the first as a rule."""
FUELS_BY_POUND: dict[str, tuple[str, ...]] = {
    "hardwood": (_("hardwood cord"), "wood lb"),
    "softwood": (_("softwood cord"), "wood lb"),
    "propane": (_("propane lb"), _("propane gal")),
    "electricity": (_("electricity kWh"),),
}
"""And where one weighs in pounds."""
EFFICIENCY: dict[str, tuple[float, float, float]] = {
    "open": (0.10, 0.05, 0.15),
    "blocks": (0.25, 0.15, 0.35),
    "arch": (0.50, 0.40, 0.60),
    "burner": (0.45, 0.35, 0.55),
    "plate": (0.70, 0.60, 0.80),
}
"""By setup, of the fuel's heat what gets into the sap, and from where to where nine of ten lie: a
kettle over an open fire, pans on blocks with a chimney, an arch with raised pans, a gas burner
under a pot, a hot plate."""
LEAST, MOST = 0.01, 0.98


@dataclass(frozen=True)
class Range:
    """A figure, and the range that nine of ten lie in."""

    middle: float
    low: float
    high: float

    def times(self, factor: float) -> "Range":
        """The same, so many times."""
        return Range(self.middle * factor, self.low * factor, self.high * factor)


def heat_mj(sap_kg: float, water_kg: float, sap_c: float, boil_c: float, brix: float = 2.0) -> float:
    """The heat that warms sap to the boil and drives off water, MJ.

    Args:
        sap_kg: warmed, 0 and up.
        water_kg: driven off, 0 to `sap_kg`.
        sap_c, boil_c: degC, 0 to 110.
        brix: of the sap.
    Source: latent heat 2257 kJ/kg at 100 degC; specific heat of sugar solutions.
    """
    if not 0 <= water_kg <= sap_kg:
        raise OutOfRange(_("No more water can be driven off than there is sap."), "water_kg")
    require_between(sap_c, 0.0, 110.0, field="sap_c", what=_("The sap"), unit="°C")
    warm = sucrose.specific_heat_kj_per_kg_k(brix, (sap_c + boil_c) / 2) * sap_kg
    return (warm * max(boil_c - sap_c, 0.0) + water_kg * water.latent_heat_kj_per_kg(boil_c)) / 1000


@dataclass(frozen=True)
class Burned:
    """One boil-down: the heat that it needed and the heat in the fuel that was burned, MJ."""

    needed_mj: float
    fuel_mj: float

    @property
    def efficiency(self) -> float:
        """The share that got into the sap."""
        return self.needed_mj / self.fuel_mj


_MEAN_WEIGHS = 0.9
"""What is usual for a setup counts as so many boil-downs for its middle."""
_WANDER_AT_FIRST, _WANDER_WEIGHS = 0.11, 3.0
"""One sigma of the logarithm from one boil-down to the next, and as how many it counts."""
_FORGETS = 0.92
"""Wood gets damp, an arch gets patched: each boil-down counts a tenth less than the one after it."""


def learned_efficiency(setup: str, burned: Sequence[Burned] = ()) -> Range:
    """The share of the fuel's heat that the next boil-down will get into its sap.

    A normal law for the logarithm whose middle and width are both unknown (a normal-gamma prior,
    so that what is to come follows Student's t), the older boil-downs counting less.

    Args:
        setup: one of `EFFICIENCY`.
        burned: earlier ones with this setup and fuel, in order of time.
    Returns:
        The middle, and the range that nine of ten lie in.
    """
    middle, low, high = EFFICIENCY[setup]
    if not burned:
        spread = sqrt(high / low)
        return Range(middle, middle / spread, min(middle * spread, MOST))
    logs = [log(min(max(b.efficiency, LEAST), 1.5)) for b in burned]
    weights = [_FORGETS ** (len(logs) - 1 - i) for i in range(len(logs))]
    whole = sum(weights)
    mean = sum(w * x for w, x in zip(weights, logs, strict=True)) / whole
    around = sum(w * (x - mean) ** 2 for w, x in zip(weights, logs, strict=True))
    # The prior of the middle is as wide as the setup's usual range says, in units of the wander.
    usual_sigma = log(high / low) / (2 * 1.645)
    prior = (_WANDER_AT_FIRST / usual_sigma) ** 2 * _MEAN_WEIGHS
    counts = prior + whole
    centre = (prior * log(middle) + whole * mean) / counts
    shape = (_WANDER_WEIGHS + whole) / 2
    rate = (
        _WANDER_WEIGHS * _WANDER_AT_FIRST**2
        + around
        + prior * whole / counts * (mean - log(middle)) ** 2 * _SURPRISE
    ) / 2
    scale = sqrt(rate / shape * (1 + 1 / counts))
    half = scale * students_t_95(2 * shape)
    return Range(exp(centre), exp(centre - half), min(exp(centre + half), MOST))


_SURPRISE = 0.05
"""A fire that is not the usual one of its kind is no less steady for it: this little of the
distance from the usual middle goes into the wander."""


def students_t_95(freedom: float) -> float:
    """The 95 % point of Student's t, to 0.01.

    Args:
        freedom: degrees of freedom, 3 and up.
    Source: the expansion in 1/freedom (Abramowitz and Stegun 26.7.5).
    """
    z = 1.6448536
    terms = (
        (z**3 + z) / 4,
        (5 * z**5 + 16 * z**3 + 3 * z) / 96,
        (3 * z**7 + 19 * z**5 + 17 * z**3 - 15 * z) / 384,
        (79 * z**9 + 776 * z**7 + 1482 * z**5 - 1920 * z**3 - 945 * z) / 92160,
    )
    return z + sum(term / freedom**power for power, term in enumerate(terms, 1))


def fuel_mj(heat: float, efficiency: Range) -> Range:
    """The heat that must be in the fuel, MJ."""
    return Range(heat / efficiency.middle, heat / efficiency.high, heat / efficiency.low)


def amount(fuel: Range, unit: str) -> Range:
    """So much heat in a fuel's own measure.

    Args:
        fuel: MJ.
        unit: one of `MJ_EACH`.
    """
    return fuel.times(1 / MJ_EACH[unit])


def chance_it_lasts(have_mj: float, fuel: Range) -> float:
    """How likely what is there is enough, 0 to 1.

    Args:
        have_mj: heat in the fuel that is there, MJ.
        fuel: what is needed, MJ.
    """
    if have_mj <= 0:
        return 0.0
    sigma = max(log(fuel.high / fuel.low) / (2 * 1.645), 1e-6)
    at = (log(have_mj) - log(fuel.middle)) / sigma
    # The logistic curve that lies within 0.01 of the normal one.
    return 1 / (1 + exp(-1.702 * at))

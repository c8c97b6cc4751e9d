"""A boil-down planned: hours, fuel, levels, when pans are poured together, when to stoke, where to stop
for the night."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, time, timedelta
from math import exp, log, sqrt

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.pan.target import CEILING_BRIX
from lumbrel.core.pan.vessel import LOWEST_SAFE_DEPTH_MM, TYPICAL_BOIL_OFF_KG_PER_MIN_M2
from lumbrel.core.physics import sucrose, water
from lumbrel.core.sap.fuel import Range, fuel_mj, heat_mj
from lumbrel.words import _

KEEP_DEPTH_MM = 40.0
"""The level that is kept while there is sap to add; under 25 it scorches."""
HALF = log(1.5)
"""Half more or less of the usual rate: the logarithm's half-width of what nine of ten lie in."""
ADD_EVERY_MM = 5.0
"""Sap is added before the level has fallen by more: little and often keeps it boiling."""


@dataclass(frozen=True)
class Pan:
    """A pan over the fire.

    Args:
        name: as registered.
        bottom_m2: over the fire, above 0.
        rate_kg_min: water it drives off, with the range that nine of ten lie in; None where
            nothing is learned.
    """

    name: str
    bottom_m2: float
    rate_kg_min: Range | None = None

    @property
    def rate(self) -> Range:
        """As learned, else by its bottom, give or take half."""
        if self.rate_kg_min is not None:
            return self.rate_kg_min
        usual = TYPICAL_BOIL_OFF_KG_PER_MIN_M2 * self.bottom_m2
        return Range(usual, usual / exp(HALF), usual * exp(HALF))

    def litres_at(self, depth_mm: float) -> float:
        """What it holds at a depth, L."""
        return self.bottom_m2 * depth_mm


@dataclass(frozen=True)
class BoilStage:
    """A part of the boil-down: how long, in which pans, until how much is left.

    `do` is what begins it.
    """

    do: str
    minutes: float
    pans: tuple[str, ...]
    left_kg: float
    """In all pans and the tank when it ends."""
    brix: float
    """Of all that is left, on the whole."""


@dataclass(frozen=True, kw_only=True)
class Plan:
    """What a boil-down takes."""

    sap_kg: float
    brix: float
    target_brix: float
    left_kg: float
    left_l: float
    water_kg: float
    hours: Range
    heat_mj: float
    fuel_mj: Range
    stages: tuple[BoilStage, ...]
    too_little_for: float | None
    """The depth that the end would stand at in the last pan, mm, when it is too low for it."""
    add_every_min: float
    add_l: float
    heating_min: float


def plan(
    *,
    sap_kg: float,
    brix: float,
    sap_c: float,
    target_brix: float,
    boil_c: float,
    pans: Sequence[Pan],
    efficiency: Range,
) -> Plan:
    """Plan a boil-down from a tank to near-syrup.

    Args:
        sap_kg: above 0.
        brix: of the sap, 0.1 to 30.
        sap_c: as it comes from the tank, 0 to 100 degC.
        target_brix: of the near-syrup, or the syrup, above `brix`, to 68.9.
        boil_c: where water boils here today.
        pans: over the fire, the one it ends in last.
        efficiency: of the fuel's heat.
    Raises:
        OutOfRange: a value lies outside its range, or there is no pan.
    """
    _require(pans, sap_kg, brix, target_brix)
    driven = sap_kg - (left := sap_kg * brix / target_brix)
    first = min(sap_kg, sum(p.litres_at(KEEP_DEPTH_MM) for p in pans))
    rate = sum(p.rate.middle for p in pans)
    warm = _warming_kg(first, brix, sap_c, boil_c) / rate
    stages = _stages(sap_kg, brix, left, pans, _warming_kg(1.0, brix, sap_c, boil_c))
    minutes = warm + sum(stage.minutes for stage in stages)
    spread = _spread([p.rate for p in pans])
    end_l = left / sucrose.density_kg_m3(target_brix, min(boil_c, 100.0)) * 1000
    depth = end_l / pans[-1].bottom_m2
    add_l = ADD_EVERY_MM * sum(p.bottom_m2 for p in pans)
    return Plan(
        sap_kg=sap_kg,
        brix=brix,
        target_brix=target_brix,
        left_kg=left,
        left_l=left / sucrose.density_kg_m3(target_brix, 20) * 1000,
        water_kg=driven,
        hours=Range(minutes / 60, minutes / 60 / spread, minutes / 60 * spread),
        heat_mj=(heat := heat_mj(sap_kg, driven, sap_c, boil_c, brix)),
        fuel_mj=fuel_mj(heat, efficiency),
        stages=tuple(stages),
        too_little_for=depth if depth < LOWEST_SAFE_DEPTH_MM else None,
        add_every_min=add_l * 0.96 / rate,
        add_l=add_l,
        heating_min=warm,
    )


def by_water(made: Plan, driven_kg: float, pan: Pan, boil_c: float) -> Plan:
    """A plan of which only so much water is driven off: its hours, its heat and its fuel.

    Args:
        made: for all of the water.
        driven_kg: 0 up to the plan's own.
        pan: that drives it off.
        boil_c: where water boils here today, degC.
    """
    hours = (made.heating_min + driven_kg / pan.rate.middle) / 60
    spared_kg = made.water_kg - driven_kg
    heat = made.heat_mj - spared_kg * water.latent_heat_kj_per_kg(boil_c) / 1000
    return replace(
        made,
        water_kg=driven_kg,
        hours=made.hours.times(hours / made.hours.middle),
        heat_mj=heat,
        fuel_mj=made.fuel_mj.times(heat / made.heat_mj),
    )


def _require(pans: Sequence[Pan], sap_kg: float, brix: float, target_brix: float) -> None:
    if not pans:
        raise OutOfRange(_("Choose at least one pan."), "pans")
    if not sap_kg > 0:
        raise OutOfRange(_("There must be some sap."), "litres")
    require_between(brix, 0.1, 30.0, field="brix", what=_("The sap"), unit=_("Brix"))
    if not brix < target_brix <= CEILING_BRIX:
        raise OutOfRange(
            _(
                "What is boiled down is thicker than the sap and at most 68.9 Brix: near-syrup is 50 "
                "to 60, syrup 66.0 to 68.9."
            ),
            "target",
        )


def _spread(rates: Sequence[Range]) -> float:
    """By which factor the time of nine in ten is off, for pans whose rates are off each by itself."""
    middle = sum(r.middle for r in rates)
    var = sum((r.middle * log(r.high / r.low) / 2) ** 2 for r in rates)
    # Pans share a fire: what one is off the others are, by half.
    shared = sum(r.middle * log(r.high / r.low) / 2 for r in rates)
    return exp(sqrt(0.5 * var + 0.5 * shared**2) / middle)


def _warming_kg(mass_kg: float, brix: float, from_c: float, boil_c: float) -> float:
    """Water that the heat would have driven off which warms sap to the boil, kg."""
    heat = sucrose.specific_heat_kj_per_kg_k(brix, (from_c + boil_c) / 2) * mass_kg
    return max(heat * (boil_c - from_c), 0.0) / water.latent_heat_kj_per_kg(max(80.0, boil_c))


def _stages(
    sap_kg: float, brix: float, end_kg: float, pans: Sequence[Pan], warming: float
) -> list[BoilStage]:
    """Feeding while there is sap; then down to where pans are poured together, one after the other."""
    solids = sap_kg * brix / 100
    found: list[BoilStage] = []
    at = sap_kg
    on = list(pans)

    def down_to(kg: float, do: str, cold: float = 0.0) -> None:
        nonlocal at
        kg = max(kg, end_kg)
        if kg < at:
            rate = sum(p.rate.middle for p in on)
            # Sap that is added cold takes of the heat what warms it.
            minutes = ((at - kg) + cold * warming) / rate
            names = tuple(p.name for p in on)
            found.append(BoilStage(do, minutes, names, kg, 100 * solids / kg))
            at = kg

    held = sum(p.litres_at(KEEP_DEPTH_MM) for p in on)
    if sap_kg > held:
        down_to(held, "feed", cold=sap_kg - held)
    while len(on) > 1:
        fewer = on[1:]
        down_to(sum(p.litres_at(LOWEST_SAFE_DEPTH_MM) for p in on), "down")
        if at <= end_kg:
            break
        on = fewer
        down_to(sum(p.litres_at(LOWEST_SAFE_DEPTH_MM) for p in on), "together")
    down_to(end_kg, "last")
    return found


@dataclass(frozen=True)
class Night:
    """Where a boil-down stops for the night: when, when it goes on, and how much is done by then."""

    stops: datetime
    goes_on: datetime
    hours_before: float
    brix: float


def over_night(made: Plan, lit: datetime, latest: time, earliest: time) -> tuple[Night | None, datetime]:
    """Whether a boil-down stops over night, and when it is done.

    Args:
        made: the plan.
        lit: when the fire is lit, local time.
        latest: nobody stokes after it.
        earliest: nor before it.
    """
    done = lit + timedelta(hours=made.hours.middle)
    stops = lit.replace(hour=latest.hour, minute=latest.minute, second=0, microsecond=0)
    if stops <= lit:
        stops += timedelta(days=1)
    if done <= stops:
        return None, done
    goes_on = stops.replace(hour=earliest.hour, minute=earliest.minute)
    if goes_on <= stops:
        goes_on += timedelta(days=1)
    before = (stops - lit).total_seconds() / 3600
    return (Night(stops, goes_on, before, brix_after(made, before)), done + (goes_on - stops))


def brix_after(made: Plan, hours: float) -> float:
    """The Brix of all that is left after so many hours of fire, by the plan's middle."""
    minutes = hours * 60 - made.heating_min
    at, brix = made.sap_kg, made.brix
    for stage in made.stages:
        if minutes <= 0:
            break
        share = min(minutes / stage.minutes, 1.0) if stage.minutes else 1.0
        at -= (at - stage.left_kg) * share
        brix = made.sap_kg * made.brix / at
        minutes -= stage.minutes
    return brix


def stoke_every_min(
    hours: float, fuel: float, armful: float, least: float = 3.0, most: float = 60.0
) -> float:
    """How often to put wood on, minutes.

    Args:
        hours: of fire, above 0.
        fuel: of the whole boil-down, in any measure.
        armful: put on at once, in the same measure.
    """
    return min(max(60 * hours * armful / fuel, least), most)

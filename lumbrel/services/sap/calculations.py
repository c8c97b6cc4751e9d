"""How long sap keeps, what a night and a day bring, what a boil-down takes."""

from typing import Annotated, Literal

from pydantic import Field

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.pan import continuous
from lumbrel.core.pan.target import DEFAULT_BRIX
from lumbrel.core.sap import boil_down, fuel, keeping, running, sap
from lumbrel.services.base.calculation import MASS_BALANCE, Answer, Request, calculation, step
from lumbrel.words import _

TRADE = _("trade practice")


class Hours(Request):
    """Some hours at a temperature."""

    hours: float
    temperature_c: float


class Portion(Request):
    """A portion of sap with its history."""

    litres: float
    history: Annotated[list[Hours], Field(max_length=2000)]


class KeepingAnswer(Answer):
    """The share of its life that the mixture has used (1: spoilt), and the hours that it has left."""

    used: float
    hours_left: float
    used_of_each: list[float]


@calculation("sap/keeping")
def sap_keeping(
    *, portions: Annotated[list[Portion], Field(min_length=1, max_length=200)], temperature_c: float = 4.0
) -> KeepingAnswer:
    """How much of its life sap has used up, each portion and all together.

    Portions of sap, poured together at the end of their histories.
    """
    for portion in portions:
        if not portion.litres > 0 or any(one.hours < 0 for one in portion.history):
            raise OutOfRange(_("Litres must be above 0, and hours 0 or more."), "portions")
    each = [keeping.used((one.hours, one.temperature_c) for one in p.history) for p in portions]
    mixed = keeping.mixed([(p.litres, u) for p, u in zip(portions, each, strict=True)])
    life = keeping.life_hours(temperature_c)
    left = max(1.0 - mixed, 0.0) * life
    working = [
        step(_("life at this temperature"), life, "h", TRADE),
        step(_("used by all together"), mixed, "", _("what is alive in it adds up")),
        step("left", left, "h"),
    ]
    return KeepingAnswer(used=mixed, hours_left=left, used_of_each=each, working=working)


class NightRequest(Request):
    """A night and the day after it."""

    night_c: float
    day_c: float


class RunAnswer(Answer):
    """Litres a tap on the last day, by the rule alone."""

    litres_per_tap: float
    share_of_best: float
    wood_full: float


@calculation("sap/run")
def sap_run(
    *,
    days: Annotated[list[NightRequest], Field(min_length=1, max_length=60)],
    best_l: float = running.BEST_L,
    birch: bool = False,
) -> RunAnswer:
    """What a night and a day bring, by the rule of frost and thaw.

    Nights and days in a row, the last one asked for; and what a tap gives on the best of days.
    """
    require_between(best_l, 0.1, 100, field="best_l", what=_("The best day"), unit="L")
    weather = [running.require_weather(day.night_c, day.day_c) for day in days]
    held = running.Wood().mornings(weather)[-1]
    rule = running.by_warmth if birch else running.by_the_rule
    share = rule(weather[-1], held)
    working = [
        step(_("how full frost left the wood"), held, "", TRADE),
        step(_("share of the best day"), share, "", TRADE),
        step(_("a tap gives"), share * best_l, "L"),
    ]
    return RunAnswer(litres_per_tap=share * best_l, share_of_best=share, wood_full=held, working=working)


class BoilDownAnswer(Answer):
    """What it takes, each with the range that nine of ten lie in."""

    water_kg: float
    left_kg: float
    hours: float
    hours_low: float
    hours_high: float
    heat_mj: float
    fuel_mj: float
    fuel_low_mj: float
    fuel_high_mj: float
    wood_kg: float
    propane_kg: float


def _told_rate(kg_per_min: float) -> fuel.Range:
    kg = require_between(kg_per_min, 0.001, 500, field="rate_kg_per_min", what=_("The rate"), unit="kg")
    return fuel.Range(kg, 0.9 * kg, 1.1 * kg)


@calculation("sap/boil-down")
def sap_boil_down(
    *,
    litres: float,
    brix: float,
    target_brix: float,
    bottom_m2: float,
    setup: Literal["open", "blocks", "arch", "burner", "plate"],
    sap_temperature_c: float = 4.0,
    boiling_point_c: float = 100.0,
    rate_kg_per_min: float | None = None,
) -> BoilDownAnswer:
    """How long sap boils down to near-syrup, and what fire that takes.

    Sap, a pan over a fire, and what it is boiled down to.
    """
    require_between(bottom_m2, 0.005, 100, field="bottom_m2", what=_("The pan"), unit="m²")
    require_between(boiling_point_c, 70, 105, field="boiling_point_c", what=_("The boil"), unit="°C")
    rate = None if rate_kg_per_min is None else _told_rate(rate_kg_per_min)
    plan = boil_down.plan(
        sap_kg=sap.mass_kg(litres, sap.require_sap(brix)),
        brix=brix,
        sap_c=sap_temperature_c,
        target_brix=target_brix,
        boil_c=boiling_point_c,
        pans=[boil_down.Pan("pan", bottom_m2, rate)],
        efficiency=fuel.learned_efficiency(setup),
    )
    needed = plan.fuel_mj
    working = [
        step(_("water driven off"), plan.water_kg, "kg", MASS_BALANCE),
        step(_("heat into the sap"), plan.heat_mj, "MJ", _("latent heat, and warming it")),
        step(_("heat in the fuel"), needed.middle, "MJ", TRADE),
        step(_("hours of fire"), plan.hours.middle, "h"),
    ]
    return BoilDownAnswer(
        water_kg=plan.water_kg,
        left_kg=plan.left_kg,
        hours=plan.hours.middle,
        hours_low=plan.hours.low,
        hours_high=plan.hours.high,
        heat_mj=plan.heat_mj,
        fuel_mj=needed.middle,
        fuel_low_mj=needed.low,
        fuel_high_mj=needed.high,
        wood_kg=fuel.amount(needed, "wood kg").middle,
        propane_kg=fuel.amount(needed, _("propane kg")).middle,
        working=working,
    )


class ContinuousAnswer(Answer):
    """What it does."""

    sap_l_per_h: float
    syrup_l_per_h: float
    minutes_between_draws: float
    first_draw_minutes: float
    first_draw_low: float
    first_draw_high: float
    channel_brixes: list[float]
    standing_brix: float
    standing_solids_kg: float


@calculation("sap/continuous")
def sap_continuous(
    *,
    held_kg: float,
    sap_brix: float,
    syrup_brix: float = DEFAULT_BRIX,
    rate_kg_per_min: float,
    channels: int = 4,
    draw_l: float = 1.0,
) -> ContinuousAnswer:
    """What a continuous pan takes and gives, when it is drawn first, and what stands in it.

    A continuous pan: what stands in it, what it drives off, and what runs in.
    """
    even = continuous.steady(rate_kg_per_min, sap_brix, syrup_brix, draw_l)
    pan = continuous.Running(
        held_kg=held_kg,
        rate_kg_min=rate_kg_per_min,
        sap_brix=sap_brix,
        syrup_brix=syrup_brix,
        channels=channels,
    )
    low, middle, high = continuous.band(continuous.first_climb(pan, sap_brix))
    each = continuous.channel_brixes(sap_brix, syrup_brix, channels)
    stands = sum(each) / len(each)
    working = [
        step(_("sap in an hour"), even.sap_l_h, "L", MASS_BALANCE),
        step(_("syrup in an hour"), even.syrup_l_h, "L", MASS_BALANCE),
        step(_("all that stands in it"), stands, _("Brix"), _("an equal share of the water in each channel")),
        step(_("until the first draw"), middle, "min", _("until then its sugar stays in it")),
    ]
    return ContinuousAnswer(
        sap_l_per_h=even.sap_l_h,
        syrup_l_per_h=even.syrup_l_h,
        minutes_between_draws=even.minutes_between,
        first_draw_minutes=middle,
        first_draw_low=low,
        first_draw_high=high,
        channel_brixes=list(each),
        standing_brix=stands,
        standing_solids_kg=held_kg * stands / 100,
        working=working,
    )

"""The candy pot on the fire: how far it is, and how long until its mark."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import hypot, inf

from lumbrel.core.candy import boil
from lumbrel.core.candy.boil import CookFit, PotLeft, PotReading, fit_cook
from lumbrel.core.pan.solids import heat_up_minutes, unboiled_kg
from lumbrel.core.physics import sucrose
from lumbrel.core.physics.air import STANDARD_PA
from lumbrel.core.physics.water import boiling_point_c
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.facts import BurnerFacts, CookFacts, Facts, HeatFacts, PutInFacts
from lumbrel.services.candy import learnt
from lumbrel.services.candy.readings import (
    SPEAKS,
    PotShown,
    by_hand,
    by_probe,
    invert_fraction,
    typed_sigma_k,
)
from lumbrel.services.day.pressure import Pressure
from lumbrel.services.day.thermometers import ThermometerToday
from lumbrel.services.pan.rate import Rate
from lumbrel.words import _

FRESH = timedelta(minutes=6)
"""So long a typed reading is carried on by the arithmetic."""
LOOKS_BACK, EVERY_S, MOST_SAMPLES = timedelta(minutes=20), 20, 60
SETTLES = timedelta(minutes=1)
"""After the fire was turned or water put in."""
NEAR_MINUTES, NEAR_K = 3.0, 1.5
OVER_K = 0.5
MOST_LAG_K = 1.5
WARMS_K, WARMS_BELOW_K = 15.0, 4.0
"""A pot that was read to warm so much, well below its boil, tells what its fire gives."""
WARMS_STEEL, WARMS_SIGMA = 1.08, 0.12
"""The pot itself warms too; what neither it nor the air takes is known to a share."""
BOIL_WORDS = {
    "heat": _("Heating up"),
    "boil": _("Boil on"),
    "near": _("Nearly there"),
    "off": _("Off the fire"),
    "over": _("Over"),
}
"""What a call on the fire says."""


@dataclass(frozen=True, kw_only=True)
class Boiling:
    """The pot on the fire."""

    shown: Sequence[PotShown]
    fit: CookFit | None
    left: PotLeft
    heating_minutes: float
    """Until it boils; 0 once it does."""
    above_now_k: float | None
    """By all that was read and the fire since; None before it boils. A thermometer in a thick boil lags: it
    is hotter than it shows."""
    shown_now_k: float | None
    """As its thermometer shows it."""
    fresh: bool
    """Whether somebody, or a probe, has read it just now."""
    live: bool

    @property
    def off_scale(self) -> bool:
        """Whether it was read last beyond any curve of boiling syrup: sugar that burns."""
        return bool(self.shown) and self.shown[-1].above_k > boil.MOST_ABOVE_K

    @property
    def minutes(self) -> float:
        """Until it is to be taken off."""
        return self.heating_minutes + self.left.minutes


def call_of(seen: Boiling, mark_k: float) -> str:
    """One word for what to do: heat, boil, near, off or over."""
    if seen.off_scale:
        return "over"
    if seen.above_now_k is None:
        return "heat"
    apart = mark_k - seen.above_now_k
    if seen.shown_now_k is not None and seen.shown_now_k > mark_k + OVER_K and seen.fresh:
        return "over"
    if apart <= boil.OFF_BY_K:
        return "off"
    return "near" if seen.left.minutes <= NEAR_MINUTES or apart <= NEAR_K else "boil"


def _settled_since(context: BatchContext, *kinds: type[Facts]) -> datetime:
    """When it had settled after the last line of some kinds."""
    settled = [e.at + SETTLES for e in context.of_kind(*kinds) if e.at <= context.now]
    return max(settled, default=context.taken_in.at)


def _read(
    context: BatchContext, glass: ThermometerToday | None, pressure: Pressure | None
) -> tuple[list[PotShown], list[PotShown]]:
    """What its probe told, and all that was read, since its fire was turned; of the fire before it while nothing
    has been read of this one. What was put in makes another pot of it."""
    for kinds in ((BurnerFacts, HeatFacts, PutInFacts), (PutInFacts,)):
        since = _settled_since(context, *kinds)
        live = by_probe(context, glass, pressure, max(since, context.now - LOOKS_BACK), EVERY_S)
        typed = by_hand(context, since, typed_sigma_k(glass))
        shown = sorted([*live[-MOST_SAMPLES:], *typed], key=lambda one: one.at)
        if shown:
            break
    return live, shown


def boiling(
    context: BatchContext,
    cook: CookFacts,
    solids_kg: float,
    glass: ThermometerToday | None,
    pressure: Pressure | None,
) -> Boiling:
    """A pot on the fire, with so much solids in it, as it stands now."""
    now = context.now
    live, shown = _read(context, glass, pressure)
    speaks = bool(live) and now - live[-1].at <= SPEAKS
    pa = pressure.pa if pressure else STANDARD_PA
    boils_k = _rise_k(context, cook, pressure) - boil.BELOW_ITS_BOIL_K
    boils = [one for one in shown if one.above_k >= boils_k]
    usual = learnt.boils_off(context.db, context.vessel, context.taken_in.at)
    rate = _as_it_warms(usual, cook, [one for one in shown if one.above_k < boils_k - WARMS_BELOW_K])
    if not boils:
        heating, left = _before_it_boils(context, cook, rate, shown, solids_kg=solids_kg, pressure_pa=pa)
        return Boiling(
            shown=shown,
            fit=None,
            left=left,
            heating_minutes=heating,
            above_now_k=None,
            shown_now_k=live[-1].above_k if speaks else None,
            fresh=speaks,
            live=speaks,
        )
    fit = fit_cook(
        [PotReading(_minute(context, one.at), one.above_k, one.sigma_k) for one in boils],
        cook.above_water_k,
        pa,
        invert_fraction(cook),
        rate_share=(rate.kg_per_min / solids_kg, rate.sigma_kg_per_min / solids_kg),
        now_minute=_minute(context, now),
    )
    last = shown[-1]
    as_read = now - last.at <= SPEAKS or last.above_k > boil.MOST_ABOVE_K
    return Boiling(
        shown=shown,
        fit=fit,
        left=fit.left(),
        heating_minutes=0.0,
        above_now_k=_hotter_than_shown(fit, live[-1].above_k) if speaks else fit.above_now_k,
        shown_now_k=last.above_k if as_read else fit.above_now_k,
        fresh=now - last.at <= (SPEAKS if speaks else FRESH),
        live=speaks,
    )


def _hotter_than_shown(fit: CookFit, shown_k: float) -> float:
    """What it is by the fit, which knows of the lag; never less than is shown, nor much more."""
    return min(max(fit.above_now_k, shown_k), shown_k + MOST_LAG_K)


def _rise_k(context: BatchContext, cook: CookFacts, pressure: Pressure | None) -> float:
    """Where what was put in begins to boil, K above water."""
    pa = pressure.pa if pressure else STANDARD_PA
    added = [e.facts for e in context.of_kind(PutInFacts)]
    mass = cook.mass_kg + sum(a.mass_kg for a in added)
    solids = cook.mass_kg * cook.brix + sum(a.mass_kg * a.brix for a in added)
    invert = invert_fraction(cook)
    boils = sucrose.boiling_point_c(min(solids / mass, cook.brix), pa, invert)
    return boils - boiling_point_c(pa)


def _as_it_warms(usual: Rate, cook: CookFacts, shown: Sequence[PotShown]) -> Rate:
    """What its fire drives off, by how fast it brought the pot up too."""
    if not shown or shown[-1].true_c - shown[0].true_c < WARMS_K:
        return usual
    first, last = shown[0], shown[-1]
    minutes = (last.at - first.at) / timedelta(minutes=1)
    seen = WARMS_STEEL * unboiled_kg(cook.mass_kg, cook.brix, first.true_c, last.true_c) / max(minutes, 0.1)
    apart = hypot(first.sigma_k, last.sigma_k) / (last.true_c - first.true_c)
    weighs, held = (seen * hypot(WARMS_SIGMA, apart)) ** -2, usual.sigma_kg_per_min**-2
    both = (seen * weighs + usual.kg_per_min * held) / (weighs + held)
    return Rate(both, (weighs + held) ** -0.5, usual.draws)


def _minute(context: BatchContext, at: datetime) -> float:
    return (at - context.taken_in.at) / timedelta(minutes=1)


def _before_it_boils(
    context: BatchContext,
    cook: CookFacts,
    rate: Rate,
    shown: Sequence[PotShown],
    *,
    solids_kg: float,
    pressure_pa: float,
) -> tuple[float, PotLeft]:
    """Minutes until it boils, and from then on; by the vessel's past alone."""
    boils_c = sucrose.boiling_point_c(cook.brix, pressure_pa, invert_fraction(cook))
    warm, at = (shown[-1].true_c, shown[-1].at) if shown else (20.0, context.taken_in.at)
    heat = heat_up_minutes(cook.mass_kg, cook.brix, min(warm, boils_c), boils_c, rate.kg_per_min)
    heating = max(heat - (context.now - at) / timedelta(minutes=1), 0.0)
    water = 100 * solids_kg * (1 / cook.brix - 1 / cook.target_brix)
    minutes = max(water, 0.0) / rate.kg_per_min
    wide = 1.645 * rate.sigma_kg_per_min / rate.kg_per_min
    high = minutes / (1 - wide) if wide < 0.9 else inf
    return heating, PotLeft(minutes, minutes / (1 + wide), high)

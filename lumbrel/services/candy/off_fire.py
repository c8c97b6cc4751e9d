"""The candy pot off the fire, left alone until it may be stirred or poured."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from math import inf, isfinite

from lumbrel.core.candy.cook import BATHS, Bath
from lumbrel.core.candy.cooling import PotCooling, fit_bath
from lumbrel.core.candy.stirring import REST_MIN
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import BathFacts, CookedFacts, CookFacts
from lumbrel.services.candy import learnt
from lumbrel.services.candy.readings import SPEAKS, PotShown, by_hand, by_probe
from lumbrel.services.day.pressure import Pressure
from lumbrel.services.day.thermometers import ThermometerToday

__all__ = ["PotCooling"]
COOL_EVERY_S, MOST_COOL = 60, 40


@dataclass(frozen=True, kw_only=True)
class CoolingPot:
    """The pot off the fire, left alone."""

    bath: Bath
    shown: Sequence[PotShown]
    fit: PotCooling | None
    begins: datetime
    now: datetime
    to_c: float | None
    """Where stirring begins; None where it rests by the clock."""
    rest_ends: datetime | None = None
    live: bool = False
    learned_from: int = 0

    @property
    def minute(self) -> float:
        """Since it was put there."""
        return (self.now - self.begins) / timedelta(minutes=1)

    @property
    def now_c(self) -> float | None:
        """How warm it is."""
        return self.fit.temperature_c_at(self.minute) if self.fit else None

    @cached_property
    def minutes(self) -> tuple[float, float, float]:
        """Until stirring begins, with its 90 % range."""
        if self.rest_ends is not None:
            left = max((self.rest_ends - self.now) / timedelta(minutes=1), 0.0)
            return left, left, left
        if self.fit is None or self.to_c is None:
            return inf, 0.0, inf
        return self.fit.minutes_to(self.to_c, self.minute)

    @property
    def stays_warm(self) -> bool:
        """Whether it may never grow so cold there: the water is to be changed."""
        return self.rest_ends is None and not isfinite(self.minutes[2])

    @property
    def ready(self) -> bool:
        """Whether stirring may begin."""
        return self.minutes[0] <= 0


def cooling(
    context: BatchContext,
    cook: CookFacts,
    off: Entry[CookedFacts],
    glass: ThermometerToday | None,
    pressure: Pressure | None,
) -> CoolingPot:
    """Since it came off the fire, or was put somewhere else last."""
    put = context.last(BathFacts)
    begins = put.at if put else off.at
    key = put.facts.bath if put else off.facts.bath
    around = put.facts.around_c if put else off.facts.around_c
    bath = BATHS[key]
    rest = off.at + timedelta(minutes=REST_MIN) if cook.stir_c is None else None
    live = by_probe(context, glass, pressure, begins, COOL_EVERY_S)
    typed = [one for one in by_hand(context, begins, 0.0) if one.at > begins]
    shown = sorted([*live[:: len(live) // MOST_COOL + 1], *typed], key=lambda one: one.at)
    start = [] if put else [PotShown(off.at, off.facts.reached_c, off.facts.above_water_k, 0.0)]
    rate, sigma, cooks = learnt.cools(context.db, context.vessel.id, key, off.facts.mass_kg, off.at)
    readings = [((one.at - begins) / timedelta(minutes=1), one.true_c) for one in [*start, *shown]]
    fit = None
    if readings:
        try:
            fit = fit_bath(readings, bath, rate, sigma, around)
        except OutOfRange:
            fit = None
    return CoolingPot(
        bath=bath,
        shown=[*start, *shown],
        fit=fit,
        begins=begins,
        now=context.now,
        to_c=cook.stir_c,
        rest_ends=rest,
        live=bool(live) and context.now - live[-1].at <= 2 * SPEAKS,
        learned_from=cooks,
    )

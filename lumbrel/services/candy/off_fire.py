"""The candy pot off the fire, left alone until it may be stirred or poured."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from math import inf
from typing import NamedTuple

from lumbrel.core.candy.bath import Bath, PotPlace
from lumbrel.core.candy.cooling import CoolingRead, PotCooling, Start, fit_bath
from lumbrel.core.candy.stirring import REST_MIN
from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import BathFacts, CookedFacts, CookFacts
from lumbrel.services.candy import learnt
from lumbrel.services.candy.readings import SPEAKS, PotShown, by_hand, by_probe, typed_sigma_k
from lumbrel.services.day.pressure import Pressure
from lumbrel.services.day.thermometers import ThermometerToday
from lumbrel.words import _

__all__ = ["PotCooling"]
COOL_EVERY_S, MOST_COOL, JUST_NOW_S = 60, 40, 10
REACHED_SIGMA_K = {"pot": 1.0, "arithmetic": 1.5, "sign": 2.5}
HELPS = {
    "bench": _("Put it into water."),
    "water": _("Change the water, or put ice in."),
    "ice": _("Put more ice in."),
}
LEAST_SHOWN, KNOWN_SIGMA = 3, 0.3
"""A cook teaches from so many readings on, what is known so well."""
OPEN, LIKELY = 0.05, 0.5
"""From such a chance on that it never grows so cold its end is open; and it is said to be so."""


@dataclass(frozen=True, kw_only=True)
class CoolingPot:
    """The pot off the fire, left alone."""

    stands: PotPlace
    shown: Sequence[PotShown]
    fit: PotCooling | None
    begins: datetime
    now: datetime
    to_c: float | None
    """Where stirring begins; None where it rests by the clock."""
    rest_ends: datetime | None = None
    live_c: float | None = None
    """What its probe shows just now."""
    learned_from: int = 0

    @property
    def minute(self) -> float:
        """Since it was put there."""
        return (self.now - self.begins) / timedelta(minutes=1)

    @property
    def live(self) -> bool:
        """Whether a probe tells of it."""
        return self.live_c is not None

    @property
    def now_c(self) -> float | None:
        """How warm it is: as its probe shows it, else by all that was read."""
        if self.live_c is not None:
            return self.live_c
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
    def bath(self) -> Bath:
        """Where it cools."""
        return self.stands.holds

    @cached_property
    def never(self) -> float | None:
        """The chance that it is not so cold within six hours; None where it rests by the clock, or nothing is known."""
        if self.rest_ends is not None or self.fit is None or self.to_c is None:
            return None
        return 0.0 if self.ready else self.fit.never(self.to_c, self.minute)

    @property
    def stays_warm(self) -> str:
        """What is said where it may never grow so cold there, and what to do; else nothing."""
        if self.never is None or self.never <= OPEN:
            return ""
        never = (
            _("It does not come down so far {bath}.", bath=self.bath.name)
            if self.never >= LIKELY
            else _("It may not come down so far {bath}.", bath=self.bath.name)
        )
        return f"{never} {HELPS[self.stands.bath]}"

    @property
    def learned(self) -> tuple[float | None, float | None]:
        """Film and litres, as far as its readings knew them, for the next cook of this pot."""
        # What runs takes more than what stands: it teaches nothing of a bath.
        if self.fit is None or self.stands.running or len(self.shown) < LEAST_SHOWN:
            return None, None
        (film, film_sigma), (litres, litres_sigma) = self.fit.film, self.fit.litres
        knows = self.stands.warms and litres_sigma <= KNOWN_SIGMA
        return film if film_sigma <= KNOWN_SIGMA else None, litres if knows else None

    @property
    def ready(self) -> bool:
        """Whether stirring may begin."""
        if self.live_c is not None and self.to_c is not None:
            return self.live_c <= self.to_c
        read = bool(self.shown) and self.to_c is not None and self.shown[-1].true_c <= self.to_c
        return read or self.minutes[0] <= 0


class _Place(NamedTuple):
    """Where it was put, and when."""

    at: datetime
    told: CookedFacts | BathFacts


def cooling(
    context: BatchContext,
    cook: CookFacts,
    off: Entry[CookedFacts],
    glass: ThermometerToday | None,
    pressure: Pressure | None,
) -> CoolingPot:
    """Since it came off the fire, or was put somewhere else last."""
    rest = off.at + timedelta(minutes=REST_MIN) if cook.stir_c is None else None
    live = by_probe(context, glass, pressure, off.at, COOL_EVERY_S, whole=True)
    just_now = by_probe(context, glass, pressure, max(off.at, context.now - SPEAKS), JUST_NOW_S)
    typed = [one for one in by_hand(context, off.at, typed_sigma_k(glass)) if one.at > off.at]
    shown = sorted([*live[:: len(live) // MOST_COOL + 1], *typed], key=lambda one: one.at)
    moved = [_Place(e.at, e.facts) for e in context.of_kind(BathFacts) if e.at <= context.now]
    places = [_Place(off.at, off.facts), *moved]
    start, fit = Start(off.facts.reached_c, REACHED_SIGMA_K[off.facts.by]), None
    for i, place in enumerate(places):
        after = places[i + 1].at if places[i + 1 :] else context.now + timedelta(minutes=1)
        here = [one for one in shown if place.at <= one.at < after]
        stands, cooks = learnt.stands(context, place.told, off.facts.mass_kg, off.at)
        readings = [
            CoolingRead((one.at - place.at) / timedelta(minutes=1), one.true_c, one.sigma_k) for one in here
        ]
        try:
            fit = fit_bath(readings, stands, start)
        except OutOfRange:
            fit = None
            break
        start = fit.start_at((after - place.at) / timedelta(minutes=1))
    first = [PotShown(off.at, off.facts.reached_c, off.facts.above_water_k, 0.0)] if len(places) == 1 else []
    return CoolingPot(
        stands=stands,
        shown=[*first, *here],
        fit=fit,
        begins=place.at,
        now=context.now,
        to_c=cook.stir_c,
        rest_ends=rest,
        live_c=just_now[-1].true_c if just_now else None,
        learned_from=cooks,
    )

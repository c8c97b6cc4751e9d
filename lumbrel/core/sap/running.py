"""Will it run: what the rule of freezing and thawing says of a night and its day, whatever the woodlot."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from typing import NamedTuple

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.words import _, bare

FREEZES_UNDER_C, FREEZES_WELL_C = 1.0, -3.0
"""A night draws nothing in above the first, and all it can from the second down."""
RUNS_OVER_C, BEST_FROM_C, BEST_TO_C, HOT_C = 0.0, 5.0, 7.0, 16.0
HOT_SHARE = 0.3
DEEP_C, DEEP_SHARE = -15.0, 0.6
"""A night so cold has the trunk frozen through, and the day is half over when it runs."""
LETS_GO = 0.65
"""Of what frost drew into the wood, a good day lets out; without frost the next one has the rest."""
WARM_LETS_GO = 0.5
"""And of what is left then, a night without frost lets go."""
AT_FIRST = 0.5
"""How full the wood is where nobody knows the weather before."""
COLDEST_C, WARMEST_C = -45.0, 45.0
LOW, HIGH = 0.14, 0.90
"""The range is what eight days of ten lie in: no day gives less than nothing, so that fewer than a
tenth can lie under one that begins there, and it may begin a little higher where it does not."""


class Weather(NamedTuple):
    """The night before a day, and the day: lowest and highest temperature, degC."""

    night_c: float
    day_c: float


def require_weather(night_c: float, day_c: float) -> Weather:
    """A night and its day, when they can be.

    Raises:
        OutOfRange: out of -45 to 45 degC, or a night warmer than its day.
    """
    for value, field in ((night_c, "night"), (day_c, "day")):
        if value > 150:
            raise OutOfRange(
                _("{value} is no air temperature in °C or °F; Kelvin less 273 is °C.", value=bare(value)),
                field,
            )
        require_between(
            value, COLDEST_C, WARMEST_C, field=field, what=_("The temperature outside"), unit="°C"
        )
    if night_c > day_c:
        raise OutOfRange(
            _("The night is the lowest and the day the highest temperature: the night cannot be warmer."),
            "night",
        )
    return Weather(night_c, day_c)


MOST_REMEMBERED = 2048
BEST_L = 4.0
"""Litres from a tap on the best of days, where nothing is learned: 2 to 8 by tree, tap and vacuum."""


@dataclass(frozen=True)
class Wood:
    """How frost fills wood and thaw empties it."""

    well_c: float = FREEZES_WELL_C
    lets_go: float = LETS_GO

    def after_night(self, held: float, night_c: float) -> float:
        """How full it is after a night, from how full it was before, 0 to 1."""
        if night_c >= FREEZES_UNDER_C:
            return held * WARM_LETS_GO
        return held + (1 - held) * (1 - _up(night_c, self.well_c, FREEZES_UNDER_C)) * 0.9

    def after_day(self, held: float, day_c: float) -> float:
        """How full it is after a day, from how full it was in the morning, 0 to 1."""
        return held * (1 - self.lets_go * _up(day_c, RUNS_OVER_C, BEST_FROM_C))

    def mornings(self, weather: Sequence[Weather], held: float = AT_FIRST) -> list[float]:
        """How full it is each morning, 0 to 1.

        Args:
            weather: nights with their days, in order.
            held: on the evening before the first.
        """
        return list(_mornings(self, tuple(weather), held))


@lru_cache(MOST_REMEMBERED)
def _mornings(wood: Wood, weather: tuple[Weather, ...], held: float) -> tuple[float, ...]:
    """Woodlots under one weather share it: the same days fill the same wood alike."""
    found = []
    for one in weather:
        found.append(wood.after_night(held, one.night_c))
        held = wood.after_day(found[-1], one.day_c)
    return tuple(found)


@lru_cache(MOST_REMEMBERED)
def by_the_rule(weather: Weather, held: float = 1.0) -> float:
    """The share of the best day's run that a night and a day give, 0 to 1.

    Args:
        weather: of the night before and the day.
        held: how full the wood is in the morning, by `Wood.mornings`.
    Source: freezing nights and thawing days, best from -4 to +5 or +7; nothing while it stays
        frozen, or warm without frost.
    """
    thaw = _up(weather.day_c, RUNS_OVER_C, BEST_FROM_C)
    if weather.day_c > BEST_TO_C:
        thaw = 1 - (1 - HOT_SHARE) * _up(weather.day_c, BEST_TO_C, HOT_C)
    late = 1 - (1 - DEEP_SHARE) * (1 - _up(weather.night_c, DEEP_C, -8.0))
    return thaw * held * late


def by_warmth(weather: Weather, held: float = 1.0) -> float:
    """The same for trees that run when the ground warms, without frost: birch.

    Args:
        weather: as `by_the_rule`; its mean decides.
        held: nothing to them.
    Source: trade practice: birch runs some weeks after the maples, from a mean of about 3 degC, until
        its leaves come.
    """
    return _up((weather.night_c + weather.day_c) / 2, 1.0, 8.0)


def _up(value: float, low: float, high: float) -> float:
    return min(max((value - low) / (high - low), 0.0), 1.0)


@dataclass(frozen=True)
class Day:
    """What a woodlot gave on a day."""

    day: date
    weather: Weather
    litres_per_tap: float | None
    """None where nobody gathered."""
    days: int = 1
    """Gathered over so many days: the more, the less it says of this one."""


@dataclass(frozen=True)
class Expected:
    """Litres from a tap on a day: expected, and from where to where eight days of ten lie."""

    litres: float
    low: float
    high: float


FORECAST_SIGMA_K = 1.0
"""Of a forecast for tomorrow; half as much again for each three days after it."""


def forecast_sigma_k(days_ahead: int) -> float:
    """One sigma of a forecast's temperatures, K.

    Args:
        days_ahead: 0 for today.
    """
    return FORECAST_SIGMA_K * (1 + 0.5 * max(days_ahead - 1, 0) / 3)


LAST_DAY_COUNTS = 1.5


def shared_out(litres_per_tap: float, days: Sequence[tuple[Weather, float]]) -> tuple[float, ...]:
    """What was gathered over some days, by day as the rule has it; evenly where it has nothing, and most of the last
    day, which is still dripping when it is gathered.

    Args:
        litres_per_tap: gathered in all.
        days: their weather and how full the wood was, at least one.
    """
    rules = [by_the_rule(weather, held) + 0.02 for weather, held in days]
    rules[-1] *= LAST_DAY_COUNTS
    return tuple(litres_per_tap * rule / sum(rules) for rule in rules)

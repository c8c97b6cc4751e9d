"""Will it run: sap of a day from its night and its day, by the rule of freezing and thawing and by
what this woodlot did on such days.

The rule comes first and is held lightly: a woodlot's own days bend it where they lie, how they
scattered around what was expected of them is how wide the range is, and how this season goes so far
moves all of it up or down.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property
from math import log, sqrt

import numpy as np
from numpy.typing import NDArray

from lumbrel.core.errors import OutOfRange, require_between

BEST_L = 4.0
"""Litres from a tap on the best of days, where nothing is learned: 2 to 8 by tree, tap and vacuum."""
FREEZES_UNDER_C, FREEZES_WELL_C = 1.0, -3.0
"""A night draws nothing in above the first, and all it can from the second down."""
RUNS_OVER_C, BEST_FROM_C, BEST_TO_C, HOT_C = 0.0, 5.0, 7.0, 16.0
HOT_SHARE = 0.3
DEEP_C, DEEP_SHARE = -15.0, 0.6
"""A night so cold has the trunk frozen through, and the day is half over when it runs."""
LETS_GO = 0.65
"""Of what frost drew into the wood, a good day lets out; without frost the next one has the rest."""
WELL_C_TRIED, LETS_GO_TRIED = (-2.0, FREEZES_WELL_C, -5.0, -7.5), (0.4, LETS_GO, 0.9)
"""What a woodlot's own days may find instead of the usual."""
WARM_LETS_GO = 0.5
"""And of what is left then, a night without frost lets go."""
AT_FIRST = 0.5
"""How full the wood is where nobody knows the weather before."""
COLDEST_C, WARMEST_C = -45.0, 45.0
LOW, HIGH = 0.14, 0.90
"""The range is what eight days of ten lie in: no day gives less than nothing, so that fewer than a
tenth can lie under one that begins there, and it may begin a little higher where it does not."""


@dataclass(frozen=True)
class Weather:
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
                f"{value:g} is no air temperature in °C or °F; Kelvin less 273 is °C.", field
            )
        require_between(
            value, COLDEST_C, WARMEST_C, field=field, what="The temperature outside", unit="°C"
        )
    if night_c > day_c:
        raise OutOfRange(
            "The night is the lowest and the day the highest temperature: the night cannot be warmer.",
            "night",
        )
    return Weather(night_c, day_c)


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
        found = []
        for one in weather:
            found.append(self.after_night(held, one.night_c))
            held = self.after_day(found[-1], one.day_c)
        return found


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
    rule: float
    """The share of the best day that the rule gives it."""


_WIDTH = (2.0, 2.5, 0.2)
"""How near nights, days and how full the wood is must be to tell of each other: K, K, share."""
_FEW_DAYS, _UNUSUAL_COSTS = 10, 3.0
_RULE_WEIGHS = 1.5
_BEST_WEIGHS = 1.0
_SEASON_WEIGHS = 2.0
_SEASON_HALVES_DAYS = 10.0
_SPREAD_AT_FIRST = (-1.0, 1.1)
_FIRST_WEIGHS = 6
_LEAST_L = 0.12
"""Of the scatter, even on a day of nearly nothing, as a share of the best day."""
_FROM_SHARE = 0.03
"""Days of which less is expected say nothing of the range of days that run."""
FORECAST_SIGMA_K = 1.0
"""Of a forecast for tomorrow; half as much again for each three days after it."""


class Learned:
    """What a woodlot's days have taught.

    Args:
        days: in any order, at most a few hundred: the newest are enough.
        rule: `by_the_rule`, or `by_warmth` for birch.
    """

    def __init__(
        self, days: Sequence[Day] = (), rule: Callable[[Weather, float], float] = by_the_rule
    ) -> None:
        self._rule = rule
        self.every = tuple(sorted(days, key=lambda day: day.day))
        told = [i for i, day in enumerate(self.every) if day.litres_per_tap is not None]
        self.days = tuple(self.every[i] for i in told)
        self._litres = np.array([d.litres_per_tap for d in self.days], dtype=float)
        self._trust = np.array([1 / max(d.days, 1) for d in self.days])
        self._order = np.array([d.day.toordinal() for d in self.days])
        self._seasons = np.array([d.day.year for d in self.days])
        self.wood, self._mornings = self._wood()
        self._held = np.array([self._mornings[i] for i in told])
        self._rules = self._by_the_rule(self._held)
        self._places = np.array(
            [
                (d.weather.night_c, d.weather.day_c, h)
                for d, h in zip(self.days, self._held, strict=True)
            ]
        ).reshape(len(self.days), 3)

    def _by_the_rule(self, held: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.array(
            [self._rule(d.weather, h) for d, h in zip(self.days, held, strict=True)], dtype=float
        )

    def _in_wood(self, wood: Wood) -> list[float]:
        """How full the wood was each morning; anew where days are missing."""
        found: list[float] = []
        start = 0
        for i, day in enumerate(self.every):
            last = i + 1 == len(self.every)
            if last or (self.every[i + 1].day - day.day).days > 1:
                found += wood.mornings([d.weather for d in self.every[start : i + 1]])
                start = i + 1
        return found

    def _wood(self) -> tuple[Wood, list[float]]:
        """The wood that bears out this woodlot's days best; the usual unless others are clearly better."""
        told = [i for i, day in enumerate(self.every) if day.litres_per_tap is not None]

        def off(wood: Wood) -> tuple[float, list[float]]:
            held = self._in_wood(wood)
            rules = self._by_the_rule(np.array([held[i] for i in told]))
            whole = float((rules * rules * self._trust).sum()) + 1e-9
            best = float((rules * self._litres * self._trust).sum()) / whole
            missed = float((self._trust * (self._litres - best * rules) ** 2).sum())
            unusual = (wood.well_c != FREEZES_WELL_C) + (wood.lets_go != LETS_GO)
            return len(told) * log(missed + 0.5) + _UNUSUAL_COSTS * unusual, held

        usual = Wood()
        if len(told) < _FEW_DAYS:
            return usual, self._in_wood(usual)
        tried = [Wood(c, go) for c in WELL_C_TRIED for go in LETS_GO_TRIED]
        found = {wood: off(wood) for wood in tried}
        best = min(found, key=lambda wood: found[wood][0])
        return best, found[best][1]

    @cached_property
    def best_l(self) -> float:
        """Litres from a tap on the best day, by all of its days."""
        rules, trust = self._rules, self._trust
        gave = _BEST_WEIGHS * BEST_L + float((trust * self._litres * rules).sum())
        return gave / (_BEST_WEIGHS + float((trust * rules * rules).sum()))

    @cached_property
    def _off_rule(self) -> NDArray[np.float64]:
        return self._litres - self.best_l * self._rules

    def _mean(
        self, weather: Weather, held: float, without: NDArray[np.bool_] | None = None
    ) -> float:
        """What such a day gives by all seasons, L a tap, without some of the days."""
        rule = self.best_l * self._rule(weather, held)
        if not self.days:
            return rule
        here = np.array((weather.night_c, weather.day_c, held))
        near = np.exp(-0.5 * (((self._places - here) / np.array(_WIDTH)) ** 2).sum(axis=1))
        near = near * self._trust
        if without is not None:
            near = np.where(without, 0.0, near)
        off = float((near * self._off_rule).sum()) / (_RULE_WEIGHS + float(near.sum()))
        return max(rule + off, 0.0)

    @cached_property
    def _alone(self) -> NDArray[np.float64]:
        """What was to be expected of each day by all others but those beside it."""
        found = np.zeros(len(self.days))
        for i, day in enumerate(self.days):
            beside = abs(self._order - self._order[i]) <= 1
            found[i] = self._mean(day.weather, float(self._held[i]), beside)
        return found

    def season_factor(self, on: date) -> float:
        """How this season goes against the others, by its days before one; 1 at its beginning."""
        if not self.days:
            return 1.0
        ago = on.toordinal() - self._order
        counts = (ago > 0) & (self._seasons == on.year)
        weights = np.where(counts, 0.5 ** (ago / _SEASON_HALVES_DAYS), 0.0)
        gave, due = float(weights @ self._litres), float(weights @ self._alone)
        steady = _SEASON_WEIGHS * self.best_l / 2
        return (gave + steady) / (due + steady)

    @cached_property
    def _spread(self) -> tuple[float, float]:
        """The ends of how far days lie from what was expected, in scatters."""
        found = []
        for i, day in enumerate(self.days):
            expected = float(self._alone[i]) * self.season_factor(day.day)
            if expected >= _FROM_SHARE * self.best_l and day.days == 1:
                found.append((float(self._litres[i]) - expected) / self._scatter(expected))
        weight = len(found) / (len(found) + _FIRST_WEIGHS)
        if not found:
            return _SPREAD_AT_FIRST
        low, high = np.quantile(found, (LOW, HIGH))
        first_low, first_high = _SPREAD_AT_FIRST
        return (
            weight * float(low) + (1 - weight) * first_low,
            weight * float(high) + (1 - weight) * first_high,
        )

    def _scatter(self, expected: float) -> float:
        return sqrt((_LEAST_L * self.best_l) ** 2 + (0.45 * expected) ** 2)

    def evening_before(self, on: date) -> float:
        """How full the wood is on the evening before a day, by the weather known up to it."""
        day = on - timedelta(days=1)
        i = next((i for i, d in enumerate(self.every) if d.day == day), None)
        if i is None:
            return AT_FIRST
        return self.wood.after_day(self._mornings[i], self.every[i].weather.day_c)

    def ahead(self, first: date, weather: Sequence[Weather]) -> list[Expected]:
        """What a tap gives on each of the days to come.

        Args:
            first: of them; the weather up to it is the woodlot's own days.
            weather: forecast for it and the days after it.
        """
        held, found = self.evening_before(first), []
        for i, one in enumerate(weather):
            sigma = forecast_sigma_k(i)
            found.append(self.expect(first + timedelta(days=i), one, held, sigma))
            held = self.wood.after_day(self.wood.after_night(held, one.night_c), one.day_c)
        return found

    def expect(
        self, on: date, weather: Weather, evening: float, weather_sigma_k: float = 0.0
    ) -> Expected:
        """What a tap gives on a day.

        Args:
            on: the day; earlier days of its season move it.
            weather: measured or forecast, degC.
            held: how full the wood was on the evening before, by `evening_before`.
            weather_sigma_k: one sigma of a forecast's temperatures, 0 to 10.
        """
        factor = self.season_factor(on)
        rule = self._rule(weather, self.wood.after_night(evening, weather.night_c))
        mean, wider = self._over_weather(weather, evening, weather_sigma_k)
        mean, wider = mean * factor, wider * factor
        if mean < 1e-3:
            return Expected(0.0, 0.0, 0.0, rule)
        low_z, high_z = self._spread
        scatter = self._scatter(mean)
        # A range that was learned from measured days is made wider by what the forecast may be off.
        low = mean - sqrt((min(low_z, 0.0) * scatter) ** 2 + (1.28 * wider) ** 2)
        high = mean + sqrt((max(high_z, 0.0) * scatter) ** 2 + (1.28 * wider) ** 2)
        return Expected(mean, max(low, 0.0), high, rule)

    def _over_weather(
        self, weather: Weather, evening: float, sigma_k: float
    ) -> tuple[float, float]:
        """Mean and one sigma over what the weather may be."""
        if sigma_k <= 0:
            return self._mean(weather, self.wood.after_night(evening, weather.night_c)), 0.0
        points = ((-1.732, 1 / 6), (0.0, 2 / 3), (1.732, 1 / 6))
        found = []
        for night_off, night_weight in points:
            for day_off, day_weight in points:
                day_c = weather.day_c + day_off * sigma_k
                night_c = min(weather.night_c + night_off * sigma_k, day_c)
                held = self.wood.after_night(evening, night_c)
                found.append((self._mean(Weather(night_c, day_c), held), night_weight * day_weight))
        mean = sum(litres * weight for litres, weight in found)
        spread = sum(weight * (litres - mean) ** 2 for litres, weight in found)
        return mean, sqrt(spread)


def forecast_sigma_k(days_ahead: int) -> float:
    """One sigma of a forecast's temperatures, K.

    Args:
        days_ahead: 0 for today.
    """
    return FORECAST_SIGMA_K * (1 + 0.5 * max(days_ahead - 1, 0) / 3)


def shared_out(litres_per_tap: float, days: Sequence[tuple[Weather, float]]) -> tuple[float, ...]:
    """What was gathered over some days, by day as the rule has it; evenly where it has nothing.

    Args:
        litres_per_tap: gathered in all.
        days: their weather and how full the wood was, at least one.
    """
    rules = [by_the_rule(weather, held) + 0.02 for weather, held in days]
    return tuple(litres_per_tap * rule / sum(rules) for rule in rules)

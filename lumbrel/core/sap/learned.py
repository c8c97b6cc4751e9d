"""What a woodlot's own record teaches of its runs."""

from collections.abc import Callable, Sequence
from datetime import date, timedelta
from functools import cached_property
from itertools import pairwise
from math import log, sqrt

import numpy as np
from numpy.typing import NDArray

from lumbrel.core.sap.running import (
    AT_FIRST,
    BEST_L,
    FEW_DAYS,
    FREEZES_WELL_C,
    HIGH,
    LETS_GO,
    LETS_GO_TRIED,
    LOW,
    UNUSUAL_COSTS,
    WELL_C_TRIED,
    Day,
    Expected,
    Weather,
    Wood,
    by_the_rule,
    forecast_sigma_k,
)

_WIDTH = (2.0, 2.5, 0.2)
"""How near nights, days and how full the wood is must be to tell of each other: K, K, share."""
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
        self._empty = np.array([rule(d.weather, 0.0) for d in self.days], dtype=float)
        self._full = np.array([rule(d.weather, 1.0) for d in self.days], dtype=float)
        self.wood, self._mornings = self._wood()
        self._held = np.array([self._mornings[i] for i in told])
        self._rules = self._by_the_rule(self._held)
        self._places = np.array(
            [(d.weather.night_c, d.weather.day_c, h) for d, h in zip(self.days, self._held, strict=True)]
        ).reshape(len(self.days), 3)

    def _by_the_rule(self, held: NDArray[np.float64]) -> NDArray[np.float64]:
        """What the rule alone gives; it goes evenly with how full the wood is."""
        by_rule: NDArray[np.float64] = self._empty + (self._full - self._empty) * held
        return by_rule

    @cached_property
    def _spells(self) -> list[tuple[Weather, ...]]:
        """The weather of days that follow each other, anew where days are missing."""
        ends = [
            i + 1 for i, (one, after) in enumerate(pairwise(self.every)) if (after.day - one.day).days > 1
        ]
        bounds = [0, *ends, len(self.every)]
        return [tuple(day.weather for day in self.every[start:end]) for start, end in pairwise(bounds)]

    def _in_wood(self, wood: Wood) -> list[float]:
        """How full the wood was each morning."""
        return [held for spell in self._spells for held in wood.mornings(spell)]

    def _wood(self) -> tuple[Wood, list[float]]:
        """The wood that bears out this woodlot's days best; the usual unless others are clearly better."""
        told = [i for i, day in enumerate(self.every) if day.litres_per_tap is not None]

        def off(wood: Wood) -> tuple[float, list[float]]:
            held = self._in_wood(wood)
            rules = self._by_the_rule(np.array(held)[told])
            whole = float((rules * rules * self._trust).sum()) + 1e-9
            best = float((rules * self._litres * self._trust).sum()) / whole
            missed = float((self._trust * (self._litres - best * rules) ** 2).sum())
            unusual = (wood.well_c != FREEZES_WELL_C) + (wood.lets_go != LETS_GO)
            return len(told) * log(missed + 0.5) + UNUSUAL_COSTS * unusual, held

        usual = Wood()
        if len(told) < FEW_DAYS:
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

    def _means(self, days: Sequence[tuple[Weather, float]]) -> NDArray[np.float64]:
        """What such days give by all seasons, L a tap: their weather, and how full the wood is."""
        rules: NDArray[np.float64] = self.best_l * np.array([self._rule(*one) for one in days])
        if not self.days:
            return rules
        here = np.array([(weather.night_c, weather.day_c, held) for weather, held in days])
        apart = (self._places[None] - here[:, None]) / np.array(_WIDTH)
        near = np.exp(-0.5 * (apart**2).sum(axis=2)) * self._trust
        off = (near * self._off_rule).sum(axis=1) / (_RULE_WEIGHS + near.sum(axis=1))
        means: NDArray[np.float64] = np.maximum(rules + off, 0.0)
        return means

    @cached_property
    def _alone(self) -> NDArray[np.float64]:
        """What was to be expected of each day by all others but those beside it."""
        apart = (self._places[:, None] - self._places[None]) / np.array(_WIDTH)
        near = np.exp(-0.5 * (apart**2).sum(axis=2)) * self._trust
        near[abs(self._order[:, None] - self._order[None]) <= 1] = 0.0
        off = (near * self._off_rule).sum(axis=1) / (_RULE_WEIGHS + near.sum(axis=1))
        expected: NDArray[np.float64] = np.maximum(self.best_l * self._rules + off, 0.0)
        return expected

    def season_factor(self, on: date) -> float:
        """How this season goes against the others, by its days before one; 1 at its beginning."""
        return float(self._factors(np.array([on.toordinal()]), np.array([on.year]))[0])

    def _factors(self, orders: NDArray[np.int_], seasons: NDArray[np.int_]) -> NDArray[np.float64]:
        """The same for several days."""
        if not self.days:
            return np.ones(len(orders))
        ago = orders[:, None] - self._order[None]
        counts = (ago > 0) & (self._seasons[None] == seasons[:, None])
        weights = np.where(counts, 0.5 ** (ago / _SEASON_HALVES_DAYS), 0.0)
        steady = _SEASON_WEIGHS * self.best_l / 2
        factors: NDArray[np.float64] = (weights @ self._litres + steady) / (weights @ self._alone + steady)
        return factors

    @cached_property
    def _spread(self) -> tuple[float, float]:
        """The ends of how far days lie from what was expected, in scatters."""
        expected = self._alone * self._factors(self._order, self._seasons)
        ran = (expected >= _FROM_SHARE * self.best_l) & (self._trust == 1.0)
        scatter = np.sqrt((_LEAST_L * self.best_l) ** 2 + (0.45 * expected) ** 2)
        found = ((self._litres - expected) / scatter)[ran]
        weight = len(found) / (len(found) + _FIRST_WEIGHS)
        if not len(found):
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

    def expect(self, on: date, weather: Weather, evening: float, weather_sigma_k: float = 0.0) -> Expected:
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

    def _over_weather(self, weather: Weather, evening: float, sigma_k: float) -> tuple[float, float]:
        """Mean and one sigma over what the weather may be."""
        points = ((-1.732, 1 / 6), (0.0, 2 / 3), (1.732, 1 / 6)) if sigma_k > 0 else ((0.0, 1.0),)
        days, weights = [], []
        for night_off, night_weight in points:
            for day_off, day_weight in points:
                day_c = weather.day_c + day_off * sigma_k
                night_c = min(weather.night_c + night_off * sigma_k, day_c)
                held = self.wood.after_night(evening, night_c)
                days.append((Weather(night_c, day_c), held))
                weights.append(night_weight * day_weight)
        litres, share = self._means(days), np.array(weights)
        mean = float(litres @ share)
        spread = float((litres - mean) ** 2 @ share)
        return mean, sqrt(spread)

"""The simulated outdoors: a weather station with its forecast, and trees that run by frost and thaw.

The trees know nothing of the rule that Lumbrel forecasts by: frost draws water into the wood hour by hour,
thaw lets it out as fast as it is warm and as long as there is any, holes dry up, and a wind from
nowhere takes a part of it.
"""

import random
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from functools import lru_cache
from math import cos, exp, pi

HOUR = timedelta(hours=1)


@dataclass(frozen=True, kw_only=True)
class Winter:
    """One winter's end, hour by hour, in the kitchen's own time.

    Args:
        seed: of its chances.
        first: its first day; nothing is known before it.
        days: how many.
        coldest_c, warms_k_a_day: the usual mean at its beginning, and how it climbs.
    """

    seed: int
    first: date
    days: int = 75
    coldest_c: float = -4.5
    warms_k_a_day: float = 0.17
    swings_k: float = 3.6
    """One sigma of what comes over it for some days."""

    def hourly(self) -> tuple[float, ...]:
        """The temperature of each hour from the first day's midnight on, degC."""
        return _hours(self)

    def temperature_c(self, at: datetime) -> float:
        """The temperature at a moment of local time, degC; the nearest known hour's."""
        start = datetime.combine(self.first, datetime.min.time(), at.tzinfo)
        i = int((at - start) / HOUR)
        hours = self.hourly()
        return hours[min(max(i, 0), len(hours) - 1)]

    def night_and_day(self, on: date) -> tuple[float, float]:
        """The lowest from the evening before to the morning, and the highest of the day, degC."""
        noon = (on - self.first).days * 24
        hours = self.hourly()
        night = hours[max(noon - 6, 0) : max(noon + 9, 1)]
        day = hours[max(noon + 8, 0) : max(noon + 20, 1)]
        return min(night or hours[-24:]), max(max(day or hours[-24:]), min(night or hours[-24:]))

    def forecast(self, issued: date, on: date) -> tuple[float, float]:
        """What a forecast of one day says of another, degC: the farther ahead, the more it is off."""
        night, day = self.night_and_day(on)
        ahead = max((on - issued).days, 0)
        chance = random.Random(f"{self.seed} {issued} {on}")
        # What a forecast gets wrong it gets wrong for the night and the day alike, mostly.
        sigma = 0.6 + 0.25 * ahead
        shared = chance.gauss(0, sigma)
        night += shared + chance.gauss(0, 0.5 * sigma)
        day += shared + chance.gauss(0, 0.5 * sigma)
        return round(min(night, day), 1), round(max(night, day), 1)


@lru_cache(64)
def _hours(weather: Winter) -> tuple[float, ...]:
    chance = random.Random(f"weather {weather.seed}")
    found: list[float] = []
    over, cloud = chance.gauss(0, weather.swings_k), chance.random()
    for day in range(weather.days):
        over = 0.72 * over + chance.gauss(0, weather.swings_k * 0.69)
        cloud = min(max(0.6 * cloud + 0.4 * chance.random() * 1.3, 0.0), 1.0)
        half = 6.8 - 4.6 * cloud
        mean = weather.coldest_c + weather.warms_k_a_day * day + over
        found += [mean + half * cos(2 * pi * (hour - 15) / 24) for hour in range(24)]
    # Two days' means meet during the night, not at a stroke.
    smooth = [
        sum(found[max(i - 3, 0) : i + 4]) / len(found[max(i - 3, 0) : i + 4]) for i in range(len(found))
    ]
    return tuple(smooth)


@dataclass(kw_only=True)
class Trees:
    """The trees of a woodlot in one season, as sap sees them.

    Args:
        vigour: what a tap gives beside the usual.
        brix: of the sap at the height of the season.
        dries_days: holes lose half their flow in so many days.
        hasty: how fast what frost drew in comes out again, a degree and hour.
    """

    seed: int
    weather: Winter
    vigour: float = 1.0
    brix: float = 2.1
    dries_days: float = 40.0
    hasty: float = 0.022
    drawn: float = field(default=0.35, init=False)
    """Of what the wood can hold."""

    def days(self) -> Iterator[tuple[date, float, float]]:
        """Each day with the litres that a tap gives on it, and their Brix."""
        chance = random.Random(f"trees {self.seed} {self.weather.seed}")
        hours = self.weather.hourly()
        windy = 0.0
        for number in range(self.weather.days):
            windy = 0.4 * windy + chance.gauss(0, 0.2)
            gave = 0.0
            for hour in range(24):
                gave += self._hour(hours[number * 24 + hour])
            fresh = 0.5 ** (number / self.dries_days)
            litres = 9.5 * gave * self.vigour * fresh * exp(windy)
            drift = 0.35 - 0.9 * (number / self.weather.days) ** 2
            brix = max(self.brix + drift + chance.gauss(0, 0.08), 0.6)
            yield self.weather.first + timedelta(days=number), litres, brix

    def _hour(self, temperature_c: float) -> float:
        """What comes out in an hour, of what the wood can hold; frost draws in."""
        if temperature_c < -0.5:
            cold = min((-0.5 - temperature_c) / 3.0, 1.0)
            self.drawn += (1.0 - self.drawn) * 0.11 * cold
            return 0.0
        if temperature_c < 0.8:
            return 0.0
        out = self.drawn * (1 - exp(-self.hasty * min(temperature_c, 9.0)))
        self.drawn -= out
        return out


def station_of(year: int) -> Winter:
    """The simulated weather station that ships, in the winter's end of a year."""
    return Winter(seed=418 + year, first=date(year, 2, 10), days=80)


@dataclass(kw_only=True)
class Birches:
    """Birches: they run once the ground is warm, for some three weeks, more on warm days."""

    seed: int
    weather: Winter
    brix: float = 0.85
    wakes_at: float = 120.0
    """Degree days above freezing from which they run."""

    def days(self) -> Iterator[tuple[date, float, float]]:
        """Each day with the litres that a tap gives on it, and their Brix."""
        chance = random.Random(f"birch {self.seed} {self.weather.seed}")
        hours = self.weather.hourly()
        warmed, ran = 0.0, 0
        for number in range(self.weather.days):
            mean = sum(hours[24 * number : 24 * number + 24]) / 24
            warmed += max(mean, 0.0)
            litres = 0.0
            if warmed > self.wakes_at and ran < 24:
                ran += 1
                rise = min(ran / 5, 1.0) * (1 - max(ran - 14, 0) / 12)
                litres = max(0.7 * mean * rise, 0.0) * exp(chance.gauss(0, 0.2))
            brix = max(self.brix + chance.gauss(0, 0.05), 0.5)
            yield self.weather.first + timedelta(days=number), litres, brix

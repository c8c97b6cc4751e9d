"""Woodlots of another make than the ones that ship: what the last frost stored, faded by the days since, let out by the
thaw, through a hole that grows old; some under vacuum. Weather by its own chances, forecasts that are off."""

import random
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from math import cos, exp, pi


@dataclass(frozen=True)
class SapDay:
    """A day: its night and its highest, degC; and what a tap gave, L."""

    day: date
    night_c: float
    day_c: float
    litres: float


class Woodlot:
    """One woodlot with its weather; each seed another one."""

    def __init__(self, seed: object, vacuum: bool | None = None) -> None:
        self.rng = rng = random.Random(f"woods {seed}")
        some = rng.uniform
        self.frost_kh, self.thaw_kh = some(15, 50), some(15, 60)
        self.fades, self.hole_days = 0.5 ** (1 / some(2, 3)), some(21, 42)
        self.best_l, self.noise = some(2, 6), some(0.2, 0.4)
        self.vacuum = some(0.3, 0.8) if (rng.random() < 0.25 if vacuum is None else vacuum) else 0.0
        self.mean_c, self.climbs, self.swing, self.half = (
            some(-6, -1),
            some(0.1, 0.25),
            some(2, 4),
            some(3, 7),
        )

    def season(self, year: int, days: int = 60) -> Iterator[SapDay]:
        """The days of a season, tapped on its first."""
        rng, over, lasting, stored = random.Random(f"{self.rng.random()} {year}"), 0.0, 0.0, 0.0
        before = self.mean_c + self.half
        for number in range(days):
            over = 0.65 * over + rng.gauss(0, 0.76 * self.swing)
            half = self.half * rng.uniform(0.4, 1.4)
            mean = self.mean_c + self.climbs * number + over
            low, high = mean - half, mean + half
            night = [low + (before - low) * (0.5 + 0.5 * cos(pi * i / 12)) for i in range(13)]
            under = sum(max(-0.5 - c, 0) for c in night)
            daytime = [low + (high - low) * (0.5 - 0.5 * cos(2 * pi * i / 14)) for i in range(14)]
            above = sum(min(max(c - 0.3, 0), 10) for c in daytime)
            stored *= self.fades
            if under > 2:
                stored = max(stored, 1 - exp(-under / self.frost_kh))
            thaw = 1 - exp(-above / self.thaw_kh)
            lasting = 0.3 * lasting + rng.gauss(0, 0.5 * self.noise)
            gave = self.best_l * (stored + self.vacuum * (high > 1)) * thaw * 0.5 ** (number / self.hole_days)
            gave *= exp(lasting + rng.gauss(0, 0.8 * self.noise))
            before = high
            yield SapDay(date(year, 2, 25) + timedelta(days=number), low, high, gave)

    def forecast(self, true: SapDay, ahead: int) -> tuple[float, float]:
        """What is said of a day so many days before, degC."""
        shared, sigma = self.rng.gauss(0, 0.7 + 0.35 * ahead), 0.4 + 0.2 * ahead
        low, high = (
            true.night_c + shared + self.rng.gauss(0, sigma),
            true.day_c + shared + self.rng.gauss(0, sigma),
        )
        return min(low, high), max(low, high)

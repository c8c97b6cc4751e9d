"""Kettles as kitchens have them: walls, an open top that steams, a lid now and then, jars scooped out of them, a probe
held in by hand. Heat by its own balance, not by any law that is fitted to it."""

import random
from dataclasses import dataclass, field
from math import exp, pi

COLD_C = 82.0
STEP_MIN = 0.05


def steam_kpa(at_c: float) -> float:
    """What steam presses over water."""
    return 0.61078 * exp(17.27 * at_c / (at_c + 237.3))


STEAM_AT_95 = 0.93 * steam_kpa(95) - 0.6 * steam_kpa(20)


@dataclass
class HarshKettle:
    """A pot of syrup off the fire; each seed another one."""

    rng: random.Random
    at_c: float = 0.0
    kg: float = 0.0

    def __post_init__(self) -> None:
        some = self.rng.uniform
        self.room_c, self.at_c = some(8, 30), some(88, 97)
        self.kg = self.whole_kg = some(2, 8) if self.rng.random() < 0.5 else some(8, 25)
        litres = self.kg / 1.32
        self.wide_m = some(0.9, 1.6) * (litres / 1000 * 4 / pi) ** (1 / 3)
        self.top_m2 = pi * self.wide_m**2 / 4
        self.pot_kj = (0.3 + 0.12 * litres) * some(0.6, 1.5)
        self.wall_w, self.steam_w, self.syrup_kj = some(8, 14), some(1000, 2000), some(2.6, 3.0)
        self.lid = self.rng.random() < 0.3

    def cool(self, taken_kg: float = 0.0) -> None:
        """One step on."""
        self.kg = max(self.kg - taken_kg, 0.02 * self.whole_kg)
        side_m2 = pi * self.wide_m * self.kg / 1320 / self.top_m2 + self.top_m2 / 2
        steam = (
            self.steam_w * max(0.93 * steam_kpa(self.at_c) - 0.6 * steam_kpa(self.room_c), 0) / STEAM_AT_95
        )
        over = self.at_c - self.room_c
        top = self.wall_w * over * (0.6 if self.lid else 1) + steam * (0.25 if self.lid else 1)
        lost_w = self.wall_w * side_m2 * over + top * self.top_m2
        heat_kj = self.kg * self.syrup_kj + self.pot_kj * (0.4 + 0.6 * self.kg / self.whole_kg)
        self.at_c -= lost_w * STEP_MIN * 60 / 1000 / heat_kj


@dataclass
class Filled:
    """An hour at the kettle: what was read of it, what was noted as filled, and when it was too cold."""

    whole_kg: float
    readings: list[tuple[float, float]] = field(default_factory=list)
    taken: list[tuple[float, float]] = field(default_factory=list)
    cold_at: float = 0.0


def fill(seed: int, scooped: bool = True) -> Filled:
    """Jars filled at somebody's own pace, noted by the handful, with pauses; or nobody fills any."""
    rng = random.Random(seed)
    kettle = HarshKettle(rng)
    jar_kg = 1.32 * rng.choice((0.25, 0.5, 0.5, 1.0))
    pace, every, noise = (
        rng.uniform(0.35, 2.0) * jar_kg / 0.66,
        rng.choice((2, 3, 4, 5)),
        rng.uniform(0.1, 0.3),
    )
    pauses, told = rng.random() < 0.3, Filled(kettle.whole_kg)
    jar_at = rng.uniform(0.5, 5) if scooped else 999.0
    read_at, note_at, noting, minute = rng.uniform(0.2, 1.0), jar_at + rng.uniform(2, 5), 0.0, 0.0
    while kettle.at_c > COLD_C and minute < 240:
        taken = 0.0
        if minute >= jar_at and kettle.kg > 1.05 * jar_kg:
            taken = jar_kg
            jar_at = (
                minute
                + pace * rng.uniform(0.7, 1.4)
                + (rng.uniform(2, 6) if pauses and rng.random() < 0.1 else 0)
            )
        noting += taken
        if minute >= note_at and noting:
            told.taken.append((minute, noting))
            noting, note_at = 0.0, minute + rng.uniform(2, 6)
        if minute >= read_at:
            unstirred = rng.uniform(0.3, 0.9) if rng.random() < 0.15 else 0.0
            told.readings.append((minute, kettle.at_c + rng.gauss(0, noise) - unstirred))
            read_at = minute + every * rng.uniform(0.7, 1.4)
        kettle.cool(taken)
        minute += STEP_MIN
    told.cold_at = minute
    return told

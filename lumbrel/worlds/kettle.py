"""Kettles as kitchens have them: walls, an open top that steams, a lid now and then, jars scooped out of them. Heat by
its own balance, not by any law that is fitted to it."""

import random
from dataclasses import dataclass
from math import exp, pi

REHEATED_C, STEP_MIN = 94.0, 0.05


def steam_kpa(at_c: float) -> float:
    """What steam presses over water."""
    return 0.61078 * exp(17.27 * at_c / (at_c + 237.3))


STEAM_AT_95 = 0.93 * steam_kpa(95) - 0.6 * steam_kpa(20)


@dataclass
class HarshKettle:
    """A pot of syrup off the fire; each seed another one.

    Args:
        kg: that was poured into it.
    """

    rng: random.Random
    kg: float
    at_c: float = 0.0

    def __post_init__(self) -> None:
        some = self.rng.uniform
        self.room_c, self.at_c, self.whole_kg = some(8, 30), some(88, 97), self.kg
        litres = self.kg / 1.32
        self.wide_m = some(0.9, 1.6) * (litres / 1000 * 4 / pi) ** (1 / 3)
        self.top_m2 = pi * self.wide_m**2 / 4
        self.pot_kj = (0.3 + 0.12 * litres) * some(0.6, 1.5)
        self.wall_w, self.steam_w, self.syrup_kj = some(8, 14), some(1000, 2000), some(2.6, 3.0)
        self.lid = self.rng.random() < 0.3

    def reheat(self) -> None:
        """It goes back on the fire for a while."""
        self.at_c = max(self.at_c, REHEATED_C)

    def cool(self, taken_kg: float = 0.0) -> None:
        """One step on, something scooped out of it."""
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

"""Pots of candy that cool, read by somebody: half of them in the shells of `HarshBath`, half in the plainest of worlds."""

import random
from dataclasses import dataclass, field
from math import exp, inf

from lumbrel.worlds.bath import HarshBath

STEP_S = 3.0
SIX_HOURS = 360.0


@dataclass
class Cooled:
    """A pot that cooled: what was read of it, and when it was there; infinite where it never is."""

    pot: HarshBath
    hot_c: float
    bath_c: float
    readings: list[tuple[float, float]] = field(default_factory=list)
    there_at: float = inf


class Plain:
    """Two bodies, and a core that lags behind its wall."""

    def __init__(self, pot: HarshBath) -> None:
        self.pot, self.wall_c, self.core_c = pot, pot.hot_c, pot.hot_c

    def step(self, seconds: float) -> None:
        """Let time pass."""
        pot = self.pot
        lost = pot.film_w * pot.wall_m2 * (self.wall_c - pot.bath_c) / 1000 * seconds
        self.wall_c -= lost / pot.syrup_kj
        self.core_c += (self.wall_c - self.core_c) * seconds / 60 / pot.core_lag_min
        if pot.ice_kg > 0:
            pot.ice_kg -= lost / 334
            pot.bath_c = 0.0
        elif pot.bath != "bench" and not pot.running:
            pot.bath_c += lost / (4.19 * pot.litres)


def cool(seed: object, bath: str, to_c: float, *, dial: bool, running: bool = False) -> Cooled:
    """A pot read while it cools: by a probe each minute, or by a dial now and then."""
    rng = random.Random(f"baths {seed} {bath} {to_c} {dial} {running}")
    pot = HarshBath(rng=rng, kg=rng.uniform(0.8, 6.0), hot_c=rng.uniform(109, 122))
    pot.put(bath, running=running)
    body = Plain(pot) if rng.random() < 0.5 else pot
    off, lag_s, noise = rng.gauss(0, 0.3 if dial else 0.1), rng.uniform(10, 50), 0.25 if dial else 0.1
    told = Cooled(pot, hot_c=pot.hot_c + off + rng.gauss(0, noise), bath_c=pot.bath_c)
    shown, minute, due = pot.hot_c, 0.0, rng.uniform(0.5, 3)
    while minute < SIX_HOURS:
        body.step(STEP_S)
        minute += STEP_S / 60
        shown += (body.core_c - shown) * (1 - exp(-STEP_S / lag_s))
        if shown + off <= to_c:
            told.there_at = minute
            break
        if minute >= due:
            read = shown + off + rng.gauss(0, noise)
            told.readings.append((minute, round(read * 1.8) / 1.8 if dial else read))
            due = minute + (rng.uniform(2, 6) if dial else 1.0)
    return told

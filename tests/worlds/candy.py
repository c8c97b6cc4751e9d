"""Candy pots as a test meets them: boils of another world than the one they are judged by."""

import random
from dataclasses import dataclass

from lumbrel.core.candy.boil import PotReading
from lumbrel.worlds.pan import Departures
from lumbrel.worlds.pot import HarshCandyPot

MARKS_K = (12.6, 14.4, 18.2, 23.5)


@dataclass(frozen=True)
class Boiled:
    """A boil to a mark: what its thermometer showed, when it was there, in which air."""

    readings: list[PotReading]
    minutes: float
    mark_k: float
    pressure_pa: float
    solids_kg: float


def boiled(rng: random.Random, live: bool) -> Boiled:
    """A pot boiled to a mark, its fire turned for good once in five."""
    mark = rng.choice(MARKS_K)
    pot = HarshCandyPot(
        mass_kg=rng.uniform(1.0, 6.0),
        brix=rng.uniform(65.5, 68.0),
        temperature_c=rng.uniform(18, 80),
        rate_kg_per_min=rng.uniform(0.02, 0.055),
        pressure_pa=rng.uniform(86_000, 103_000),
        departs=Departures.drawn(rng),
        rng=random.Random(rng.random()),
        invert_fraction=rng.choice((0.005, 0.01, 0.03)),
        bend_sigma=rng.gauss(0, 1),
    )
    water, solids = pot.water_c, pot.mass_kg * pot.brix / 100
    turns = rng.uniform(5, 15) if rng.random() < 0.2 else 1e9
    found, second, due = [], 0, 0.0
    while pot.temperature_c - pot.water_c < mark and second < 3 * 3600:
        pot.step(1.0)
        second += 1
        if second / 60 > turns:
            pot.turn(rng.choice((0.75, 1.3)))
            turns = 1e9
        if second >= due:
            shown = pot.probe_c + (0 if live else rng.gauss(0, 0.25))
            shown = shown if live else round(shown * 1.8) / 1.8
            due = second + (20 if live else rng.uniform(60, 200))
            if shown - water > 3.0:
                found.append(PotReading(second / 60, shown - water, 0.12 if live else 0.3))
    return Boiled(found, second / 60, mark, pot.pressure_pa, solids)

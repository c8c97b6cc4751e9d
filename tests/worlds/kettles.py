"""An hour at the kettle: a probe held in by hand, jars noted by the handful, pauses."""

import random
from dataclasses import dataclass, field

from lumbrel.worlds.kettle import STEP_MIN, HarshKettle

COLD_C = 82.0


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
    kettle = HarshKettle(rng, rng.uniform(2, 8) if rng.random() < 0.5 else rng.uniform(8, 25))
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

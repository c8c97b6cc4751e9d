"""After the pan: photographs by cameras that nobody tuned for, a jar plan, a slider that is dragged."""

import io
import random
import time

import numpy as np
from PIL import Image

from lumbrel.core.colour.grades import CLASSES, colour_class
from lumbrel.core.colour.photo import Pixels, judge
from lumbrel.core.jar.plan import plan
from tests.worlds.photographs import BLANK, SAMPLE, Box, take

PHOTOGRAPHS, FIRST_SEED = 120, 90_210
SURE, WELL_INSIDE = 0.9, 8.0


def _cut(pixels: Pixels, box: Box) -> Pixels:
    high, wide = pixels.shape[:2]
    x, y, w, h = box
    return pixels[int(y * high) : int((y + h) * high), int(x * wide) : int((x + w) * wide)]


def photographs(rounds: int = 5) -> list[tuple[str, float, float, float]]:
    """How often the true class is in the 90 % set, and how often one well inside gets one name."""
    held = named = well = wrong = 0
    for seed in range(FIRST_SEED, FIRST_SEED + rounds):
        chance = random.Random(seed)
        for _ in range(PHOTOGRAPHS):
            light = chance.uniform(3, 97)
            made = take(chance, light, chance.choice(["PNG", "JPEG", "WEBP"]))
            with Image.open(io.BytesIO(made.picture)) as picture:
                pixels = np.asarray(picture.convert("RGB"))
            chances = judge(_cut(pixels, BLANK), _cut(pixels, SAMPLE), made.path_mm).chances
            likely: list[str] = []
            for name in sorted(chances, key=lambda name: -chances[name]):
                likely.append(name)
                if sum(chances[n] for n in likely) >= SURE:
                    break
            true = colour_class(light)
            held += true in likely
            wrong += len(likely) == 1 and likely[0] != true
            if all(abs(light - edge) >= WELL_INSIDE for _, edge, _ in CLASSES if edge):
                well += 1
                named += len(likely) == 1
    count = rounds * PHOTOGRAPHS
    return [
        ("photographs: true class first or in the 90 % set, %", 100 * held / count, 95, 100),
        ("photographs: one name for those well inside a class, %", 100 * named / well, 50, 100),
        ("photographs: one name, and a wrong one, %", 100 * wrong / count, 0, 3),
    ]


def measures() -> list[tuple[str, float, float]]:
    """Milliseconds of the slowest jar plan."""
    chance = random.Random(7)
    slowest = 0.0
    for _ in range(200):
        sizes = chance.sample([50, 60, 100, 189, 236.6, 250, 375, 473, 500, 540, 750, 1000], 5)
        began = time.perf_counter()
        plan(chance.uniform(2000, 60_000), sizes)
        slowest = max(slowest, time.perf_counter() - began)
    return [("ms for the slowest of 200 jar plans", 1000 * slowest, 50.0)]

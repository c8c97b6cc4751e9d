"""Photographs of two vials as kitchens take them: other curves of colour, cameras and lamps than those that are believed
in, a white balance that undoes a part of the lamp, an uneven light, grain, and a file."""

import io
import random

import numpy as np
from numpy.typing import NDArray
from PIL import Image

Floats = NDArray[np.float64]
WIDE, HIGH = 960, 640
VIALS = (0.14, 0.60)
"""How far from the left each stands: the blank, and the syrup."""
VIAL_WIDE, VIAL_TOP, VIAL_HIGH, EDGE = 0.26, 0.16, 0.7, 0.008
NM = np.arange(400.0, 701.0, 5.0)
LAMPS = ("window", "warm", "cool", "tube", "tungsten")


def lit(chance: random.Random, transmittance_percent: float, lamp: str, path_mm: float) -> bytes:
    """A blank on the left, syrup on the right, before a white sheet under a lamp; a JPEG file.

    Args:
        transmittance_percent: of the syrup at 560 nm through 10 mm.
        lamp: one of `LAMPS`.
        path_mm: inside width of both vials.
    """
    steep = chance.uniform(4.5, 8.5)
    through = 10 ** -(-np.log10(transmittance_percent / 100) * path_mm / 10 * (560 / NM) ** steep)
    spectrum, camera = _named(chance, lamp), camera_of(chance)
    matrix = stronger(chance.uniform(0.0, 0.4))
    white, seen = camera @ spectrum, camera @ (spectrum * through)
    day = camera @ _named(chance, "window")
    undone = chance.uniform(0.5, 1.0)
    gains = 1 / (day * (white / day / (white / day)[1]) ** undone)
    gains *= chance.uniform(0.45, 0.8) / float((matrix @ (white * gains)).max())
    light = np.ones((HIGH, WIDE, 3)) * (white * gains)
    for left, colour in zip(VIALS, (white, seen), strict=True):
        fill(light, left, matrix @ (colour * gains))
    light *= uneven(chance)[..., None]
    light += chance.uniform(0.0, 0.012)
    return developed(chance, light, "JPEG")


def fill(light: Floats, left: float, colour: Floats) -> None:
    """Stand a vial in the light, with its darker edges."""
    x0, x1, edge = round(left * WIDE), round((left + VIAL_WIDE) * WIDE), round(EDGE * WIDE)
    y0, y1 = round(VIAL_TOP * HIGH), round((VIAL_TOP + VIAL_HIGH) * HIGH)
    light[y0:y1, x0:x1] = np.maximum(colour, 0.0)
    for at in (x0, x1 - edge):
        light[y0:y1, at : at + edge] *= 0.7


def camera_of(chance: random.Random) -> Floats:
    """What a camera's three pixels see."""
    rows = []
    for middle, width in ((602, 36), (537, 38), (460, 30)):
        shifted = middle + chance.uniform(-7, 7)
        rows.append(np.exp(-(((NM - shifted) / (width * chance.uniform(0.9, 1.12))) ** 2)))
    return np.array(rows)


def stronger(more: float) -> Floats:
    """Colours made stronger, white left white."""
    return (1 + more) * np.eye(3) - more / 3


def uneven(chance: random.Random) -> Floats:
    """Less light towards the corners, and from one side."""
    ys, xs = np.mgrid[-1 : 1 : HIGH * 1j, -1 : 1 : WIDE * 1j]
    fall = 1 - chance.uniform(0.0, 0.22) * (xs**2 + ys**2) / 2
    return np.asarray(fall * (1 + chance.uniform(-0.06, 0.06) * xs + chance.uniform(-0.06, 0.06) * ys))


def developed(chance: random.Random, light: Floats, kind: str) -> bytes:
    """Tone curve, noise, and a file."""
    encoded = np.clip(light, 0, 1) ** (1 / chance.uniform(2.0, 2.45))
    bent = chance.uniform(0.0, 0.22)
    encoded = (1 - bent) * encoded + bent * (3 * encoded**2 - 2 * encoded**3)
    grain = np.random.default_rng(chance.randrange(2**32))
    noisy = 255 * encoded + grain.normal(0, chance.uniform(0.8, 4.0), encoded.shape)
    picture = Image.fromarray(np.clip(noisy, 0, 255).round().astype(np.uint8))
    out = io.BytesIO()
    quality = {} if kind == "PNG" else {"quality": chance.randint(72, 95)}
    picture.save(out, kind, **quality)
    return out.getvalue()


def _named(chance: random.Random, lamp: str) -> Floats:
    def line(middle: float, wide: float) -> Floats:
        return np.asarray(1 / (1 + ((NM - middle) / wide) ** 2))

    if lamp == "window":
        return np.asarray(1 - chance.uniform(0.0, 0.35) * (NM - 550) / 150 - 0.1 * line(430, 15))
    if lamp == "tungsten":
        return np.asarray((NM / 560) ** chance.uniform(4.0, 5.5))
    if lamp == "tube":
        lines = (
            chance.uniform(0.7, 1.2) * line(611, 6) + line(544, 6) + 0.5 * line(436, 5) + 0.35 * line(490, 12)
        )
        return np.asarray(lines + 0.15 * line(585, 8) + 0.05)
    middle, blue = (chance.uniform(590, 612), 0.25) if lamp == "warm" else (chance.uniform(548, 570), 0.9)
    return np.asarray(blue * np.exp(-(((NM - 450) / 13) ** 2)) + np.exp(-(((NM - middle) / 78) ** 2)) + 0.01)

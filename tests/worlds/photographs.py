"""Photographs of two vials as another world takes them: another curve of colour, another camera, lamp and
glass than the ones that Lumbrel believes in."""

import io
import random
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image

Box = tuple[float, float, float, float]
Floats = NDArray[np.float64]
WIDE, HIGH = 480, 320
BLANK: Box = (0.20, 0.25, 0.16, 0.5)
SAMPLE: Box = (0.62, 0.25, 0.16, 0.5)
_NM = np.arange(400.0, 701.0, 5.0)


@dataclass(frozen=True)
class Taken:
    """A photograph, and what is true of it."""

    picture: bytes
    transmittance_percent: float
    path_mm: float


def take(chance: random.Random, transmittance_percent: float, kind: str = "JPEG") -> Taken:
    """A photograph of a blank and of a sample of this transmittance (560 nm, 10 mm)."""
    path = chance.choice([10.0, 12.5, 16.0, 25.0])
    steep = chance.uniform(4.5, 8.5)
    absorbance = -np.log10(transmittance_percent / 100) * path / 10 * (560 / _NM) ** steep
    # The vial is not quite as wide as it is said to be.
    through = 10 ** -(absorbance * chance.uniform(0.97, 1.03))
    lamp = _lamp(chance)
    camera = _camera(chance)
    matrix = _matrix(chance.uniform(0.0, 0.45))
    white, seen = camera @ lamp, camera @ (lamp * through)
    gains = np.array([chance.uniform(0.88, 1.12) for _ in range(3)]) / white
    exposure = chance.uniform(0.35, 0.85)
    light = np.ones((HIGH, WIDE, 3)) * exposure * 0.85
    _fill(light, BLANK, matrix @ (white * gains) * exposure)
    _fill(light, SAMPLE, matrix @ (seen * gains) * exposure)
    light *= _uneven(chance)[..., None]
    light += exposure * chance.uniform(0.0, 0.02)
    for box in (BLANK, SAMPLE):
        _gleam(chance, light, box, exposure)
    return Taken(_developed(chance, light, kind), transmittance_percent, path)


def _lamp(chance: random.Random) -> Floats:
    """Daylight, a lamp, or a white diode with its blue peak."""
    warm = chance.uniform(-0.6, 1.0)
    smooth = 1 + warm * (_NM - 550) / 400
    if chance.random() < 0.4:
        peak = 0.8 * np.exp(-(((_NM - 452) / 14) ** 2))
        smooth = peak + np.exp(-(((_NM - chance.uniform(555, 585)) / 62) ** 2))
    return np.maximum(np.asarray(smooth), 0.02)


def _camera(chance: random.Random) -> Floats:
    """What its three pixels see."""
    rows = []
    for middle, width in ((602, 36), (537, 38), (460, 30)):
        shifted = middle + chance.uniform(-7, 7)
        rows.append(np.exp(-(((_NM - shifted) / (width * chance.uniform(0.9, 1.12))) ** 2)))
    return np.array(rows)


def _matrix(more: float) -> Floats:
    """Colours made stronger, white left white."""
    return (1 + more) * np.eye(3) - more / 3


def _fill(light: Floats, box: Box, colour: Floats) -> None:
    x, y, w, h = box
    x0, x1 = int((x - 0.03) * WIDE), int((x + w + 0.03) * WIDE)
    y0, y1 = int((y - 0.08) * HIGH), int((y + h + 0.12) * HIGH)
    light[y0:y1, x0:x1] = np.maximum(colour, 0.0)


def _uneven(chance: random.Random) -> Floats:
    ys, xs = np.mgrid[-1 : 1 : HIGH * 1j, -1 : 1 : WIDE * 1j]
    fall = 1 - chance.uniform(0.0, 0.22) * (xs**2 + ys**2) / 2
    return np.asarray(fall * (1 + chance.uniform(-0.06, 0.06) * xs + chance.uniform(-0.06, 0.06) * ys))


def _gleam(chance: random.Random, light: Floats, box: Box, exposure: float) -> None:
    """A window in the glass: a bright streak."""
    if chance.random() < 0.5:
        return
    x, y, w, h = box
    x0 = int((x + chance.uniform(0, w)) * WIDE)
    y0 = int((y + chance.uniform(0, h / 2)) * HIGH)
    across = int(chance.uniform(0.05, 0.22) * w * WIDE) + 1
    light[y0 : y0 + int(h * HIGH / 2), x0 : x0 + across] += exposure * chance.uniform(0.1, 0.6)


def _developed(chance: random.Random, light: Floats, kind: str) -> bytes:
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


LAMPS = ("window", "warm", "cool", "tube", "tungsten")


def lit(chance: random.Random, transmittance_percent: float, lamp: str) -> Taken:
    """A photograph under a lamp that is named, its white balance undoing a part of it: on a white sheet."""
    path = chance.choice([10.0, 12.5, 16.0, 25.0])
    steep = chance.uniform(4.5, 8.5)
    through = 10 ** -(-np.log10(transmittance_percent / 100) * path / 10 * (560 / _NM) ** steep)
    spectrum, camera = _named(chance, lamp), _camera(chance)
    matrix = _matrix(chance.uniform(0.0, 0.4))
    white, seen = camera @ spectrum, camera @ (spectrum * through)
    day = camera @ _named(chance, "window")
    undone = chance.uniform(0.5, 1.0)
    gains = 1 / (day * (white / day / (white / day)[1]) ** undone)
    gains *= chance.uniform(0.45, 0.8) / float((matrix @ (white * gains)).max())
    light = np.ones((HIGH, WIDE, 3)) * (white * gains)
    _fill(light, BLANK, matrix @ (white * gains))
    _fill(light, SAMPLE, matrix @ (seen * gains))
    light *= _uneven(chance)[..., None]
    light += chance.uniform(0.0, 0.012)
    return Taken(_developed(chance, light, "JPEG"), transmittance_percent, path)


def _named(chance: random.Random, lamp: str) -> Floats:
    def line(middle: float, wide: float) -> Floats:
        return np.asarray(1 / (1 + ((_NM - middle) / wide) ** 2))

    if lamp == "window":
        return np.asarray(1 - chance.uniform(0.0, 0.35) * (_NM - 550) / 150 - 0.1 * line(430, 15))
    if lamp == "tungsten":
        return np.asarray((_NM / 560) ** chance.uniform(4.0, 5.5))
    if lamp == "tube":
        lines = (
            chance.uniform(0.7, 1.2) * line(611, 6) + line(544, 6) + 0.5 * line(436, 5) + 0.35 * line(490, 12)
        )
        return np.asarray(lines + 0.15 * line(585, 8) + 0.05)
    middle, blue = (chance.uniform(590, 612), 0.25) if lamp == "warm" else (chance.uniform(548, 570), 0.9)
    return np.asarray(
        blue * np.exp(-(((_NM - 450) / 13) ** 2)) + np.exp(-(((_NM - middle) / 78) ** 2)) + 0.01
    )

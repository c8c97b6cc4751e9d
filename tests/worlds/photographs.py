"""Photographs of two vials as another world takes them: another curve of colour, another camera, lamp and
glass than the ones that Lumbrel believes in."""

import random
from dataclasses import dataclass

import numpy as np

from lumbrel.worlds.photograph import (
    HIGH,
    NM,
    VIALS,
    WIDE,
    Floats,
    camera_of,
    developed,
    fill,
    lit,
    stronger,
    uneven,
)

Box = tuple[float, float, float, float]
BLANK: Box = (0.20, 0.25, 0.16, 0.5)
SAMPLE: Box = (0.62, 0.25, 0.16, 0.5)


@dataclass(frozen=True)
class Taken:
    """A photograph, and what is true of it."""

    picture: bytes
    transmittance_percent: float
    path_mm: float


def under(chance: random.Random, transmittance_percent: float, lamp: str) -> Taken:
    """A photograph under a lamp that is named, through vials of some width."""
    path = chance.choice([10.0, 12.5, 16.0, 25.0])
    return Taken(lit(chance, transmittance_percent, lamp, path), transmittance_percent, path)


def take(chance: random.Random, transmittance_percent: float, kind: str = "JPEG") -> Taken:
    """A photograph of a blank and of a sample of this transmittance (560 nm, 10 mm)."""
    path = chance.choice([10.0, 12.5, 16.0, 25.0])
    steep = chance.uniform(4.5, 8.5)
    absorbance = -np.log10(transmittance_percent / 100) * path / 10 * (560 / NM) ** steep
    # The vial is not quite as wide as it is said to be.
    through = 10 ** -(absorbance * chance.uniform(0.97, 1.03))
    lamp = _lamp(chance)
    camera = camera_of(chance)
    matrix = stronger(chance.uniform(0.0, 0.45))
    white, seen = camera @ lamp, camera @ (lamp * through)
    gains = np.array([chance.uniform(0.88, 1.12) for _ in range(3)]) / white
    exposure = chance.uniform(0.35, 0.85)
    light = np.ones((HIGH, WIDE, 3)) * exposure * 0.85
    fill(light, VIALS[0], matrix @ (white * gains) * exposure)
    fill(light, VIALS[1], matrix @ (seen * gains) * exposure)
    light *= uneven(chance)[..., None]
    light += exposure * chance.uniform(0.0, 0.02)
    for box in (BLANK, SAMPLE):
        _gleam(chance, light, box, exposure)
    return Taken(developed(chance, light, kind), transmittance_percent, path)


def _lamp(chance: random.Random) -> Floats:
    """Daylight, a lamp, or a white diode with its blue peak."""
    warm = chance.uniform(-0.6, 1.0)
    smooth = 1 + warm * (NM - 550) / 400
    if chance.random() < 0.4:
        peak = 0.8 * np.exp(-(((NM - 452) / 14) ** 2))
        smooth = peak + np.exp(-(((NM - chance.uniform(555, 585)) / 62) ** 2))
    return np.maximum(np.asarray(smooth), 0.02)


def _gleam(chance: random.Random, light: Floats, box: Box, exposure: float) -> None:
    """A window in the glass: a bright streak."""
    if chance.random() < 0.5:
        return
    x, y, w, h = box
    x0 = int((x + chance.uniform(0, w)) * WIDE)
    y0 = int((y + chance.uniform(0, h / 2)) * HIGH)
    across = int(chance.uniform(0.05, 0.22) * w * WIDE) + 1
    light[y0 : y0 + int(h * HIGH / 2), x0 : x0 + across] += exposure * chance.uniform(0.1, 0.6)

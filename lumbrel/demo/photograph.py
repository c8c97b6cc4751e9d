"""A photograph of two vials for the demonstration, where nobody has a camera and syrup at hand."""

import io
import random

import numpy as np
from PIL import Image

from lumbrel.core.colour.appearance import linear_rgb

WIDE, HIGH = 960, 640
VIALS = ((0.14, 100.0), (0.60, None))
"""How far from the left each stands, and what is in it; none for the syrup."""
VIAL_WIDE, VIAL_TOP, VIAL_HIGH = 0.26, 0.16, 0.7
EXPOSURE, GRAIN = 0.62, 0.008


def vials(transmittance_percent: float, path_mm: float, chance: random.Random) -> bytes:
    """Glycerol on the left, syrup on the right, before a pale wall in daylight; a JPEG file.

    Args:
        transmittance_percent: of the syrup at 560 nm through 10 mm.
        path_mm: inside width of both vials.
    """
    ys, xs = np.mgrid[-1 : 1 : HIGH * 1j, -1 : 1 : WIDE * 1j]
    light = np.ones((HIGH, WIDE, 3)) * 0.8
    for left, known in VIALS:
        colour = linear_rgb(transmittance_percent if known is None else known, path_mm)
        x0, x1 = round(left * WIDE), round((left + VIAL_WIDE) * WIDE)
        y0, y1 = round(VIAL_TOP * HIGH), round((VIAL_TOP + VIAL_HIGH) * HIGH)
        light[y0:y1, x0:x1] = np.clip(colour, 0.0, 1.0)
        for edge in (x0, x1 - 8):
            light[y0:y1, edge : edge + 8] *= 0.7
    light *= EXPOSURE * (1 - 0.1 * (xs**2 + ys**2) / 2 + 0.03 * xs)[..., None]
    grain = np.random.default_rng(chance.randrange(2**32))
    curved = 1.055 * np.clip(light, 0, 1) ** (1 / 2.4) - 0.055 + grain.normal(0, GRAIN, light.shape)
    out = io.BytesIO()
    Image.fromarray(np.clip(255 * curved, 0, 255).round().astype(np.uint8)).save(out, "JPEG", quality=88)
    return out.getvalue()

"""A colour from a photograph of two vials side by side: glycerol, or water, in one, syrup in the other.

Source: Lambert's law, through the lamps, cameras and syrups that explain the picture (`lamps`). Exposure drops out of the ratio of
the two boxes; the lamp, the camera's tone curve, reflections and falling-off of the light do not, and make up the doubt.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from math import hypot, sqrt

import numpy as np
from numpy.typing import NDArray

from lumbrel.core.colour.grades import chances
from lumbrel.core.colour.lamps import POOR, photographed
from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics.boil_curve import Floats
from lumbrel.words import _

Pixels = NDArray[np.uint8]
GREEN = 1
LEAST_SIDE_PX = 12
BEST_SIGMA_POINTS = 3.0
"""One sigma of the best photograph: within 6 points 19 times in 20."""
EVEN_DOUBT = 0.05
"""One sigma of how far the light falls off between two vials that stand side by side."""
BURNT, MURKY = 0.93, 0.12
"""Of the most that a picture can hold: a blank beyond it is burnt out, one below it under-exposed."""
UNEVEN = 0.10
TINTED, NOT_WHITE = 1.9, 8.0
LIKELY_LAMP = 0.6
GLEAMS = 0.08


@dataclass(frozen=True, kw_only=True)
class PhotoColour:
    """What a photograph tells: transmittance at 560 nm through 10 mm, percent, one sigma in points, the
    chance of each class, and what is wrong with the light, the worst first."""

    transmittance_percent: float
    sigma_points: float
    chances: dict[str, float]
    hints: tuple[str, ...]


def judge(blank: Pixels, sample: Pixels, path_mm: float) -> PhotoColour:
    """The colour of a sample beside a blank.

    Args:
        blank, sample: pixels of the two boxes, height by width by 3, sRGB from 0 to 255; each at least
            12 by 12.
        path_mm: inside width of both vials, 1 to 100.
    Raises:
        OutOfRange: a box is too small, or the blank lets less light through than the sample.
    """
    require_between(path_mm, 1.0, 100.0, field="path", what=_("The path"), unit="mm")
    for name, box in (("blank_box", blank), ("sample_box", sample)):
        if min(box.shape[:2]) < LEAST_SIDE_PX:
            raise OutOfRange(
                _(
                    "A box wants at least {LEAST_SIDE_PX} pixels each way: draw it larger.",
                    LEAST_SIDE_PX=LEAST_SIDE_PX,
                ),
                name,
            )
    clear, seen = _Box.of(blank), _Box.of(sample)
    if seen.light[GREEN] > clear.light[GREEN] * (1 + EVEN_DOUBT):
        raise OutOfRange(
            _(
                "The blank is darker than the sample. Put the first box on the vial of glycerol, the "
                "second on the syrup."
            ),
            "blank_box",
        )
    found = photographed(clear.light, seen.light, path_mm, hypot(clear.spread, seen.spread))
    sigma = min(max(found.sigma, BEST_SIGMA_POINTS), 30.0)
    return PhotoColour(
        transmittance_percent=found.light,
        sigma_points=sigma,
        chances=chances(found.light, sigma),
        hints=tuple(_hints(clear, seen, found.lamps)),
    )


@dataclass(frozen=True)
class _Box:
    """A box in linear light: its middle value by channel, how that varies over the box, the share of
    pixels that gleam, and its brightest encoded channel."""

    light: Floats
    spread: float
    gleams: float
    brightest: float

    @classmethod
    def of(cls, pixels: Pixels) -> "_Box":
        encoded = pixels.astype(np.float64) / 255
        linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)
        middle = np.maximum(np.median(linear, axis=(0, 1)), 1e-5)
        parts = [
            np.median(block)
            for band in np.array_split(linear[..., GREEN], 4)
            for block in np.array_split(band, 4, axis=1)
        ]
        low, high = np.quantile(parts, [0.15, 0.85])
        gleams = float((linear[..., GREEN] > 1.35 * middle[GREEN] + 0.02).mean())
        return cls(
            middle, float((high - low) / 2 / middle[GREEN]), gleams, float(np.median(encoded, (0, 1)).max())
        )


def _hints(clear: _Box, seen: _Box, lamps: dict[str, float]) -> Iterator[str]:
    if clear.brightest > sqrt(BURNT):
        yield _("The blank is burnt out: take it again with less exposure, or out of the glare.")
    if clear.light[GREEN] < MURKY:
        yield _("It is too dark: take it again in more light, north light at best.")
    tint = float(max(clear.light) / min(clear.light))
    chance, lamp = max((sum(lamps[family] for family in families), name) for name, families in POOR.items())
    if tint > NOT_WHITE:
        yield _(
            "Nothing in the first box is white: put it on the clear vial, with a white sheet behind both."
        )
    elif chance > LIKELY_LAMP:
        yield _("It looks lit by {lamp}: at a window, in north light, it tells more.", lamp=lamp)
    elif tint > TINTED:
        yield _("The light is coloured: daylight or a white lamp tells more.")
    if max(clear.spread, seen.spread) > UNEVEN:
        yield _("The light is uneven across a vial: turn it, or draw the box smaller.")
    if max(clear.gleams, seen.gleams) > GLEAMS:
        yield _("The glass gleams: keep windows and lamps out of it, or draw the box beside the streak.")

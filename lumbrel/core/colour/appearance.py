"""What colour syrup is to the eye, by how much light it lets through and how thick a layer is looked at.

Source: an absorbance that falls by the exponential of the wavelength, as caramel colours have it (a hue
index of 5: 3.2 times as much at 510 nm as at 610), integrated over the CIE 1931 standard observer under
D65 (data/cie-1931-2deg-d65.csv), and to sRGB (IEC 61966-2-1).
"""

from functools import lru_cache
from math import log10

import numpy as np

from lumbrel.core.data import load_columns
from lumbrel.core.errors import require_between
from lumbrel.core.physics.boil_curve import Floats
from lumbrel.words import _

FALLS_PER_NM = 0.0115
REFERENCE_NM, REFERENCE_MM = 560.0, 10.0
_TO_LINEAR_RGB: Floats = np.array(
    [[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]]
)


@lru_cache(maxsize=1)
def _light() -> tuple[Floats, Floats]:
    """Wavelengths, and what each adds to X, Y and Z, white being Y = 1."""
    table = load_columns("cie-1931-2deg-d65.csv")
    lamp = np.array(table["d65"])
    seen = np.array([table[axis] for axis in ("x", "y", "z")]) * lamp
    return np.array(table["wavelength_nm"]), seen / seen[1].sum()


def white_xyz() -> tuple[float, float, float]:
    """Of the lamp itself: 0.9505, 1, 1.089."""
    x, y, z = _light()[1].sum(1).tolist()
    return x, y, z


def linear_rgb(transmittance_percent: float, path_mm: float) -> tuple[float, float, float]:
    """Linear sRGB of light through syrup, 1 for the lamp itself; a channel may leave 0 to 1, as strong
    ambers do.

    Args:
        transmittance_percent: at 560 nm through 10 mm, above 0 to 100.
        path_mm: of the vial looked through, 1 to 100.
    Raises:
        OutOfRange: a value lies outside its range.
    """
    require_between(
        transmittance_percent, 0.01, 100.0, field="transmittance", what=_("Transmittance"), unit="%"
    )
    require_between(path_mm, 1.0, 100.0, field="path_mm", what=_("The path"), unit="mm")
    wavelengths, seen = _light()
    at_reference = -log10(transmittance_percent / 100) * path_mm / REFERENCE_MM
    absorbance = at_reference * np.exp(-FALLS_PER_NM * (wavelengths - REFERENCE_NM))
    red, green, blue = (_TO_LINEAR_RGB @ (seen @ 10**-absorbance)).tolist()
    return red, green, blue


def srgb(transmittance_percent: float, path_mm: float) -> str:
    """The colour for a screen, as #rrggbb: what a screen cannot show is drawn as near as it can.

    Args:
        transmittance_percent, path_mm: see `linear_rgb`.
    """

    def channel(linear: float) -> int:
        held = min(max(linear, 0.0), 1.0)
        curved = 12.92 * held if held <= 0.0031308 else 1.055 * held ** (1 / 2.4) - 0.055
        return round(255 * curved)

    return "#" + "".join(f"{channel(c):02x}" for c in linear_rgb(transmittance_percent, path_mm))

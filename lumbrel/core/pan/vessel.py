"""Vessels: what a depth holds, and the depth that means done."""

from dataclasses import dataclass
from itertools import pairwise
from math import pi
from typing import NamedTuple

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.numeric import solve
from lumbrel.core.physics import sucrose
from lumbrel.words import _

LOWEST_SAFE_DEPTH_MM = 25.0
TALLEST_FOR_ITS_WIDTH = 1.5
"""A wall that nobody measured is hardly ever higher than so many widths: drums are, pots and pans are
not."""
HOTTEST_VOLUME_C = 115.0
TYPICAL_BOIL_OFF_KG_PER_MIN_M2 = 0.75
"""A hard boil over a good burner."""


class Fire(NamedTuple):
    """What a vessel and what it stands on drive off: kg of water a minute and square metre of bottom, and one
    sigma of the logarithm."""

    words: str
    kg_per_min_m2: float
    log_sigma: float


FIRES = {
    "stove": Fire(_("Stove plate or ring"), 1.9, 0.38),
    "flat": Fire(_("Flat over wood or gas"), 0.77, 0.45),
    "fluted": Fire(_("Flues over a fire"), 1.7, 0.38),
    "steam": Fire(_("Steam"), 4.9, 0.5),
}
NOBODY_SAID = {
    "pot": Fire("", 1.3, 0.55),
    "pan": Fire("", TYPICAL_BOIL_OFF_KG_PER_MIN_M2, 0.4724),
    "arch": Fire("", 0.9, 0.4724),
}
"""A small round vessel is mostly a pot on a stove, a pan of more than 0.6 m² stands on an arch
over hard wood as often as not."""
WIDEST_POT_MM, LEAST_ARCH_M2 = 330.0, 0.6


@dataclass(frozen=True)
class Vessel:
    """A pan or pot, its inside measured in mm.

    Args:
        shape: "rectangular" (length, width), "round" (diameter), "tapered" (bottom
            diameter, top diameter, height) or "measured" (depth, litres, depth, litres ... as
            buckets were poured in).
        sizes_mm: those sizes, each 20 to 10000; of a measured one two to thirty pairs, rising.
    Raises:
        OutOfRange: an unknown shape or a size outside its range.
    """

    shape: str
    sizes_mm: tuple[float, ...]

    def __post_init__(self) -> None:
        if self.shape == "measured":
            self._require_measured()
            return
        needed = {"rectangular": 2, "round": 1, "tapered": 3}
        if self.shape not in needed:
            raise OutOfRange(_("The shape must be rectangular, round, tapered or measured."), "shape")
        if len(self.sizes_mm) != needed[self.shape]:
            raise OutOfRange(
                _("A {shape} vessel takes {needed} sizes.", shape=self.shape, needed=needed[self.shape]),
                "sizes_mm",
            )
        for size in self.sizes_mm:
            require_between(size, 20.0, 10_000.0, field="sizes_mm", what=_("A vessel's size"), unit="mm")

    def usual_boil_off(self, fire: str = "") -> tuple[float, float]:
        """What it drives off before it was ever watched, kg/min, and one sigma of its logarithm.

        Args:
            fire: a key of `FIRES`; empty where nobody said what it stands on.
        Source: trade, by what stands over which fire; wide on purpose.
        """
        across = 2000 * (self.bottom_area_m2() / pi) ** 0.5
        pot = self.shape in ("round", "tapered") and across <= WIDEST_POT_MM
        area = self.bottom_area_m2()
        known = FIRES.get(fire) or NOBODY_SAID["pot" if pot else "arch" if area > LEAST_ARCH_M2 else "pan"]
        return known.kg_per_min_m2 * area, known.log_sigma

    def _require_measured(self) -> None:
        points = self.measures
        depths, litres = [d for d, _any in points], [v for _any, v in points]
        rising = all(a < b for a, b in pairwise(depths)) and all(a < b for a, b in pairwise(litres))
        if len(self.sizes_mm) % 2 or not 2 <= len(points) <= 30 or not rising or depths[0] <= 0:
            raise OutOfRange(
                _(
                    "Give two to thirty depths with the litres poured in by then, both rising, for "
                    "example 20 mm = 5 L, 40 mm = 10.4 L."
                ),
                "sizes_mm",
            )
        for depth, volume in points:
            require_between(depth, 1.0, 5000.0, field="sizes_mm", what=_("A measured depth"), unit="mm")
            require_between(volume, 0.01, 5000.0, field="sizes_mm", what=_("A measured volume"), unit="L")

    @property
    def measures(self) -> list[tuple[float, float]]:
        """Depth and litres of a measured vessel, from the floor up."""
        return list(zip(self.sizes_mm[::2], self.sizes_mm[1::2], strict=False))

    def _measured(self, value: float, of: int, to: int) -> float:
        """Along the measured points, straight between them; from (0, 0) to the last."""
        points = [(0.0, 0.0), *self.measures]
        for low, high in pairwise(points):
            if value <= high[of]:
                share = (value - low[of]) / (high[of] - low[of])
                return low[to] + share * (high[to] - low[to])
        return points[-1][to]

    def bottom_area_m2(self) -> float:
        """Area of the heated bottom, m2."""
        if self.shape == "measured":
            depth, litres = self.measures[0]
            return litres / depth
        if self.shape == "rectangular":
            return self.sizes_mm[0] * self.sizes_mm[1] * 1e-6
        return pi * self.sizes_mm[0] ** 2 / 4 * 1e-6

    def volume_l(self, depth_mm: float) -> float:
        """Volume held at a depth, litres.

        Args:
            depth_mm: 0 to 5000, and not above a tapered vessel's height.
        """
        require_between(depth_mm, 0.0, self._deepest_mm(), field="depth_mm", what=_("The depth"), unit="mm")
        if self.shape == "measured":
            return self._measured(depth_mm, 0, 1)
        if self.shape == "tapered":
            bottom, top, height = self.sizes_mm
            at_depth = bottom + (top - bottom) * depth_mm / height
            return pi * depth_mm / 12 * (bottom**2 + bottom * at_depth + at_depth**2) * 1e-6
        return self.bottom_area_m2() * depth_mm

    def depth_mm(self, volume_l: float) -> float:
        """Depth of a volume, mm; inverse of `volume_l`.

        Args:
            volume_l: litres, 0 to what the vessel holds.
        """
        most = self.volume_l(self._deepest_mm())
        require_between(volume_l, 0.0, most, field="volume_l", what=_("The volume"), unit="L")
        if self.shape == "measured":
            return self._measured(volume_l, 1, 0)
        if self.shape == "tapered":
            return solve(lambda depth: self.volume_l(depth) - volume_l, 0.0, self._deepest_mm())
        return volume_l / self.bottom_area_m2()

    def brim_l(self) -> float | None:
        """What it holds to the brim, litres: of a tapered vessel by its height, of a round or a
        rectangular one at most, by its width; None of a measured one, which may go on."""
        if self.shape == "measured":
            return None
        width = TALLEST_FOR_ITS_WIDTH * min(
            self.sizes_mm[:2] if self.shape == "rectangular" else self.sizes_mm[:1]
        )
        return self.volume_l(self._deepest_mm() if self.shape == "tapered" else min(width, 5000.0))

    def _deepest_mm(self) -> float:
        if self.shape == "measured":
            return self.measures[-1][0]
        return self.sizes_mm[2] if self.shape == "tapered" else 5000.0


def hot_volume_ratio(brix: float, temperature_c: float) -> float:
    """Volume at a temperature over that at 20 degC; 66.9 Brix at 85 degC: 1.0298.

    Above 100 degC, where density is not tabulated, the ratio at 100 is carried on along its
    last slope; at the boil of syrup that is 4 K and the error under 0.0005.

    Args:
        brix: 0 to 85.
        temperature_c: degC, 0 to 115.
    Raises:
        OutOfRange: a value lies outside its range.
    """
    require_between(
        temperature_c, 0.0, HOTTEST_VOLUME_C, field="temperature_c", what=_("The temperature"), unit="°C"
    )
    cold = sucrose.density_kg_m3(brix, 20.0)
    at = min(temperature_c, 100.0)
    ratio = cold / sucrose.density_kg_m3(brix, at)
    if temperature_c > 100.0:
        slope = (ratio - cold / sucrose.density_kg_m3(brix, 95.0)) / 5.0
        ratio += slope * (temperature_c - 100.0)
    return ratio


def done_depth_mm(vessel: Vessel, solids_kg: float, target_brix: float, boil_c: float) -> float:
    """Depth at the boil when the solids in the vessel have reached the target, mm.

    Args:
        vessel: the vessel.
        solids_kg: above 0.
        target_brix: 1 to 85.
        boil_c: temperature of the finish, degC, to 115.
    """
    require_between(
        target_brix, 1.0, 85.0, field="target_brix", what=_("The target"), unit=_("percent by mass")
    )
    cold_l = 100 * solids_kg / target_brix / sucrose.density_kg_m3(target_brix, 20.0) * 1000
    return vessel.depth_mm(cold_l * hot_volume_ratio(target_brix, boil_c))

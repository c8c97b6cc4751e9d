"""The row of vials in light with the sample in its place, the chances, the season's strip."""

from dataclasses import dataclass
from itertools import pairwise

from lumbrel.services.colour.row import VialRow
from lumbrel.web.shell.plot import scale

LEFT, RIGHT = 40.0, 720.0
VIAL_WIDTH = 58.0


@dataclass(frozen=True, kw_only=True)
class VialPlace:
    """One vial of the row."""

    x: float
    colour: str
    label: str
    border: bool


@dataclass(frozen=True, kw_only=True)
class RowPicture:
    """The row, and where the sample's light falls on it."""

    vials: list[VialPlace]
    borders: list[float]
    """Where one class ends and the next begins."""
    names: list[tuple[float, str]]
    """The middle of each class, and its name."""
    sample_x: float | None
    sample_low_x: float
    sample_high_x: float


def row(of: VialRow) -> RowPicture:
    """The vials from light to dark, evenly; the sample between those it lies between."""
    count = len(of.vials)
    pitch = (RIGHT - LEFT) / count
    middles = [LEFT + pitch * (i + 0.5) for i in range(count)]
    lights = [v.transmittance_percent for v in of.vials]

    def x(light: float) -> float:
        """Between the two vials whose light is next to it."""
        if light >= lights[0]:
            return max(middles[0] - pitch * (light - lights[0]) / 25, LEFT - 20)
        for i in range(count - 1):
            high, low = lights[i], lights[i + 1]
            if light >= low:
                return middles[i] + pitch * (high - light) / (high - low)
        return min(middles[-1] + pitch * (lights[-1] - light) / 25, RIGHT + 20)

    borders = [m for m, vial in zip(middles, of.vials, strict=True) if vial.border]
    edges = [LEFT, *borders, RIGHT]
    grades = list(dict.fromkeys(vial.grade for vial in of.vials))
    light = of.sample.transmittance_percent if of.sample else None
    low, high = of.limits or (light or 0.0, light or 0.0)
    return RowPicture(
        vials=[
            VialPlace(
                x=round(middle - VIAL_WIDTH / 2, 1),
                colour=vial.colour,
                label=f"{vial.transmittance_percent:g}",
                border=vial.border,
            )
            for middle, vial in zip(middles, of.vials, strict=True)
        ],
        borders=[round(x, 1) for x in borders],
        names=[(round((a + b) / 2, 1), grade) for (a, b), grade in zip(pairwise(edges), grades, strict=True)],
        sample_x=None if light is None else round(x(light), 1),
        sample_low_x=round(x(high), 1),
        sample_high_x=round(x(low), 1),
    )


@dataclass(frozen=True)
class BatchDot:
    """A batch in the season's strip."""

    x: float
    y: float
    title: str
    mine: bool


def season(of: VialRow, code: str) -> list[BatchDot]:
    """The season's batches, the oldest on the left, the lighter the higher."""
    if len(of.season) < 2:
        return []
    x = scale(0, len(of.season) - 1, LEFT, RIGHT)
    y = scale(0, 100, 96, 8)
    return [
        BatchDot(x(i), y(light), f"{batch}: {light:.0f} %", batch == code)
        for i, (batch, light) in enumerate(of.season)
    ]

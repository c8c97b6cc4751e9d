"""The draws of a continuous pan: when, how much, how dense, against the mark."""

from dataclasses import dataclass
from datetime import timedelta
from math import ceil, floor, sqrt

from lumbrel.core import units
from lumbrel.services.base.figures import FIGURES
from lumbrel.services.base.form import local_time
from lumbrel.services.sap.fire import FirePage
from lumbrel.web.shell.plot import Tick, scale

LEFT, RIGHT, TOP, BOTTOM = 40.0, 690.0, 14.0, 150.0
LEAST_SPAN = timedelta(minutes=40)
BIGGEST = 13.0
AROUND_BRIX = 2.0
MOST_TICKS = 7
STEPS_MINUTES = (5, 10, 15, 30, 60, 120, 240)


@dataclass(frozen=True)
class DrawDot:
    """A draw: its area is how much came."""

    x: float
    y: float
    r: float
    id: str


@dataclass(frozen=True, kw_only=True)
class DrawsPicture:
    """The draws on their time."""

    left: float
    right: float
    bottom: float
    band_y: float
    band_height: float
    mark_y: float
    hours: tuple[Tick, ...]
    brixes: tuple[Tick, ...]
    dots: tuple[DrawDot, ...]
    path: str

    @property
    def width(self) -> float:
        """Of its ground."""
        return self.right - self.left


def draws(page: FirePage) -> DrawsPicture | None:
    """The draws so far; None before the first."""
    if not page.draws:
        return None
    kitchen, mark = page.board.context.kitchen, page.board.context.batch.target_brix
    first, last = page.draws[0].at, page.draws[-1].at
    span = max(last - first, LEAST_SPAN)
    begins = last - span
    x = scale(0.0, span / timedelta(minutes=1), LEFT + BIGGEST, RIGHT - BIGGEST)
    said = [one.facts.brix for one in page.draws]
    low = floor(min([*said, mark - AROUND_BRIX]))
    high = ceil(max([*said, mark + AROUND_BRIX]))
    y = scale(low, high, BOTTOM, TOP)
    most = max(one.facts.mass_kg for one in page.draws)
    dots = tuple(
        DrawDot(
            x((one.at - begins) / timedelta(minutes=1)),
            y(one.facts.brix),
            round(BIGGEST * sqrt(one.facts.mass_kg / most), 1),
            one.id,
        )
        for one in page.draws
    )
    minutes = span / timedelta(minutes=1)
    step = next((s for s in STEPS_MINUTES if minutes / s <= MOST_TICKS), STEPS_MINUTES[-1])
    began = local_time(begins, kitchen)
    whole = began.replace(minute=0, second=0, microsecond=0)
    offset = (began - whole) / timedelta(minutes=1)
    ticks = range(ceil(offset / step) * step, floor(offset + minutes) + 1, step)
    syrup = mark >= FIGURES.floor_brix
    top_y = y(FIGURES.ceiling_brix if syrup else mark + 1)
    floor_y = y(FIGURES.floor_brix if syrup else mark - 1)
    return DrawsPicture(
        left=LEFT,
        right=RIGHT,
        bottom=BOTTOM,
        band_y=top_y,
        band_height=round(floor_y - top_y, 1),
        mark_y=y(mark),
        hours=tuple(
            Tick(x(at - offset), units.clock(whole + timedelta(minutes=at), kitchen.clock)) for at in ticks
        ),
        brixes=tuple(Tick(y(brix), f"{brix}") for brix in range(low, high + 1, 2)),
        dots=dots,
        path="M" + "L".join(f"{dot.x} {dot.y}" for dot in dots),
    )

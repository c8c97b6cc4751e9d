"""The trunk unrolled, the week over nights and days, the tank with its age."""

from collections.abc import Callable
from dataclasses import dataclass

from lumbrel.services.base.codes import called
from lumbrel.services.sap.trees import TreeView
from lumbrel.web.shell.plot import Tick, scale
from lumbrel.words import _, number

# The trunk: once round across, the heights that a drill reaches up.
LEFT, RIGHT, TOP, BOTTOM = 60.0, 856.0, 44.0, 500.0
LOWEST_MM, HIGHEST_MM = 400.0, 2000.0
POINTS = ("N", "NE", "E", "SE", "S", "SW", "W", "NW", "N")


@dataclass(frozen=True, kw_only=True)
class DrawnHole:
    """A hole with its dead wood, and the box that it keeps clear."""

    x: float
    y: float
    label: str
    label_x: float
    label_y: float
    anchor: str
    dead: tuple[float, float, float, float]
    boxes: tuple[tuple[float, float, float, float], ...]
    counts: bool
    now: bool
    closed: bool
    id: str

    @property
    def looks(self) -> str:
        """Its class: open or closed, of this season or an earlier one."""
        return " ".join(["hole", *(["closed"] * self.closed), *(["now"] * self.now)])


@dataclass(frozen=True)
class DrawnPlace:
    """A place that is free."""

    x: float
    y: float
    label: str
    bearing: str
    height: str


@dataclass(frozen=True, kw_only=True)
class TrunkPicture:
    """The trunk, unrolled."""

    points: tuple[Tick, ...]
    heights: tuple[float, ...]
    height_at: tuple[float, ...]
    sun: tuple[tuple[float, float], ...]
    grain: tuple[float, ...]
    holes: tuple[DrawnHole, ...]
    places: tuple[DrawnPlace, ...]
    apart: tuple[float, float, float, float] | None
    """From x to x at y, and mm."""
    apart_year: int = 0


def trunk(view: TreeView) -> TrunkPicture:
    """Positions of everything on the unrolled trunk; north at both edges."""
    across = scale(0.0, 360.0, LEFT, RIGHT)
    up = scale(LOWEST_MM, HIGHEST_MM, BOTTOM, TOP)
    girth = view.girth_mm or 1500.0
    mm_x = (RIGHT - LEFT) / girth
    mm_y = (BOTTOM - TOP) / (HIGHEST_MM - LOWEST_MM)
    rule = view.rule
    holes = _holes(view, across, up, mm_x, mm_y)
    places = []
    for nth, place in enumerate(view.places):
        label = _("here first") if nth == 0 else _("or here") if view.bears == 1 else _("and here")
        places.append(
            DrawnPlace(
                across(place.bearing_deg),
                up(place.height_mm),
                label,
                f"{place.bearing_deg:.1f}",
                _("{height} mm", height=number(place.height_mm, 0)),
            )
        )
    heights = (600.0, 1000.0, 1400.0, 1800.0)
    sunny = rule.sunny_deg
    sun = _wrapped(across(0), across(360), across(0) + (sunny - 50) / 360 * (RIGHT - LEFT), 100 / 360)
    apart, year = _apart(view, mm_x)
    return TrunkPicture(
        points=tuple(
            Tick(across(i * 45.0), called(name), long=i * 45.0 == sunny) for i, name in enumerate(POINTS)
        ),
        heights=heights,
        height_at=tuple(up(h) for h in heights),
        sun=sun,
        grain=tuple(round(LEFT + 8 + i * 17.4, 1) for i in range(46)),
        holes=tuple(holes),
        places=tuple(places),
        apart=apart,
        apart_year=year,
    )


Scale = Callable[[float], float]


def _holes(view: TreeView, across: Scale, up: Scale, mm_x: float, mm_y: float) -> list[DrawnHole]:
    """The holes with their dead wood and what they keep clear, round the trunk."""
    rule = view.rule
    holes: list[DrawnHole] = []
    for seen in sorted(view.holes, key=lambda one: one.hole.bearing_deg):
        x, y = across(seen.hole.bearing_deg), up(seen.hole.height_mm)
        boxes: tuple[tuple[float, float, float, float], ...] = ()
        if seen.counts and not seen.this_season:
            boxes = _around(x, y, rule.beside_mm * mm_x, rule.above_mm * mm_y)
        high = 500.0 * mm_y
        wide = max(2 * rule.hole_mm * mm_x, 10.0)
        top, end = max(y - high, TOP), min(y + high, BOTTOM)
        near_edge = x > RIGHT - 110
        closed = _(", closed") if seen.closed_in else ""
        holes.append(
            DrawnHole(
                x=x,
                y=y,
                label=f"{seen.hole.year}{closed}",
                label_x=x - 13 if near_edge else x + 13,
                label_y=y + 5,
                anchor="end" if near_edge else "start",
                dead=(x - wide / 2, top, wide, end - top),
                boxes=boxes,
                counts=seen.counts,
                now=seen.this_season,
                closed=seen.closed_in is not None,
                id=seen.id,
            )
        )
    return holes


def _around(x: float, y: float, half: float, high: float) -> tuple[tuple[float, float, float, float], ...]:
    """The box round a hole, in two parts where it goes round the back."""
    top, end = max(y - high, TOP + 4), min(y + high, BOTTOM - 4)
    whole = RIGHT - LEFT
    parts = []
    for shift in (-whole, 0.0, whole):
        begin, stop = max(x - half + shift, LEFT), min(x + half + shift, RIGHT)
        if stop - begin > 2:
            parts.append((round(begin, 1), top, round(stop - begin, 1), round(end - top, 1)))
    return tuple(parts)


def _wrapped(left: float, right: float, start: float, share: float) -> tuple[tuple[float, float], ...]:
    whole = right - left
    width = share * whole
    parts = []
    for shift in (-whole, 0.0, whole):
        begin, stop = max(start + shift, left), min(start + width + shift, right)
        if stop - begin > 1:
            parts.append((round(begin, 1), round(stop - begin, 1)))
    return tuple(parts)


def _apart(view: TreeView, mm_x: float) -> tuple[tuple[float, float, float, float] | None, int]:
    """From the first place to the old hole nearest to it, where that does not go round the back."""
    if not view.places:
        return None, 0
    place = view.places[0]
    found = view.nearest(place)
    if found is None:
        return None, 0
    seen, mm = found
    x1 = LEFT + seen.hole.bearing_deg / 360 * (RIGHT - LEFT)
    x2 = LEFT + place.bearing_deg / 360 * (RIGHT - LEFT)
    if abs(abs(x2 - x1) - mm * mm_x) > 3:
        return None, 0
    return (round(x1, 1), round(x2, 1), 436.0, mm), seen.hole.year


WARM_TOP, WARM_BOTTOM, BARS_TOP, BARS_BOTTOM = 58.0, 148.0, 196.0, 312.0

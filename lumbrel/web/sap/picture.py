"""The trunk unrolled, the week over nights and days, the tank with its age."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from lumbrel.services.sap.contents import TankView
from lumbrel.services.sap.runs import DayAhead, Week
from lumbrel.services.sap.trees import TreeView
from lumbrel.web.shell.plot import Tick, scale, spread

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
    for number, place in enumerate(view.places):
        label = "here first" if number == 0 else "or here" if view.bears == 1 else "and here"
        places.append(
            DrawnPlace(
                across(place.bearing_deg),
                up(place.height_mm),
                label,
                f"{place.bearing_deg:.1f}",
                f"{place.height_mm:.0f} mm",
            )
        )
    heights = (600.0, 1000.0, 1400.0, 1800.0)
    sunny = rule.sunny_deg
    sun = _wrapped(
        across(0), across(360), across(0) + (sunny - 50) / 360 * (RIGHT - LEFT), 100 / 360
    )
    apart, year = _apart(view, mm_x)
    return TrunkPicture(
        points=tuple(
            Tick(across(i * 45.0), name, long=i * 45.0 == sunny) for i, name in enumerate(POINTS)
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
        closed = ", closed" if seen.closed_in else ""
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


def _around(
    x: float, y: float, half: float, high: float
) -> tuple[tuple[float, float, float, float], ...]:
    """The box round a hole, in two parts where it goes round the back."""
    top, end = max(y - high, TOP + 4), min(y + high, BOTTOM - 4)
    whole = RIGHT - LEFT
    parts = []
    for shift in (-whole, 0.0, whole):
        begin, stop = max(x - half + shift, LEFT), min(x + half + shift, RIGHT)
        if stop - begin > 2:
            parts.append((round(begin, 1), top, round(stop - begin, 1), round(end - top, 1)))
    return tuple(parts)


def _wrapped(
    left: float, right: float, start: float, share: float
) -> tuple[tuple[float, float], ...]:
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


# The week: nights below, days above, litres as bars.
WEEK_LEFT, WEEK_RIGHT = 54.0, 1180.0
WARM_TOP, WARM_BOTTOM, BARS_TOP, BARS_BOTTOM = 58.0, 148.0, 196.0, 312.0


@dataclass(frozen=True, kw_only=True)
class DrawnDay:
    """A day of the week."""

    x: float
    name: str
    today: bool
    past: bool
    night: tuple[float, float, float] | None
    """x, y and degC."""
    high: tuple[float, float, float] | None
    measured: bool
    bar: tuple[float, float, float] | None
    """y and height of what was gathered or is expected, and L."""
    span: tuple[float, float] | None
    words: str
    figure_y: float
    rule: float

    @property
    def whisker(self) -> str:
        """The path of the range."""
        if self.span is None:
            return ""
        top, end = self.span
        left = self.x - 9
        return f"M{self.x} {top}V{end}M{left} {top}h18M{left} {end}h18"


@dataclass(frozen=True, kw_only=True)
class WeekPicture:
    """The week over nights and days."""

    days: tuple[DrawnDay, ...]
    line: str
    freezing_y: float
    ticks: tuple[Tick, ...]
    litres: tuple[tuple[float, float], ...]


def week(made: Week, unit_l: float = 1.0) -> WeekPicture:
    """Positions of the week; its lines are of round numbers of a unit of so many litres."""
    known = [d.weather for d in made.days if d.weather]
    low = min([w.night_c for w in known] + [-8.0]) - 1
    high = max([w.day_c for w in known] + [10.0]) + 1
    warm = scale(low, high, WARM_BOTTOM, WARM_TOP)
    most = max([_most(d) for d in made.days] + [1.0])
    step = _step(most / unit_l) * unit_l
    top = step * (int(most / step) + 1)
    bars = scale(0.0, top, BARS_BOTTOM, BARS_TOP)
    wide = (WEEK_RIGHT - WEEK_LEFT) / len(made.days)
    drawn, points = [], []
    for i, day in enumerate(made.days):
        middle = round(WEEK_LEFT + wide * (i + 0.5), 1)
        night = high_at = None
        if day.weather:
            night = (round(middle - wide * 0.26, 1), warm(day.weather.night_c), day.weather.night_c)
            high_at = (round(middle + wide * 0.16, 1), warm(day.weather.day_c), day.weather.day_c)
            points += [night[:2], high_at[:2]]
        bar, span, figure = _bar(day, made, bars)
        drawn.append(
            DrawnDay(
                x=middle,
                name=f"{day.day:%a} {day.day.day}",
                today=day.day == made.today,
                past=day.day < made.today,
                night=night,
                high=high_at,
                measured=bool(day.weather and day.weather.measured),
                bar=bar,
                span=span,
                words=day.words,
                figure_y=figure,
                rule=day.rule,
            )
        )
    return WeekPicture(
        days=tuple(drawn),
        line=_curve(points),
        freezing_y=warm(0.0),
        ticks=tuple(
            Tick(warm(c), f"{c:g}") for c in (-15.0, -10.0, -5.0, 5.0, 10.0, 15.0) if low < c < high
        ),
        litres=tuple((bars(step * k), step * k) for k in range(int(top / step) + 1)),
    )


def _most(day: DayAhead) -> float:
    return max(day.gave_l or 0.0, day.high_l if day.expected_l is not None else 0.0)


def _step(most: float) -> float:
    for step in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000):
        if most / step <= 4:
            return float(step)
    return 10_000.0


def _bar(
    day: DayAhead, made: Week, bars: object
) -> tuple[tuple[float, float, float] | None, tuple[float, float] | None, float]:
    assert callable(bars)
    past = day.day < made.today or day.gave_l is not None
    litres = day.gave_l if past else day.expected_l
    if litres is None:
        return None, None, BARS_BOTTOM
    y = bars(litres)
    span = None
    top = y
    if not past and day.expected_l is not None and day.high_l > 0:
        span = (bars(day.high_l), bars(day.low_l))
        top = span[0]
    return (y, round(BARS_BOTTOM - y, 1), litres), span, round(top - 8, 1)


def _curve(points: Sequence[tuple[float, ...]]) -> str:
    """A smooth path through points: flat where it turns."""
    if not points:
        return ""
    path = f"M{points[0][0]} {points[0][1]}"
    for (x1, y1), (x2, y2) in pairwise(points):
        middle = round((x1 + x2) / 2, 1)
        path += f"C{middle} {y1} {middle} {y2} {x2} {y2}"
    return path


# A tank: as full as it is, marked by how much of its life is used.
TANK_TOP, TANK_BOTTOM = 20.0, 190.0


@dataclass(frozen=True, kw_only=True)
class TankPicture:
    """A tank with its level and the arc of its sap's life."""

    level: float
    height: float
    layers: tuple[tuple[float, float, str], ...]
    marks: tuple[tuple[float, float], ...]


def tank(view: TankView, names: dict[str, str]) -> TankPicture:
    """Positions of a tank."""
    place = scale(0.0, view.drawn_to_l, TANK_BOTTOM, TANK_TOP)
    level = place(view.content.litres)
    layers, at = [], TANK_BOTTOM
    whole = view.content.mass_kg
    for woodlot, (kg, _) in view.content.by_woodlot.items():
        high = (TANK_BOTTOM - level) * kg / whole if whole else 0.0
        at -= high
        layers.append((round(at, 1), round(high, 1), names.get(woodlot, "")))
    placed = spread([y + h / 2 + 5 for y, h, _ in reversed(layers)], 18, TANK_TOP, TANK_BOTTOM)
    layers = [
        (y, text_y, name)
        for (_, _, name), y, text_y in zip(
            reversed(layers), [one[0] for one in reversed(layers)], placed, strict=True
        )
    ]
    quarters = [view.drawn_to_l * q for q in (0.25, 0.5, 0.75)]
    return TankPicture(
        level=level,
        height=round(TANK_BOTTOM - level, 1),
        layers=tuple(layers),
        marks=tuple((place(q), q) for q in quarters),
    )

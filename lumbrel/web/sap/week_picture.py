"""The week's sap drawn, and a tank."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from lumbrel.services.sap.contents import TankView
from lumbrel.services.sap.runs import DayAhead, Week
from lumbrel.web.sap.picture import BARS_BOTTOM, BARS_TOP, WARM_BOTTOM, WARM_TOP
from lumbrel.web.shell.plot import Tick, scale, spread
from lumbrel.words import joined, weekday

# The week: nights below, days above, litres as bars.
WEEK_LEFT, WEEK_RIGHT = 54.0, 1180.0


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
                name=joined(" ", (weekday(day.day, short=True), day.day.day)),
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
        ticks=tuple(Tick(warm(c), f"{c:g}") for c in (-15.0, -10.0, -5.0, 5.0, 10.0, 15.0) if low < c < high),
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

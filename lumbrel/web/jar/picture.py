"""The kettle's pictures: how full and how warm it is, its cooling against the window, the jars."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from math import ceil, floor

from lumbrel.services.base.figures import FIGURES
from lumbrel.services.jar.kettle import Kettle
from lumbrel.web.shell.plot import Tick, scale

LEFT, RIGHT, TOP, BOTTOM = 46.0, 512.0, 14.0, 262.0
WARMER_K, COLDER_K, LEAST_MINUTES = 2.0, 6.0, 30.0
MOST_JARS = 30
LABEL_WIDTH = 180.0


@dataclass(frozen=True, kw_only=True)
class CoolingPicture:
    """Temperature against time: the window, the readings, the path, the minute it is too cold."""

    ticks: list[Tick]
    hours: list[tuple[float, datetime]]
    window_top: float
    window_bottom: float
    past: str
    ahead: str
    readings: list[tuple[float, float]]
    now_x: float
    now_y: float
    cold_x: float | None
    cold_y: float
    early_x: float
    late_x: float
    label_left: bool
    """Whether its words stand on its left: on its right there is no room for them."""


def cooling(kettle: Kettle, step_c: float = 4.0) -> CoolingPicture | None:
    """A heat that was read at least once; None before."""
    path = kettle.fire.path()
    if not path or kettle.fire.now_c is None:
        return None
    coldest, hottest = FIGURES.coldest_fill_c, FIGURES.hottest_fill_c
    begin = path[0][0]
    left = kettle.minutes_left or 0.0
    ahead = min(max(left * 1.4, 6.0), 60.0)
    end = max(begin + timedelta(minutes=LEAST_MINUTES), kettle.fire.now + timedelta(minutes=ahead))
    high = max(max(s.temperature_c for s in kettle.fire.shown), hottest) + WARMER_K
    low = min(coldest - COLDER_K, kettle.fire.now_c - WARMER_K)
    x = scale(begin.timestamp(), end.timestamp(), LEFT, RIGHT)
    y = scale(low, high, BOTTOM, TOP)

    def line(points: list[tuple[datetime, float]]) -> str:
        return " ".join(f"{x(at.timestamp())},{y(c)}" for at, c in points)

    now = (kettle.fire.now, kettle.fire.now_c)
    gone = [p for p in path if p[0] <= kettle.fire.now] + [now]
    to_come = [now] + [p for p in path if kettle.fire.now < p[0] <= end and p[1] >= low]
    cold = kettle.cold_at

    def minutes_on(minutes: float | None) -> float:
        return x((kettle.fire.now + timedelta(minutes=minutes)).timestamp()) if minutes else RIGHT

    cold_x = x(cold.timestamp()) if cold and left > 0 else None
    return CoolingPicture(
        ticks=[
            Tick(y(c), f"{c:g}")
            for c in (step_c * i for i in range(ceil(low / step_c), floor(high / step_c) + 1))
        ],
        hours=_hours(begin, end, x),
        window_top=y(hottest),
        window_bottom=y(coldest),
        past=line(gone),
        ahead=line(to_come),
        readings=[(x(s.at.timestamp()), y(s.temperature_c)) for s in kettle.fire.shown],
        now_x=x(kettle.fire.now.timestamp()),
        now_y=y(kettle.fire.now_c),
        cold_x=cold_x,
        cold_y=y(coldest),
        early_x=minutes_on(kettle.low),
        late_x=minutes_on(kettle.high),
        label_left=cold_x is not None and cold_x > RIGHT - LABEL_WIDTH,
    )


def _hours(begin: datetime, end: datetime, x: object) -> list[tuple[float, datetime]]:
    minutes = (end - begin) / timedelta(minutes=1)
    step = next(s for s in (5, 10, 15, 30, 60, 120) if minutes / s <= 8)
    first = begin.replace(second=0, microsecond=0)
    first += timedelta(minutes=-first.minute % step if step < 60 else -first.minute % 60)
    found = []
    at = first
    while at <= end:
        if at >= begin:
            found.append((x(at.timestamp()), at))  # type: ignore[operator]
        at += timedelta(minutes=step)
    return found


@dataclass(frozen=True)
class JarsPicture:
    """A row of jars: which are full, and how many more do not fit the row."""

    full: int
    empty: int
    more: int


def jars(kettle: Kettle) -> JarsPicture:
    """The newest jars filled, and those that are still to come of that size."""
    to_come = int(kettle.left_ml // kettle.size_ml)
    full = min(kettle.filled, max(MOST_JARS - to_come, MOST_JARS // 3))
    empty = min(to_come, MOST_JARS - full)
    return JarsPicture(full, empty, to_come - empty)


def kettle_level(kettle: Kettle, first_ml: float) -> float:
    """How high it stands in the picture, 0 to 1."""
    return min(max(kettle.left_ml / first_ml, 0.0), 1.0) if first_ml > 0 else 0.0

"""The season's picture: litres a day over nights and days, Brix and colour drifting."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date

from lumbrel.services.sap.season import SeasonPage
from lumbrel.web.shell.plot import Tick, scale
from lumbrel.words import joined, named_day, number, quantity

LEFT, RIGHT = 54.0, 1180.0
WARM_TOP, WARM_BOTTOM = 20.0, 130.0
BARS_TOP, BARS_BOTTOM = 150.0, 290.0
BRIX_TOP, BRIX_BOTTOM = 312.0, 372.0


@dataclass(frozen=True, kw_only=True)
class SeasonPicture:
    """Positions of a season."""

    width: float
    bars: tuple[tuple[float, float, float, str], ...]
    """x, y, height, and the day in words."""
    band: str
    """Between the nights and the days."""
    freezing_y: float
    warm: tuple[Tick, ...]
    litres: tuple[tuple[float, float], ...]
    brix: tuple[tuple[float, float], ...]
    brix_ticks: tuple[Tick, ...]
    colours: tuple[tuple[float, str], ...]
    """x, and colour class of the syrup."""
    months: tuple[Tick, ...]


def season(page: SeasonPage, unit_l: float = 1.0) -> SeasonPicture | None:
    """Positions of a season; None where nothing was gathered."""
    if not page.days:
        return None
    first, last = page.days[0].day, page.days[-1].day
    count = len(page.days)
    across = scale(-0.5, count - 0.5, LEFT, RIGHT)

    def at(day: date) -> float:
        return across(float((day - first).days))

    warm, ticks = _warm(page)
    most = max(day.litres for day in page.days) or 1.0
    step = _step(most / unit_l) * unit_l
    top = step * (int(most / step) + 1)
    up = scale(0.0, top, BARS_BOTTOM, BARS_TOP)
    dense = [(day.day, day.brix) for day in page.days if day.brix]
    least = min((b for _, b in dense), default=1.0)
    most_brix = max((b for _, b in dense), default=3.0)
    brix = scale(int(least), int(most_brix) + 1, BRIX_BOTTOM, BRIX_TOP)
    width = max(round((RIGHT - LEFT) / count * 0.72, 1), 1.0)
    return SeasonPicture(
        width=width,
        bars=tuple(
            (
                round(at(day.day) - width / 2, 1),
                up(day.litres),
                round(BARS_BOTTOM - up(day.litres), 1),
                joined(
                    ": ",
                    (named_day(day.day, "", short=True, year=False), quantity(number(day.litres, 0), "L")),
                ),
            )
            for day in page.days
            if day.litres > 0
        ),
        band=_band(page, at, warm),
        freezing_y=warm(0.0),
        warm=ticks,
        litres=tuple((up(step * k), step * k) for k in range(1, int(top / step) + 1)),
        brix=tuple((at(day), brix(value)) for day, value in dense),
        brix_ticks=tuple(Tick(brix(float(b)), f"{b}") for b in range(int(least), int(most_brix) + 2)),
        colours=tuple((at(day), grade) for day, grade in page.colours if first <= day <= last),
        months=tuple(
            Tick(at(day.day), named_day(day.day, "", short=True, year=False), long=day.day.day == 1)
            for day in page.days
            if day.day.day in (1, 11, 21)
        ),
    )


def _warm(page: SeasonPage) -> tuple[Callable[[float], float], tuple[Tick, ...]]:
    """The scale of the nights and days, and its marks."""
    known = [day.weather for day in page.days if day.weather]
    low = min((weather.night_c for weather in known), default=-5.0)
    high = max((weather.day_c for weather in known), default=10.0)
    warm = scale(min(low, -5.0), max(high, 10.0), WARM_BOTTOM, WARM_TOP)
    marks = (c for c in (-10.0, 0.0, 10.0) if low - 3 < c < high + 3)
    return warm, tuple(Tick(warm(c), f"{c:g}") for c in marks)


def _band(page: SeasonPage, at: Callable[[date], float], warm: Callable[[float], float]) -> str:
    """Between the nights and the days, there and back."""
    known = [(day.day, day.weather) for day in page.days if day.weather]
    if not known:
        return ""
    over = [f"{at(day)} {warm(weather.day_c)}" for day, weather in known]
    under = [f"{at(day)} {warm(weather.night_c)}" for day, weather in reversed(known)]
    return "M" + "L".join([*over, *under]) + "Z"


def _step(most: float) -> float:
    for step in (5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000):
        if most / step <= 4:
            return float(step)
    return 10_000.0

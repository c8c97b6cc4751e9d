"""An instrument's page: drift, pairs, its curve."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import ceil, floor

from lumbrel.services.bench.curves import OwnCurve
from lumbrel.services.bench.profile import Curve, Offset
from lumbrel.web.shell.plot import PlotPoint, Tick, scale
from lumbrel.words import _, joined, named_day, number, quantity


@dataclass(frozen=True)
class DotPicture:
    """Departures over time around a zero line, with a learnt level if there is one."""

    points: list[PlotPoint]
    ticks: list[Tick]
    dates: list[Tick]
    zero_y: float
    level_y: float | None


def _dots(values: Sequence[tuple[datetime, float, str]], level: float | None) -> DotPicture:
    lowest = min([0.0, *(v for _any, v, _other in values)]) - 0.1
    highest = max([0.0, *(v for _any, v, _other in values)]) + 0.1
    first, last = values[0][0], values[-1][0]
    hours = max((last - first) / timedelta(hours=1), 1.0)
    x, y = scale(0, hours, 84.0, 596.0), scale(lowest, highest, 264.0, 12.0)
    step = next(s for s in (0.1, 0.2, 0.5, 1.0, 2.0, 5.0) if (highest - lowest) / s <= 8)
    ticks = [
        Tick(y(i * step), number(i * step, 1)) for i in range(ceil(lowest / step), floor(highest / step) + 1)
    ]
    points = [PlotPoint(x((at - first) / timedelta(hours=1)), y(v), "", title) for at, v, title in values]
    dates = [Tick(84.0, named_day(first, "", year=False))]
    if last.date() != first.date():
        dates.append(Tick(520.0, named_day(last, "", year=False)))
    return DotPicture(points, ticks, dates, y(0.0), None if level is None else y(level))


def drift(offsets: Sequence[Offset]) -> DotPicture:
    """A thermometer's offsets over its test boils."""
    return _dots(
        [
            (
                o.at,
                o.offset_k,
                joined(
                    ": ", (named_day(o.at, "", year=False), quantity(number(o.offset_k, 2, signed=True), "K"))
                ),
            )
            for o in offsets
        ],
        None,
    )


def pairs(curve: OwnCurve) -> DotPicture:
    """How far each pair's hot reading stood from the computed mark, and the mean of it."""
    values = [
        (
            p.at,
            p.departs_by,
            _(
                "{batch_code}: {departs_by} Brix",
                batch_code=p.batch_code,
                departs_by=number(p.departs_by, 2, signed=True),
            ),
        )
        for p in curve.pairs
    ]
    mean = sum(p.departs_by for p in curve.pairs) / len(curve.pairs)
    return _dots(values, mean if curve.used else None)


@dataclass(frozen=True)
class CurvePicture:
    """An instrument's own curve beside the plain one."""

    own: str
    plain: str
    x_ticks: list[tuple[float, float]]
    y_ticks: list[tuple[float, float]]
    """Position and value, in the curve's inside units."""


def curve(of: Curve) -> CurvePicture:
    """The curve of an instrument on its own axes."""
    xs = [x for x, _any in of.own]
    ys = [y for _any, y in [*of.own, *of.plain]]
    middle, half = (max(ys) + min(ys)) / 2, max((max(ys) - min(ys)) / 2, of.least_span / 2) * 1.1
    x, y = scale(min(xs), max(xs), 84.0, 596.0), scale(middle - half, middle + half, 248.0, 14.0)

    def path(points: Sequence[tuple[float, float]]) -> str:
        return "M" + "L".join(f"{x(a)} {y(b)}" for a, b in points) if points else ""

    return CurvePicture(
        path(of.own),
        path(of.plain),
        [(x(v), v) for v in _round_steps(min(xs), max(xs))],
        [(y(v), v) for v in _round_steps(middle - half, middle + half)],
    )


def _round_steps(low: float, high: float) -> list[float]:
    """Round values between two bounds, at most seven."""
    steps = (0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000)
    step = next((s for s in steps if (high - low) / s <= 7), 2000)
    return [i * step for i in range(ceil(low / step), floor(high / step) + 1)]

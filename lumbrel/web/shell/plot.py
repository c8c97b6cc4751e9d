"""Positions on a plane: scales, ticks, points, labels kept apart."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass


def scale(low: float, high: float, start: float, end: float) -> Callable[[float], float]:
    """A linear map from values to positions, held inside the picture."""
    span = (high - low) or 1.0

    def place(value: float) -> float:
        return round(start + (min(max(value, low), high) - low) / span * (end - start), 1)

    return place


def spread(wanted: Sequence[float], gap: float, low: float, high: float) -> list[float]:
    """Positions near the wanted ones (ascending), at least `gap` apart, within bounds."""
    placed: list[float] = []
    for y in wanted:
        placed.append(max(y, placed[-1] + gap) if placed else max(y, low))
    if placed and placed[-1] > high:
        placed[-1] = high
        for i in range(len(placed) - 2, -1, -1):
            placed[i] = min(placed[i], placed[i + 1] - gap)
    return [round(y, 1) for y in placed]


@dataclass(frozen=True)
class Tick:
    """A mark on a scale."""

    at: float
    label: str
    long: bool = False


@dataclass(frozen=True)
class PlotPoint:
    """A reading in a picture."""

    x: float
    y: float
    kind: str
    title: str


def grade_key(grade: str) -> str:
    """A grade as a CSS class."""
    return grade.lower().replace(" ", "-") if grade else "ungraded"

"""The stack of layers: what each has passed, the syrup above and below."""

from dataclasses import dataclass

from lumbrel.services.filter.stack import Stack

TOP, HIGH, WIDTH = 74.0, 92.0, 250.0
MOST_LAYERS = 6


@dataclass(frozen=True, kw_only=True)
class Layer:
    """One layer as it is drawn: where, how tall, how far it is blind."""

    y: float
    height: float
    blind: float
    on_top: bool

    @property
    def shade_width(self) -> float:
        """How wide what it holds back is drawn."""
        return round(self.blind * WIDTH, 1)


@dataclass(frozen=True, kw_only=True)
class StackPicture:
    """The stack between the syrup above and that below."""

    above_y: float
    layers: list[Layer]
    hidden: int
    """Layers that there is no room for."""
    below_y: float
    drops: list[float]
    """Where drops hang: the more, the faster it runs."""


def stack(of: Stack) -> StackPicture:
    """The layers, the syrup that is still above them, and what has run through."""
    whole = max(of.after.volume_l, 0.001)
    shown = of.layers[:MOST_LAYERS]
    height = min(HIGH / max(len(shown), 1), 26.0)
    layers = [
        Layer(y=round(TOP + 6 + i * height, 1), height=round(height - 4, 1), blind=b, on_top=i == 0)
        for i, b in enumerate(shown)
    ]
    runs = 0 if not of.begun or of.done else min(max(round(of.flow_l_min * 3), 1), 5)
    return StackPicture(
        above_y=round(TOP - 60 * min(of.left_l / whole, 1.0), 1),
        layers=layers,
        hidden=len(of.layers) - len(shown),
        below_y=round(286 - 60 * min(of.passed_l / whole, 1.0), 1),
        drops=[round(155 + (i - (runs - 1) / 2) * 34, 1) for i in range(runs)],
    )

"""The season's bars."""

from collections.abc import Sequence
from dataclasses import dataclass

from lumbrel.store.kept import LotRow
from lumbrel.web.shell.plot import Tick, grade_key


@dataclass(frozen=True, kw_only=True)
class Bar:
    """One lot of the season."""

    x: float
    y: float
    width: float
    height: float
    grade: str
    title: str


@dataclass(frozen=True)
class SeasonPicture:
    """The season as bars of litres, coloured by class."""

    bars: list[Bar]
    months: list[Tick]
    width: float
    height: float


def season(
    lots: Sequence[LotRow], width: float = 620.0, height: float = 96.0
) -> SeasonPicture | None:
    """Litres of each finished lot over the season, oldest first; None without a lot."""
    if not lots:
        return None
    most = max(lot.filled_ml for lot in lots) or 1.0
    pitch = min((width - 8) / len(lots), 40.0)
    bars = []
    months: list[Tick] = []
    for i, lot in enumerate(lots):
        tall = max(lot.filled_ml / most * (height - 8), 2)
        at = round(4 + i * pitch, 1)
        month = f"{lot.taken_at:%B}"
        if not months or months[-1].label != month:
            if months and at - months[-1].at < 60:
                months.pop()
            months.append(Tick(at, month))
        bars.append(
            Bar(
                x=at,
                y=round(height - tall, 1),
                width=round(pitch * 0.72, 1),
                height=round(tall, 1),
                grade=grade_key(lot.grade),
                title=f"{lot.code}: {lot.filled_ml / 1000:.1f} L {lot.grade}",
            )
        )
    return SeasonPicture(bars, months, width, height)

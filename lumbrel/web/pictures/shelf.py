"""The season's bars and the firmness map."""

from collections.abc import Sequence
from dataclasses import dataclass

from lumbrel.services.candy import Plan
from lumbrel.services.shelf import GRADES, Lot
from lumbrel.web.pictures.plot import Tick, scale


@dataclass(frozen=True)
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


def season(lots: Sequence[Lot], width: float = 620.0, height: float = 96.0) -> SeasonPicture | None:
    """Litres of each finished lot over the season; None without a lot."""
    if not lots:
        return None
    ordered = sorted(lots, key=lambda lot: lot.batch.opened_at)
    most = max(lot.volume_l for lot in ordered) or 1.0
    pitch = min((width - 8) / len(ordered), 40.0)
    bars = []
    months: list[Tick] = []
    for i, lot in enumerate(ordered):
        tall = max(lot.volume_l / most * (height - 8), 2)
        at = round(4 + i * pitch, 1)
        month = f"{lot.batch.opened_at:%B}"
        if not months or months[-1].label != month:
            if months and at - months[-1].at < 60:
                months.pop()
            months.append(Tick(at, month))
        bars.append(
            Bar(at, round(height - tall, 1), round(pitch * 0.72, 1), round(tall, 1), grade_key(lot.grade),
                f"{lot.code}, {lot.woodlot}: {lot.volume_l:.1f} L {lot.grade}")
        )  # fmt: skip
    return SeasonPicture(bars, months, width, height)


def grade_key(grade: str) -> str:
    """A grade as a CSS class."""
    return grade.lower().replace(" ", "-") if grade in GRADES else "ungraded"


@dataclass(frozen=True)
class FirmnessPlace:
    """Confections of one boil on the map: right is a hotter boil, up is more crystal."""

    plans: list[Plan]
    label: str
    x: float
    y: float
    low_x: float
    high_x: float
    label_y: float
    left: bool


def firmness(plans: Sequence[Plan]) -> list[FirmnessPlace]:
    """Confections that set, by boil above water and crystal share; same boil, one place."""
    x, y = scale(11.5, 26.0, 60.0, 560.0), scale(0.45, 0.72, 250.0, 24.0)
    groups: dict[float, list[Plan]] = {}
    for plan in plans:
        if plan.confection.middle_above_water_k < 30:
            groups.setdefault(plan.confection.middle_above_water_k, []).append(plan)
    places = []
    for i, middle in enumerate(sorted(groups)):
        group = groups[middle]
        height = y(group[0].crystal_fraction)
        places.append(
            FirmnessPlace(
                group, ", ".join(p.confection.full_name for p in group), x(middle), height,
                min(x(p.confection.low_above_water_k) for p in group),
                max(x(p.confection.high_above_water_k) for p in group),
                height + (-14 if i % 2 == 0 and i else 22), middle > 20,
            )
        )  # fmt: skip
    return places

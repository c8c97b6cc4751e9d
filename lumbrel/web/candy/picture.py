"""The firmness map."""

from collections.abc import Sequence
from dataclasses import dataclass

from lumbrel.services.candy.plan import Plan
from lumbrel.web.shell.plot import Tick, scale


@dataclass(frozen=True, kw_only=True)
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


CRYSTAL = scale(0.45, 0.72, 250.0, 24.0)
"""Where a share of crystal stands on the map."""


def crystal_ticks() -> list[Tick]:
    """Shares of crystal along the edge, percent."""
    return [Tick(CRYSTAL(percent / 100), str(percent)) for percent in (50, 60, 70)]


def firmness(plans: Sequence[Plan]) -> list[FirmnessPlace]:
    """Confections that set, by boil above water and crystal share; same boil, one place."""
    x, y = scale(11.5, 26.0, 60.0, 560.0), CRYSTAL
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
                plans=group,
                label=", ".join(p.confection.full_name for p in group),
                x=x(middle),
                y=height,
                low_x=min(x(p.confection.low_above_water_k) for p in group),
                high_x=max(x(p.confection.high_above_water_k) for p in group),
                label_y=height + (-14 if i % 2 == 0 and i else 22),
                left=middle > 20,
            )
        )
    return places

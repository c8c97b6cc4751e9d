"""The heat ladder."""

from dataclasses import dataclass

from lumbrel.services.day.ladder import DayCheck, Rung
from lumbrel.web.shell.plot import scale, spread


@dataclass(frozen=True)
class RungPlace:
    """A rung at its height, its label moved clear of its neighbours."""

    rung: Rung
    y: float
    label_y: float
    top_y: float
    bottom_y: float

    @property
    def figure_y(self) -> float:
        """Where its figure stands; that of the finish is larger."""
        return self.label_y + (12 if self.rung.rank == "finish" else 8)


@dataclass(frozen=True)
class LadderPicture:
    """The heat ladder; what is too hot for it stands above a break."""

    rungs: list[RungPlace]
    top: float
    bottom: float
    syrup_y: float
    broken: bool


def ladder(day: DayCheck, height: float = 640.0) -> LadderPicture:
    """Rungs from boiling water up; hard drops stand above a break in the scale."""
    top, bottom = 86.0, height - 24
    usual = [r for r in day.rungs if r.above_water_k < 30]
    beyond = [r for r in day.rungs if r.above_water_k >= 30]
    hottest = max(r.high_shown_c for r in usual)
    coldest = min(r.shown_c for r in usual)
    place = scale(coldest, hottest, bottom, top)
    ordered = sorted(usual, key=lambda r: -r.shown_c)
    labels = spread([place(r.shown_c) for r in ordered], 33.0, top, bottom)
    places = [
        RungPlace(r, place(r.shown_c), y, place(r.high_shown_c), place(r.low_shown_c))
        for r, y in zip(ordered, labels, strict=True)
    ]
    for rung in beyond:
        places.insert(0, RungPlace(rung, 34.0, 34.0, 26.0, 42.0))
    finish = next((p.y for p in places if p.rung.rank == "finish"), bottom)
    return LadderPicture(places, top, bottom, finish, bool(beyond))

"""The firmness map: boil across, stirring upwards; bands of crystal, lines of grain, confections as plates."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from lumbrel.services.candy.day import CandyDay
from lumbrel.services.candy.firm_map import (
    COLDEST_STIR_C,
    HOTTEST_STIR_C,
    LEAST_ABOVE_K,
    MOST_ABOVE_K,
    MapLook,
    Region,
)
from lumbrel.services.candy.learnt import Dot
from lumbrel.web.candy import pot_picture
from lumbrel.web.shell.plot import scale
from lumbrel.words import _, bare, joined

boiling, cooling, stirring = pot_picture.boiling, pot_picture.cooling, pot_picture.stirring

LEFT, RIGHT, TOP, BOTTOM = 62.0, 820.0, 14.0, 500.0
X = scale(LEAST_ABOVE_K, MOST_ABOVE_K, LEFT, RIGHT)
Y = scale(COLDEST_STIR_C, HOTTEST_STIR_C, BOTTOM, TOP)
STIR_TICKS_C = (20.0, 40.0, 60.0, 80.0, 100.0, 120.0)
LABEL_WIDE = 8.3


THINNEST_BRIX = 80.0
"""Where the bar of a confection's solids begins."""


def dry(solids_brix: float, width: float) -> float:
    """How much of a bar that wide stands for the solids, from 80 °Bx to dry."""
    share = (solids_brix - THINNEST_BRIX) / (100.0 - THINNEST_BRIX)
    return round(width * min(max(share, 0.0), 1.0), 1)


@dataclass(frozen=True)
class Band:
    """Boils that leave about so much crystal; `label` stands at its left edge, empty for the first."""

    x: float
    width: float
    shade: int
    label: str


@dataclass(frozen=True)
class GrainLine:
    """A line of one supersaturation, with its label at its end."""

    points: str
    x: float
    y: float
    label: str


@dataclass(frozen=True, kw_only=True)
class Plate:
    """A confection's region."""

    region: Region
    x: float
    y: float
    width: float
    height: float
    label_x: float
    label_y: float


@dataclass(frozen=True, kw_only=True)
class MapPicture:
    """The map as it is drawn."""

    span: str
    """Of the map: boils above water in K, and stirring in degC, each from low to high."""
    bands: list[Band]
    grains: list[GrainLine]
    plates: list[Plate]
    too_late: str
    """Where it sets in the pot, as a path; empty where nowhere."""
    x: float
    y: float
    marks: list[tuple[float, float, float]]
    """Where, above water in K, and what the thermometer shows."""
    stirs: list[tuple[float, float]]


def firmness(look: MapLook) -> MapPicture:
    """The map for a pressure, a serving temperature and a point."""
    edges = [(LEAST_ABOVE_K, 0.0), *((k, share) for share, k in look.crystal_lines)]
    ends = [*(k for k, _any in edges[1:]), MOST_ABOVE_K]
    bands = [
        Band(
            X(k),
            round(X(end) - X(k), 1),
            round(20 * (share or look.crystal_lines[0][0] - 0.05)),
            f"{100 * share:.0f} %" if share else "",
        )
        for (k, share), end in zip(edges, ends, strict=True)
    ]
    plates = _plates(look.regions)
    return MapPicture(
        span=f"{LEAST_ABOVE_K:.3f} {MOST_ABOVE_K:.3f} {COLDEST_STIR_C} {HOTTEST_STIR_C}",
        bands=bands,
        grains=[_grain(level, points, plates) for level, points in look.grain_lines],
        plates=plates,
        too_late=_below(look.sets_in_pot),
        x=X(look.point.above_water_k),
        y=Y(look.point.stir_c),
        marks=[(X(k), k, shown) for k, shown in look.marks],
        stirs=[(Y(c), c) for c in STIR_TICKS_C],
    )


def _grain(level: float, points: Sequence[tuple[float, float]], plates: list[Plate]) -> GrainLine:
    """A line of one grain, with its label as far right on it as no name stands in the way."""
    path = " ".join(f"{X(at)},{Y(stir)}" for at, stir in points)
    wide = SMALL_SCREEN * LABEL_WIDE
    names = ((one.label_x, one.label_y, len(one.region.confection.full_name)) for one in plates)
    taken = [(x, y - 24, x + wide * letters, y + 6) for x, y, letters in names]
    ends = [(min(X(k), RIGHT - 4), Y(c) - 6) for k, c in reversed(points)]
    free = (end for end in ends if _free((end[0] - GRAIN_WIDE, end[1]), GRAIN_WIDE, taken))
    x, y = next(free, ends[0])
    return GrainLine(path, x, y, joined("", (bare(level), "×")))


GRAIN_WIDE, SMALL_SCREEN = 64.0, 1.5
"""Letters are so much larger in the picture where that is small."""


@dataclass(frozen=True)
class DotMark:
    """An earlier cook on the map."""

    x: float
    y: float
    kind: str
    title: str


def dots(of: Sequence[Dot]) -> list[DotMark]:
    """The last cooks that the map's scales reach."""
    found = []
    for dot in of:
        seen = dot.seen
        if not LEAST_ABOVE_K <= seen.above_water_k <= MOST_ABOVE_K:
            continue
        stir = HOTTEST_STIR_C - 10 if seen.stir_c is None else seen.stir_c
        said = dot.verdict or "unscored"
        found.append(DotMark(X(seen.above_water_k), Y(stir), said, f"{dot.code}: {dot.words}"))
    return found


def _below(edge: list[tuple[float, float]]) -> str:
    """The map under an edge."""
    if len(edge) < 2:
        return ""
    along = "L".join(f"{X(k)} {Y(c)}" for k, c in edge)
    return f"M{along}L{X(edge[-1][0])} {BOTTOM}L{X(edge[0][0])} {BOTTOM}Z"


Rect = tuple[float, float, float, float]
"""Left, top, right, bottom."""


def _plates(regions: list[Region]) -> list[Plate]:
    """Each region with its label where it lies on no plate and no other label."""
    boxes = [(X(one.low_k), Y(one.hot_c), X(one.high_k), Y(one.cold_c)) for one in regions]
    taken: list[Rect] = list(boxes)
    found = []
    for region, (x, top, right, bottom) in zip(regions, boxes, strict=True):
        wide = LABEL_WIDE * len(region.confection.full_name)
        middle = (top + bottom) / 2 + 5
        places = [
            (x, top - 8),
            (x, bottom + 20),
            (right + 8, middle),
            (x - 8 - wide, middle),
            (right - wide, top - 8),
            (right - wide, bottom + 20),
        ]
        at = next((one for one in places if _free(one, wide, taken)), places[0])
        taken.append(_label(at, wide))
        found.append(
            Plate(
                region=region,
                x=x,
                y=top,
                width=round(right - x, 1),
                height=round(bottom - top, 1),
                label_x=round(at[0], 1),
                label_y=round(at[1], 1),
            )
        )
    return found


def _label(at: tuple[float, float], wide: float) -> Rect:
    return at[0], at[1] - 14, at[0] + wide, at[1] + 4


def _free(at: tuple[float, float], wide: float, taken: list[Rect]) -> bool:
    left, top, right, bottom = _label(at, wide)
    if left < LEFT or right > RIGHT or top < TOP:
        return False
    return not any(left < r and right > x and top < b and bottom > t for x, t, r, b in taken)


LANE_LEFT, LANE_RIGHT, LANE_TOP, LANE_HIGH = 90.0, 1170.0, 30.0, 54.0


@dataclass(frozen=True, kw_only=True)
class PartBar:
    """A part of a batch in its lane."""

    x: float
    y: float
    width: float
    height: float
    kind: str
    title: str


@dataclass(frozen=True)
class PartLabel:
    """A batch's name above its first part."""

    x: float
    y: float
    text: str


@dataclass(frozen=True, kw_only=True)
class DayPicture:
    """A day pot by pot, and the hands below."""

    height: float
    hours: list[tuple[float, datetime]]
    lanes: list[tuple[float, str]]
    bars: list[PartBar]
    labels: list[PartLabel]


def day(of: CandyDay) -> DayPicture:
    """A lane for each pot, and one for the hands."""
    whole = (of.ends - of.begins) / timedelta(minutes=1)
    x = scale(0, whole, LANE_LEFT, LANE_RIGHT)

    def at(moment: datetime) -> float:
        return x((moment - of.begins) / timedelta(minutes=1))

    step = next(s for s in (15, 30, 60, 120, 240, 480, 1440) if whole / s <= 12 or s == 1440)
    hours = [
        (x(minutes), of.begins + timedelta(minutes=minutes)) for minutes in range(0, int(whole) + 1, step)
    ]
    bars, labels = [], []
    for batch in of.batches:
        y = LANE_TOP + batch.pot * LANE_HIGH
        labels.append(PartLabel(at(batch.begins) + 2, y + 12, batch.name))
        for part in batch.parts:
            title = f"{batch.name}: {part.name}"
            wide = max(round(at(part.ends) - at(part.begins), 1), 1.0)
            kind = part.name.replace(" ", "-")
            bars.append(PartBar(x=at(part.begins), y=y + 18, width=wide, height=26, kind=kind, title=title))
            if part.hands:
                low = LANE_TOP + of.pots * LANE_HIGH + 14
                bars.append(
                    PartBar(x=at(part.begins), y=low, width=wide, height=18, kind="hands", title=title)
                )
    lanes = [(LANE_TOP + i * LANE_HIGH + 36, _("Pot {i}", i=i + 1)) for i in range(of.pots)]
    lanes.append((LANE_TOP + of.pots * LANE_HIGH + 28, _("Hands")))
    return DayPicture(
        height=LANE_TOP + of.pots * LANE_HIGH + 44, hours=hours, lanes=lanes, bars=bars, labels=labels
    )

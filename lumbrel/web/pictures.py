"""Geometry of the pictures. Positions only: every figure in them comes from a service."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import ceil, floor

from lumbrel.services.candy import Plan
from lumbrel.services.day import Day, Rung
from lumbrel.services.instruments import Offset, OwnCurve
from lumbrel.services.pan import Board, Cup
from lumbrel.services.shelf import GRADES, Lot


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
class RungPlace:
    """A rung at its height, its label moved clear of its neighbours."""

    rung: Rung
    y: float
    label_y: float
    top_y: float
    bottom_y: float


@dataclass(frozen=True)
class LadderPicture:
    """The heat ladder; what is too hot for it stands above a break."""

    rungs: list[RungPlace]
    top: float
    bottom: float
    syrup_y: float
    broken: bool


def ladder(day: Day, height: float = 640.0) -> LadderPicture:
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


@dataclass(frozen=True)
class Tick:
    """A mark on a scale."""

    at: float
    label: str
    long: bool = False


@dataclass(frozen=True)
class CupPicture:
    """The stem in its cup: the surface stays, the stem rises with density."""

    ticks: list[Tick]
    surface: float
    stem_top: float
    stem_bottom: float
    mark_y: float | None
    floats: bool
    pixels_per_brix: float


def cup(of: Cup) -> CupPicture:
    """The stem placed so that its reading stands at the surface of the syrup."""
    surface, pixels = 104.0, 5.6
    at_surface = of.low_brix if of.floats_at is None else of.floats_at

    def y(brix: float) -> float:
        return round(surface + (brix - at_surface) * pixels, 1)

    ticks = []
    for i in range(ceil(of.low_brix), floor(of.high_brix) + 1):
        if 6 <= y(i) <= 262:
            ticks.append(Tick(y(i), str(i) if i % 5 == 0 else "", i % 5 == 0))
    mark = None if of.mark_brix is None else min(max(y(of.mark_brix), 16.0), 250.0)
    return CupPicture(
        ticks, surface, max(y(of.low_brix) - 20, -20.0), min(y(of.high_brix) + 4, 236.0), mark,
        not of.below_scale, pixels,
    )  # fmt: skip


@dataclass(frozen=True)
class Point:
    """A reading in a picture."""

    x: float
    y: float
    kind: str
    title: str


@dataclass(frozen=True)
class RunPicture:
    """Brix against time with the fitted path, and the probe's temperature beneath."""

    path: str
    ahead: str
    band: str
    temperature: str
    points: list[Point]
    brix_ticks: list[Tick]
    time_ticks: list[Tick]
    now_x: float
    finish_x: float | None
    target_y: float
    band_top: float
    band_height: float
    temperature_now_y: float | None


def run(board: Board, clock: Callable[..., str]) -> RunPicture:
    """The run from the boil's start to a little past the finish."""
    seen, now = board.evidence, board.context.now
    minute_now = max(seen.minute(now), 0.0)
    finish = minute_now + min(board.minutes_left, 240.0)
    last = max(finish * 1.04 + 3, minute_now + 5)
    first_brix = max(floor((seen.fitted.brix_at(0) - 2) / 5) * 5, 0)
    x = scale(0.0, last, 44.0, 604.0)
    y = scale(first_brix, 70.0, 204.0, 14.0)

    def line(minutes: Sequence[float], shift: float = 0.0) -> list[str]:
        return [
            f"{x(m):.1f} {y(seen.fitted.brix_at(m) + shift * seen.fitted.sigma_brix_at(m)):.1f}"
            for m in minutes
        ]

    def between(start: float, end: float, count: int) -> list[float]:
        return [start + (end - start) * i / (count - 1) for i in range(count)]

    past, ahead = between(0, minute_now, 40), between(minute_now, finish, 20)
    whole = between(0, finish, 50)
    band = [*line(whole, 1.0), *reversed(line(whole, -1.0))]
    points = [
        Point(x(seen.minute(r.at)), y(r.brix), r.kind, f"{clock(r.at)} {r.instrument.name} {r.brix:.1f} Brix")
        for r in seen.readings
        if r.brix is not None
    ]  # fmt: skip
    samples = [s for s in seen.probe_samples if s.at >= seen.boil_start]
    temperature = ""
    temperature_y = None
    if len(samples) > 1:
        values = [s.value for s in samples]
        ty = scale(min(values) - 0.2, max(max(values), board.draw_shown_c or 0) + 0.1, 282.0, 238.0)
        temperature = "M" + "L".join(
            f"{x(seen.minute(s.at)):.1f} {ty(s.value):.1f}" for s in samples
        )
        temperature_y = ty(values[-1])
    every = next((step for step in (5, 10, 15, 30, 60) if last / step <= 8), 120)
    times = []
    for m in range(0, int(last) + 1, every):
        times.append(Tick(x(m), clock(seen.boil_start + timedelta(minutes=m))))
    lines = [Tick(y(b), str(b)) for b in range(int(first_brix), 71, 5)]
    return RunPicture(
        "M" + "L".join(line(past)), "M" + "L".join(line(ahead)), "M" + "L".join(band) + "Z",
        temperature, points, lines, times, x(minute_now),
        x(finish) if board.finish_at else None, y(board.context.batch.target_brix),
        y(68.9), y(66.0) - y(68.9), temperature_y,
    )  # fmt: skip


@dataclass(frozen=True)
class WordPlace:
    """One instrument on the agreement axis."""

    label: str
    kind: str
    live: bool
    brix: float
    x: float
    low_x: float
    high_x: float
    y: float
    odd: bool


@dataclass(frozen=True)
class AgreementPicture:
    """One Brix axis, every instrument with its spread, the joint value, the draw band."""

    words: list[WordPlace]
    ticks: list[Tick]
    joint_x: float
    joint_low_x: float
    joint_high_x: float
    floor_x: float
    ceiling_x: float
    target_x: float
    height: float


def agreement(board: Board) -> AgreementPicture:
    """The instruments' words now on one axis that always holds the draw band."""
    words = board.evidence.words
    lows = [w.estimate.brix - 2 * w.estimate.sigma_brix for w in words if w.estimate.sigma_brix < 4]
    highs = [
        w.estimate.brix + 2 * w.estimate.sigma_brix for w in words if w.estimate.sigma_brix < 4
    ]
    low = floor(min([board.joint.brix - 2, 65.0, *lows]))
    high = ceil(max([board.joint.brix + 2, 70.0, *highs]))
    x = scale(low, high, 150.0, 870.0)
    height = 30.0 + 26.0 * max(len(words), 1)
    places = [
        WordPlace(
            w.estimate.label, w.reading.kind, w.live, w.estimate.brix, x(w.estimate.brix),
            x(w.estimate.brix - w.estimate.sigma_brix), x(w.estimate.brix + w.estimate.sigma_brix),
            20.0 + 26 * i, w.estimate.label == board.odd,
        )
        for i, w in enumerate(words)
    ]  # fmt: skip
    step = 1 if high - low <= 14 else 2 if high - low <= 28 else 5
    ticks = [Tick(x(b), str(b)) for b in range(ceil(low / step) * step, int(high) + 1, step)]
    joint = board.joint
    return AgreementPicture(
        places, ticks, x(joint.brix), x(joint.brix - joint.sigma_brix),
        x(joint.brix + joint.sigma_brix), x(66.0), x(68.9), x(board.context.batch.target_brix), height,
    )  # fmt: skip


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


@dataclass(frozen=True)
class DotPicture:
    """Departures over time around a zero line, with a learnt level if there is one."""

    points: list[Point]
    ticks: list[Tick]
    dates: list[Tick]
    zero_y: float
    level_y: float | None


def _dots(values: Sequence[tuple[datetime, float, str]], level: float | None) -> DotPicture:
    lowest = min([0.0, *(v for _, v, _ in values)]) - 0.1
    highest = max([0.0, *(v for _, v, _ in values)]) + 0.1
    first, last = values[0][0], values[-1][0]
    hours = max((last - first) / timedelta(hours=1), 1.0)
    x, y = scale(0, hours, 84.0, 596.0), scale(lowest, highest, 264.0, 12.0)
    step = next(s for s in (0.1, 0.2, 0.5, 1.0, 2.0, 5.0) if (highest - lowest) / s <= 8)
    ticks = [
        Tick(y(i * step), f"{i * step:.1f}")
        for i in range(ceil(lowest / step), floor(highest / step) + 1)
    ]
    points = [
        Point(x((at - first) / timedelta(hours=1)), y(v), "", title) for at, v, title in values
    ]
    dates = [Tick(84.0, f"{first.day} {first:%B}")]
    if last.date() != first.date():
        dates.append(Tick(520.0, f"{last.day} {last:%B}"))
    return DotPicture(points, ticks, dates, y(0.0), None if level is None else y(level))


def drift(offsets: Sequence[Offset]) -> DotPicture:
    """A thermometer's offsets over its test boils."""
    return _dots([(o.at, o.offset_k, f"{o.at:%d %B}: {o.offset_k:+.2f} K") for o in offsets], None)


def pairs(curve: OwnCurve) -> DotPicture:
    """How far each pair's hot reading stood from the computed mark, and the mean of it."""
    values = [
        (p.at, p.departs_by, f"{p.batch_code}: {p.departs_by:+.2f} Brix") for p in curve.pairs
    ]
    mean = sum(p.departs_by for p in curve.pairs) / len(curve.pairs)
    return _dots(values, mean if curve.used else None)

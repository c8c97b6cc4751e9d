"""The candy pot's pictures: its way to the mark beside the cold-water signs, its cooling, its stirring."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import isfinite

from lumbrel.services.base.figures import FIGURES
from lumbrel.services.candy.choices import SIGNS
from lumbrel.services.candy.off_fire import CoolingPot, PotCooling
from lumbrel.services.candy.on_fire import Boiling
from lumbrel.services.candy.pot import CookBoard
from lumbrel.web.shell.plot import Tick, scale, spread

LEFT, RIGHT, TOP, BOTTOM = 50.0, 560.0, 16.0, 330.0
LEAST_K, BEYOND_K, BACK_MIN, AHEAD_MIN = 0.0, 5.0, 16.0, 45.0
PATH_STEPS = 60
SIGN_GAP = 24.0
Scale = Callable[[float], float]


@dataclass(frozen=True, kw_only=True)
class SignMark:
    """A cold-water sign beside the scale."""

    name: str
    looks: str
    key: str
    top: float
    height: float
    label_y: float
    on: bool


@dataclass(frozen=True, kw_only=True)
class Way:
    """Temperature against time, with where it is to go and when."""

    ticks: list[Tick]
    """Labels in degC as its thermometer shows them."""
    shown: list[float]
    hours: list[tuple[float, datetime]]
    past: str
    ahead: str
    readings: list[tuple[float, float]]
    now_x: float
    now_y: float | None
    mark_y: float
    band_top: float
    band_bottom: float
    at_x: float | None
    early_x: float
    late_x: float
    label_left: bool
    foam_top: float = 0.0
    foam_bottom: float = 0.0
    signs: tuple[SignMark, ...] = ()


def _hours(begin: datetime, end: datetime) -> list[datetime]:
    whole = (end - begin) / timedelta(minutes=1)
    step = next(s for s in (2, 5, 10, 15, 30, 60, 120, 240) if whole / s <= 6 or s == 240)
    first = begin.replace(second=0, microsecond=0)
    first += timedelta(minutes=(-first.minute) % step or step)
    found = []
    while first < end:
        found.append(first)
        first += timedelta(minutes=step)
    return found


def boiling(board: CookBoard, step_k: float = 5.0) -> Way:
    """A pot on the fire: its readings, the way to the mark, and the signs beside the scale."""
    seen = board.boiling
    assert seen is not None
    now, mark = board.context.now, board.cook.above_water_k
    left = seen.minutes if isfinite(seen.minutes) else AHEAD_MIN
    first = seen.shown[0].at if seen.shown else now
    begin = max(first, now - timedelta(minutes=BACK_MIN))
    begin = min(begin, now - timedelta(minutes=4))
    end = now + timedelta(minutes=min(max(left * 1.25, 6.0), AHEAD_MIN))
    high = max(mark, seen.above_now_k or 0.0) + BEYOND_K
    x = scale(begin.timestamp(), end.timestamp(), LEFT, RIGHT)
    y = scale(LEAST_K, high, BOTTOM, TOP)
    ticks = [k * step_k for k in range(int(high / step_k) + 1)]
    early = now + timedelta(minutes=min(seen.heating_minutes + seen.left.low, 600.0))
    late = now + timedelta(minutes=min(seen.heating_minutes + min(seen.left.high, 600.0), 600.0))
    at = now + timedelta(minutes=min(left, 600.0))
    at_x = x(at.timestamp()) if at <= end and left > 0.2 else None
    return Way(
        ticks=[Tick(y(k), f"{k:g}") for k in ticks],
        shown=[board.shown_c(board.water_c + k) for k in ticks],
        hours=[(x(t.timestamp()), t) for t in _hours(begin, end)],
        past="",
        ahead=_path(board, seen, end, x, y),
        readings=[
            (x(s.at.timestamp()), y(s.above_k)) for s in seen.shown if s.at >= begin and s.above_k >= 0
        ],
        now_x=x(now.timestamp()),
        now_y=None if seen.shown_now_k is None else y(seen.shown_now_k),
        mark_y=y(mark),
        band_top=y(board.piece.high_above_water_k),
        band_bottom=y(board.piece.low_above_water_k),
        at_x=at_x,
        early_x=x(early.timestamp()),
        late_x=x(late.timestamp()),
        label_left=(at_x or 0.0) > (LEFT + RIGHT) / 2,
        foam_top=y(FIGURES.candy_foam_high_k),
        foam_bottom=y(FIGURES.candy_foam_low_k),
        signs=_signs(board, high, y),
    )


def _path(board: CookBoard, seen: Boiling, end: datetime, x: Scale, y: Scale) -> str:
    """From now to the mark, by the fit."""
    if seen.fit is None or not isfinite(seen.left.minutes):
        return ""
    now, fit = board.context.now, seen.fit
    minutes = min(seen.left.minutes, (end - now) / timedelta(minutes=1))
    points = []
    for i in range(PATH_STEPS + 1):
        after = minutes * i / PATH_STEPS
        above = fit.curve.above_at(fit.left_share - fit.rate_share * after)
        points.append(f"{x((now + timedelta(minutes=after)).timestamp())},{y(above)}")
    return " ".join(points)


def _signs(board: CookBoard, high_k: float, y: Scale) -> tuple[SignMark, ...]:
    """The signs whose bands the scale reaches, labels apart."""
    known = [sign for sign in SIGNS if sign.low_k < high_k]
    tops = [y(min(sign.high_k, high_k)) for sign in known]
    bottoms = [y(sign.low_k) for sign in known]
    middles = [(a + b) / 2 + 5 for a, b in zip(tops, bottoms, strict=True)]
    labels = list(reversed(spread(list(reversed(middles)), SIGN_GAP, TOP + 12, BOTTOM - 8)))
    mark = board.cook.above_water_k
    return tuple(
        SignMark(
            name=sign.name,
            looks=sign.looks,
            key=sign.key,
            top=top,
            height=round(bottom - top, 1),
            label_y=label,
            on=sign.low_k <= mark <= sign.high_k,
        )
        for sign, top, bottom, label in zip(known, tops, bottoms, labels, strict=True)
    )


def cooling(seen: CoolingPot, shown_c: Callable[[float], float], step_c: float = 10.0) -> Way | None:
    """A pot that cools, and when it is cool enough; None before it was read."""
    if seen.fit is None or seen.now_c is None or seen.to_c is None:
        return None
    now = seen.now
    expected, low, high = seen.minutes
    ahead = expected if isfinite(expected) else 60.0
    begin, end = seen.begins, now + timedelta(minutes=min(max(ahead * 1.3, 5.0), 300.0))
    hottest = max([seen.now_c, *(s.true_c for s in seen.shown)]) + 4
    coldest = min(seen.to_c - 6, seen.now_c - 4)
    x = scale(begin.timestamp(), end.timestamp(), LEFT, RIGHT)
    y = scale(coldest, hottest, BOTTOM, TOP)
    gone = _cooling_line(seen.fit, (begin, begin, now), x, y)
    to_come = _cooling_line(seen.fit, (begin, now, end), x, y)
    step = next(s for s in (step_c, 2 * step_c, 4 * step_c) if (hottest - coldest) / s <= 8)
    degrees = [step * i for i in range(int(coldest / step) + 1, int(hottest / step) + 1)]
    reach = end - now

    def later(minutes: float) -> float:
        bounded = min(timedelta(minutes=min(minutes, 1e5)), reach)
        return x((now + bounded).timestamp())

    at_x = later(expected) if isfinite(expected) and expected > 0 else None
    return Way(
        ticks=[Tick(y(c), f"{c:g}") for c in degrees],
        shown=[shown_c(c) for c in degrees],
        hours=[(x(t.timestamp()), t) for t in _hours(begin, end)],
        past=gone,
        ahead=to_come,
        readings=[(x(s.at.timestamp()), y(s.true_c)) for s in seen.shown],
        now_x=x(now.timestamp()),
        now_y=y(seen.now_c),
        mark_y=y(seen.to_c),
        band_top=y(seen.to_c),
        band_bottom=y(coldest),
        at_x=at_x,
        early_x=later(low),
        late_x=later(high),
        label_left=(at_x or 0.0) > (LEFT + RIGHT) / 2,
    )


def _cooling_line(fit: PotCooling, span: tuple[datetime, datetime, datetime], x: Scale, y: Scale) -> str:
    """A pot's cooling from one moment to another; its clock begins at the first of three."""
    begin, low, high = span
    points = []
    for i in range(PATH_STEPS + 1):
        at = low + (high - low) * i / PATH_STEPS
        warm = fit.temperature_c_at((at - begin) / timedelta(minutes=1))
        points.append(f"{x(at.timestamp())},{y(warm)}")
    return " ".join(points)


@dataclass(frozen=True, kw_only=True)
class Stirring:
    """The minutes of stirring: where it is, when it may turn, and what is to be seen on the way."""

    now_x: float
    early_x: float
    turn_x: float
    late_x: float
    sees: list[tuple[float, str]]
    minutes: list[tuple[float, int]]


BAR_LEFT, BAR_RIGHT = 16.0, 744.0


def stirring(board: CookBoard) -> Stirring:
    """A pot that is stirred."""
    assert board.turn is not None
    turn = board.turn
    end = max(turn.high * 1.1, board.stirred_min * 1.05)
    x = scale(0.0, end, BAR_LEFT, BAR_RIGHT)
    step = next(s for s in (1, 2, 5, 10, 20, 60) if end / s <= 12 or s == 60)
    return Stirring(
        now_x=x(board.stirred_min),
        early_x=x(turn.low),
        turn_x=x(turn.minutes),
        late_x=x(turn.high),
        sees=[(x(share * turn.minutes), looks) for share, looks in turn.all_sees(board.piece.key)],
        minutes=[(x(float(m)), m) for m in range(0, int(end) + 1, step)],
    )

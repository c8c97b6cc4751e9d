"""The pan's pictures: cup, run, agreement."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import timedelta
from math import ceil, floor

from lumbrel.core.bench import baume
from lumbrel.services.pan import Board, Cup
from lumbrel.web.pictures.plot import Point, Tick, scale


@dataclass(frozen=True)
class CupPicture:
    """The stem in its cup: the surface stays, the stem rises with density."""

    ticks: list[Tick]
    baume_ticks: list[Tick]
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
    marks = [(be, baume.to_brix(be)) for be in range(1, 45)] if of.baume else []
    degrees = [
        Tick(y(brix), str(be) if be % 2 == 0 else "", be % 2 == 0)
        for be, brix in marks
        if of.low_brix <= brix <= of.high_brix and 6 <= y(brix) <= 262
    ]
    mark = None if of.mark_brix is None else min(max(y(of.mark_brix), 16.0), 250.0)
    return CupPicture(
        ticks, degrees, surface, max(y(of.low_brix) - 20, -20.0), min(y(of.high_brix) + 4, 236.0), mark,
        not of.below_scale, pixels,
    )  # fmt: skip


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
    aside: bool = False
    """Not counted, by the batch's school of what to trust."""


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
    words = [*board.evidence.words, *board.evidence.set_aside]
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
            20.0 + 26 * i, w.estimate.label == board.odd, w in board.evidence.set_aside,
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

"""The pan's pictures: cup, run, agreement."""

from collections.abc import Callable
from dataclasses import dataclass
from math import ceil, floor, hypot

from lumbrel.core.errors import OutOfRange
from lumbrel.services.base.facts import SignFacts
from lumbrel.services.base.figures import FIGURES
from lumbrel.services.pan.board import Board
from lumbrel.services.pan.cup import Cup
from lumbrel.services.pan.evidence_words import STILL_SPEAKS
from lumbrel.services.pan.signs import SIGNS
from lumbrel.web.shell.plot import Tick, scale, spread

AXIS_FROM_X = 196.0
"""Where the axis of the agreement begins; names and values stand before it."""


@dataclass(frozen=True, kw_only=True)
class CupPicture:
    """The stem in its cup: the surface stays, the stem rises with density."""

    ticks: list[Tick]
    baume_ticks: list[Tick]
    surface: float
    stem_top: float
    stem_bottom: float
    mark_y: float | None
    pixels_per_brix: float

    @property
    def stem_height(self) -> float:
        """How tall the stem is drawn."""
        return max(self.stem_bottom - self.stem_top, 20.0)

    @property
    def bulb(self) -> str:
        """The bulb under the stem."""
        neck, wide, low = self.stem_bottom - 12, self.stem_bottom, self.stem_bottom + 30
        return f"M60 {neck}C46 {wide} 46 {low} 80 {low}C114 {low} 114 {wide} 100 {neck}Z"

    @property
    def flag_y(self) -> float:
        """Where the flag of the mark stands: clear of the one at the surface."""
        mark = self.surface if self.mark_y is None else self.mark_y
        if abs(mark - self.surface) > FLAGS_APART:
            return mark
        return self.surface + (FLAGS_APART + 1 if mark >= self.surface else -FLAGS_APART - 1)


FLAGS_APART = 36.0
SURFACE_Y, PIXELS_PER_BRIX = 104.0, 5.6


def cup(of: Cup) -> CupPicture:
    """The stem placed so that its reading stands at the surface of the syrup."""
    at_surface = of.low_brix if of.floats_at is None else of.floats_at

    def y(brix: float) -> float:
        return round(SURFACE_Y + (brix - at_surface) * PIXELS_PER_BRIX, 1)

    top, bottom = max(y(of.low_brix) - 20, -20.0), min(y(of.high_brix) + 4, 236.0)

    def on_stem(brix: float) -> bool:
        return max(6, top + 8) < y(brix) < bottom - 10

    whole = [i for i in range(ceil(of.low_brix), floor(of.high_brix) + 1) if on_stem(i)]
    degrees = [(be, brix) for be, brix in of.baume_marks if on_stem(brix)]
    inside = [(be, brix) for be, brix in degrees if of.low_brix <= brix <= of.high_brix]
    return CupPicture(
        ticks=[Tick(y(i), str(i) if i % 5 == 0 else "", i % 5 == 0) for i in whole],
        baume_ticks=[Tick(y(brix), str(be) if be % 2 == 0 else "", be % 2 == 0) for be, brix in inside],
        surface=SURFACE_Y,
        stem_top=top,
        stem_bottom=bottom,
        mark_y=None if of.mark_brix is None else min(max(y(of.mark_brix), 16.0), 250.0),
        pixels_per_brix=PIXELS_PER_BRIX,
    )


@dataclass(frozen=True, kw_only=True)
class SectionPicture:
    """The pan cut open: what is in it, and where done and the lowest safe depth stand."""

    wall: str
    liquid: str
    left: float
    right: float
    done_y: float
    safe_y: float
    now_text_y: float
    done_text_y: float
    safe_text_y: float


def section(board: Board) -> SectionPicture | None:
    """The vessel in section; None while its depth is not known."""
    now, done = board.depth_now_mm, board.depth_done_mm
    if now is None or done is None:
        return None
    top, floor_y, left, right = 16.0, 170.0, 14.0, 176.0
    y = scale(0.0, max(now, done, 2 * FIGURES.lowest_depth_mm) * 1.15, floor_y, top)
    inset = 0.0
    vessel = board.context.vessel
    if vessel.shape == "tapered":
        bottom, wide, _ = vessel.sizes_mm
        inset = (1 - bottom / wide) * (right - left) / 2
    slope = inset / (floor_y - top)

    def edge(at: float) -> float:
        return (at - top) * slope

    surface = y(now)
    liquid = (
        f"M{left + edge(surface):.1f} {surface}H{right - edge(surface):.1f}L{right - inset:.1f} "
        f"{floor_y}H{left + inset:.1f}Z"
    )
    wall = f"M{left} {top - 8}L{left + inset:.1f} {floor_y}H{right - inset:.1f}L{right} {top - 8}"
    heights = sorted([surface, y(done), y(FIGURES.lowest_depth_mm)])
    placed = dict(zip(heights, spread(heights, 19.0, top, floor_y), strict=True))
    return SectionPicture(
        wall=wall,
        liquid=liquid,
        left=left,
        right=right,
        done_y=y(done),
        safe_y=y(FIGURES.lowest_depth_mm),
        now_text_y=placed[surface],
        done_text_y=placed[y(done)],
        safe_text_y=placed[y(FIGURES.lowest_depth_mm)],
    )


@dataclass(frozen=True, kw_only=True)
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
    """Not counted, by the batch's method of what to trust."""
    under: bool = False
    """It says only that it is thinner than this."""


@dataclass(frozen=True, kw_only=True)
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
    axis_x: float = AXIS_FROM_X


def under_sign(board: Board) -> tuple[float, float] | None:
    """What a sign that is only a bound says of now, Brix: where it is and its sigma; None where a later
    sign said more."""
    seen = board.evidence
    last = next((r for r in reversed(seen.readings) if r.kind == SignFacts.key()), None)
    if last is None or last.bound_brix is None or board.context.now - last.at > STILL_SPEAKS:
        return None
    then, now = seen.minute(last.at), seen.minute(board.context.now)
    try:
        sigma = hypot(last.own_sigma_brix, last.shared_sigma_brix)
        return seen.fitted.carried(last.bound_brix, sigma, then, now)
    except (OutOfRange, ZeroDivisionError):
        return None


def _of_balance(board: Board, x: Callable[[float], float], y: float) -> WordPlace:
    """The fitted boil's own place."""
    said = board.balance
    return WordPlace(
        label=said.label,
        kind="balance",
        live=False,
        brix=said.brix,
        x=x(said.brix),
        low_x=x(said.brix - said.sigma_brix),
        high_x=x(said.brix + said.sigma_brix),
        y=y,
        odd=False,
    )


def _of_bound(brix: float, sigma_brix: float, x: Callable[[float], float], y: float) -> WordPlace:
    """The place of a sign that says only that it is thinner."""
    return WordPlace(
        label=SIGNS.name,
        kind=SignFacts.key(),
        live=False,
        brix=brix,
        x=x(brix),
        low_x=AXIS_FROM_X,
        high_x=max(x(brix + sigma_brix), AXIS_FROM_X + 6),
        y=y,
        odd=False,
        under=True,
    )


def agreement(board: Board) -> AgreementPicture:
    """The instruments' words now on one axis that always holds the draw band."""
    words = [*board.evidence.words, *board.evidence.set_aside]
    voices = [*board.voices, *(w.estimate for w in board.evidence.set_aside)]
    lows = [v.brix - 2 * v.sigma_brix for v in voices if v.sigma_brix < 4]
    highs = [v.brix + 2 * v.sigma_brix for v in voices if v.sigma_brix < 4]
    joint = board.believed or board.joint
    low = floor(min([joint.brix - 2, 65.0, *lows]))
    high = ceil(max([joint.brix + 2, 70.0, *highs]))
    x = scale(low, high, AXIS_FROM_X, 606.0)
    spoken = board.balance in board.voices
    under = under_sign(board)
    height = 30.0 + 26.0 * (len(words) + spoken + (under is not None))
    places = [
        WordPlace(
            label=w.estimate.label,
            kind=w.reading.kind,
            live=w.live,
            brix=w.estimate.brix,
            x=x(w.estimate.brix),
            low_x=x(w.estimate.brix - w.estimate.sigma_brix),
            high_x=x(w.estimate.brix + w.estimate.sigma_brix),
            y=20.0 + 26 * i,
            odd=w.estimate.label == board.odd,
            aside=w in board.evidence.set_aside,
        )
        for i, w in enumerate(words)
    ]
    step = 1 if high - low <= 7 else 2 if high - low <= 14 else 5
    ticks = [Tick(x(b), str(b)) for b in range(ceil(low / step) * step, int(high) + 1, step)]
    bottom = 20.0 + 26 * len(words)
    if spoken:
        places.append(_of_balance(board, x, bottom))
    if under:
        places.append(_of_bound(*under, x, bottom + 26 * spoken))
    return AgreementPicture(
        words=places,
        ticks=ticks,
        joint_x=x(joint.brix),
        joint_low_x=x(joint.brix - joint.sigma_brix),
        joint_high_x=x(joint.brix + joint.sigma_brix),
        floor_x=x(FIGURES.floor_brix),
        ceiling_x=x(FIGURES.ceiling_brix),
        target_x=x(board.context.batch.target_brix),
        height=height,
    )

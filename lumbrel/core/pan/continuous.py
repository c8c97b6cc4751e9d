"""A continuous pan: sap runs in at one end, is denser from channel to channel, and is drawn as syrup at
the other, again and again. Its level is kept; water leaves it all along.

What is read at the draw-off is of the last channel alone. The pan as a whole holds far less sugar than
that, and only what came in and was drawn says how much.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, hypot, isfinite, log, sqrt
from statistics import NormalDist, median

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.physics import sucrose
from lumbrel.words import _

MOST_CHANNELS = 12
MOST_SYRUP_BRIX = 85.0
FIRST_DRAW = (0.75, 1.9)
"""Channels mix a little through their openings, which only makes the first draw later: nine of ten
lie between so many times the middle."""
BEGINS_SIGMA_BRIX = 3.0
"""How dense a climb begins is known by the same instruments that read the draw: it counts for little beside
what they read next, lest an error of theirs feed itself."""
LEAST_CLIMB_BRIX = 0.6
"""A draw lets the last channel fall by so much at the least, for reckoning with."""
SUGAR_SIGMA, MIXES_SIGMA, CADENCE_SIGMA = 0.15, 0.28, 0.3
"""One sigma of the logarithm of the time to a draw: by how well the sap's sugar is known, by how channels
mix, and by one draw before."""
LEAST_CADENCE_SIGMA = 0.15
FURTHER = (0.6, 1.6)
LAST_DRAWS = 6
NINE_OF_TEN = 1.645
BENDS_LEAST, BENDS = 0.1, 1.5
"""One sigma of the logarithm by which a climb does not go on as it goes: near the mark, and for each
part of the way that is left."""
LONGEST_SIGMAS = 6.0
STEEPER, DROP_OLD_MIN = 2.0, 2.0
"""By drops alone a climb may be so much steeper than it is thought, and a drop so many minutes old."""
SLOPE_FROM = 0.8
"""From this share of the mark's density on, the slope of the last while alone says how long."""


@dataclass(frozen=True)
class Steady:
    """A continuous pan that runs evenly: sap in, syrup out."""

    sap_kg_h: float
    sap_l_h: float
    syrup_kg_h: float
    syrup_l_h: float
    minutes_between: float
    """From one draw to the next."""


def steady(rate_kg_min: float, sap_brix: float, syrup_brix: float, draw_l: float) -> Steady:
    """What goes into a continuous pan and what comes out of it.

    Args:
        rate_kg_min: water it drives off, above 0.
        sap_brix: 0.1 to below `syrup_brix`.
        syrup_brix: at the draw, to 85.
        draw_l: each time, above 0.
    Raises:
        OutOfRange: a value lies outside its range.
    Source: solids in are solids out, and the water between them is driven off.
    """
    _require(sap_brix, syrup_brix, rate_kg_min)
    if not draw_l > 0:
        raise OutOfRange(_("A draw must be above 0."), "draw")
    sap_h = 60 * rate_kg_min * syrup_brix / (syrup_brix - sap_brix)
    syrup_h = sap_h * sap_brix / syrup_brix
    syrup_l = syrup_h / sucrose.density_kg_m3(syrup_brix, 20) * 1000
    return Steady(
        sap_kg_h=sap_h,
        sap_l_h=sap_h / sucrose.density_kg_m3(sap_brix, 5) * 1000,
        syrup_kg_h=syrup_h,
        syrup_l_h=syrup_l,
        minutes_between=60 * draw_l / syrup_l,
    )


def _require(sap_brix: float, syrup_brix: float, rate_kg_min: float) -> None:
    if not 0.1 <= sap_brix < syrup_brix <= MOST_SYRUP_BRIX:
        raise OutOfRange(_("The syrup must be thicker than the sap, and at most 85 Brix."), "brix")
    if not rate_kg_min > 0:
        raise OutOfRange(_("The rate must be above 0."), "rate")


def channel_brixes(sap_brix: float, syrup_brix: float, channels: int) -> tuple[float, ...]:
    """How dense each channel stands while a pan runs evenly, the one of the draw-off last.

    Args:
        sap_brix: that runs in, 0.1 to below `syrup_brix`.
        syrup_brix: at the draw-off, to 85.
        channels: that it runs through one after the other, 1 to 12; each is mixed by its boil.
    Raises:
        OutOfRange: a value lies outside its range.
    Source: the same solids pass every opening; each channel drives off an equal share of the water.
    """
    _require(sap_brix, syrup_brix, 1.0)
    require_between(channels, 1, MOST_CHANNELS, field="channels", what=_("Channels"), unit="")
    gone = 1 - sap_brix / syrup_brix
    return tuple(sap_brix / (1 - gone * i / channels) for i in range(1, channels + 1))


def standing_brix(sap_brix: float, syrup_brix: float, channels: int) -> float:
    """The Brix of all that stands in a pan that runs evenly, as `channel_brixes`."""
    each = channel_brixes(sap_brix, syrup_brix, channels)
    return sum(each) / len(each)


@dataclass(frozen=True, kw_only=True)
class Running:
    """A continuous pan at work.

    Args:
        held_kg: that stands in it, above 0.
        rate_kg_min: water it drives off, above 0.
        sap_brix: that runs in, 0.1 to below `syrup_brix`.
        syrup_brix: that it is drawn at, to 85.
        channels: 1 to 12.
        rate_sigma: one sigma of the logarithm of its rate.
    """

    held_kg: float
    rate_kg_min: float
    sap_brix: float
    syrup_brix: float
    channels: int
    rate_sigma: float = 0.25

    def __post_init__(self) -> None:
        _require(self.sap_brix, self.syrup_brix, self.rate_kg_min)
        require_between(self.channels, 1, MOST_CHANNELS, field="channels", what=_("Channels"), unit="")
        if not self.held_kg > 0:
            raise OutOfRange(_("There must be something in the pan."), "held")

    @property
    def last_channel_kg(self) -> float:
        """What stands in the channel of the draw-off."""
        return self.held_kg / self.channels

    @property
    def runs_in_brix(self) -> float:
        """What runs into the channel of the draw-off."""
        each = channel_brixes(self.sap_brix, self.syrup_brix, self.channels)
        return each[-2] if self.channels > 1 else self.sap_brix

    @property
    def solids_kg_min(self) -> float:
        """The sugar that passes through it, while it runs evenly."""
        sap = self.rate_kg_min * self.syrup_brix / (self.syrup_brix - self.sap_brix)
        return sap * self.sap_brix / 100


@dataclass(frozen=True)
class Climb:
    """The draw-off from one draw to the next: how dense it begins, how long it takes to the mark.

    `brix_sigma` is one sigma of `brix`, `sigma` one of the logarithm of `minutes`.
    """

    brix: float
    brix_sigma: float
    minutes: float
    sigma: float


@dataclass(frozen=True)
class Drawn:
    """A draw that was made, and how long it took from it until the mark was reached again."""

    mass_kg: float
    brix: float
    minutes_after: float | None = None


def first_climb(pan: Running, begins_brix: float) -> Climb:
    """From the fill to the first draw.

    Until then all the sugar that comes in stays: as much as stands in the pan when it runs evenly.

    Args:
        begins_brix: of the fill; sap, or what was left in it.
    """
    stands = standing_brix(pan.sap_brix, pan.syrup_brix, pan.channels)
    missing = max(stands - begins_brix, 0.05 * stands) / 100 * pan.held_kg
    minutes = missing / (pan.rate_kg_min * pan.sap_brix / 100)
    low, high = FIRST_DRAW
    middle = minutes * sqrt(low * high)
    begins = min(begins_brix, pan.syrup_brix - LEAST_CLIMB_BRIX)
    return Climb(begins, 0.25 * begins, middle, hypot(pan.rate_sigma, SUGAR_SIGMA, MIXES_SIGMA))


def next_climb(pan: Running, drawn: Sequence[Drawn]) -> Climb:
    """From the last draw to the next.

    Args:
        drawn: so far, oldest first, at least one; each but the last with the minutes after it.
    Raises:
        OutOfRange: nothing was drawn yet.
    Source: what leaves the last channel is replaced from the one before it; the time is that of as
        much sugar, by the rate and by the draws before.
    """
    if not drawn:
        raise OutOfRange(_("Nothing was drawn yet."), "drawn")
    last = drawn[-1]
    share = min(last.mass_kg / pan.last_channel_kg, 1.0)
    # Ideal channels fall so far; those that mix into each other fall less.
    fall = max((last.brix - pan.runs_in_brix) * share, LEAST_CLIMB_BRIX)
    begins = min(last.brix - 0.65 * fall, pan.syrup_brix - LEAST_CLIMB_BRIX)
    solids = last.mass_kg * last.brix / 100
    # Drawn thinner or thicker than the mark, it has so much further to go.
    further = (pan.syrup_brix - begins) / max(last.brix - begins, LEAST_CLIMB_BRIX)
    low, high = FURTHER
    minutes = solids / pan.solids_kg_min
    sigma = hypot(pan.rate_sigma, SUGAR_SIGMA, MIXES_SIGMA)
    each = [one.minutes_after / (one.mass_kg * one.brix / 100) for one in drawn[:-1] if one.minutes_after][
        -LAST_DRAWS:
    ]
    if each:
        seen = max(CADENCE_SIGMA / sqrt(len(each)), LEAST_CADENCE_SIGMA)
        weight = sigma**2 / (sigma**2 + seen**2)
        minutes *= (median(each) * pan.solids_kg_min) ** weight
        sigma = hypot((sigma**-2 + seen**-2) ** -0.5, 0.1)
    return Climb(begins, hypot(0.5 * fall, BEGINS_SIGMA_BRIX), minutes * min(max(further, low), high), sigma)


def rate_of(climb: Climb, mass_kg: float, syrup_brix: float) -> float:
    """Water that would bring so much from the climb's beginning to the mark in its time, kg/min: a
    channel that is filled up from thinner ones climbs like a pot that boils down by so much."""
    return mass_kg * (1 - climb.brix / syrup_brix) / climb.minutes


def band(climb: Climb) -> tuple[float, float, float]:
    """What nine of ten climbs lie between, and their middle, minutes: low, middle, high."""
    spread = exp(NINE_OF_TEN * climb.sigma)
    return climb.minutes / spread, climb.minutes, climb.minutes * spread


@dataclass(frozen=True)
class Left:
    """Minutes to the mark: the middle, and what nine of ten lie between."""

    middle: float
    low: float
    high: float


def to_the_mark(
    climb: Climb, gone_minutes: float, slope: Left, brix: float, syrup_brix: float, *, by_drops: bool = False
) -> Left:
    """Minutes to the mark, by how such a climb goes on the whole and by how it climbs just now.

    Args:
        climb: from the last draw, as it was expected then.
        gone_minutes: since then.
        slope: by the readings of the last while, if it goes on as it does.
        brix: at the draw-off now.
        syrup_brix: the mark.
        by_drops: whether nothing but a drop now and then tells of its slope: it may be far steeper, by how many channels
            there truly are, and a drop is of a while ago.
    """
    share = brix / syrup_brix
    if slope.middle <= 0 or share >= 1:
        return slope
    bends = hypot(BENDS_LEAST, BENDS * (1 - share) ** 1.5)
    near = Left(slope.middle, slope.low / exp(bends), slope.high * exp(bends))
    if by_drops:
        near = Left(near.middle, max(near.low / STEEPER - DROP_OLD_MIN, 0.0), near.high)
    counts = min(max((SLOPE_FROM - share) / SLOPE_FROM, 0.0), 1.0)
    if not counts:
        return near
    whole = _still_to_go(climb, gone_minutes)
    high = slope.high if isfinite(slope.high) else 20 * slope.middle
    lately = hypot(log(max(high / slope.middle, 1.05)) / NINE_OF_TEN, bends)
    by_whole = log(max(whole.high / whole.middle, 1.05)) / NINE_OF_TEN
    weights = (counts * by_whole**-2, lately**-2)
    middle = exp(
        (weights[0] * log(max(whole.middle, 0.1)) + weights[1] * log(max(slope.middle, 0.1))) / sum(weights)
    )
    spread = exp(NINE_OF_TEN * sum(weights) ** -0.5)
    return Left(middle, middle / spread, middle * spread)


def _still_to_go(climb: Climb, gone_minutes: float) -> Left:
    """What is left of a climb that has lasted so long already."""
    times = NormalDist()
    # One that lasts longer than any is held to be as far along as the longest of them.
    z = min(log(max(gone_minutes, 1e-3) / climb.minutes) / climb.sigma, LONGEST_SIGMAS)
    gone, after = climb.minutes * exp(z * climb.sigma), times.cdf(-z)

    def quantile(share: float) -> float:
        # From the far end, where the numbers are fine enough.
        return climb.minutes * exp(-climb.sigma * times.inv_cdf(after * (1 - share))) - gone

    return Left(quantile(0.5), quantile(0.05), quantile(0.95))

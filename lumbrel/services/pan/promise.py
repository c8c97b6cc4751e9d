"""What can be promised of a draw now, and what would sharpen it with what is at hand."""

from collections.abc import Iterator
from dataclasses import dataclass
from math import hypot, sqrt
from typing import NamedTuple

from lumbrel.core.bench import cupful, hydrometer, refractometer
from lumbrel.core.bench.evidence import Agreement
from lumbrel.core.bench.thermometer import Tested, sigma_now_k
from lumbrel.core.pan.verdict import ACTING_MINUTES, ACTING_SIGMA, SPOILS_BRIX, Call
from lumbrel.core.physics import sucrose
from lumbrel.services.base.facts import RefractometerFacts, ScaleFacts, SignFacts, WeighedFacts
from lumbrel.services.pan import signs
from lumbrel.services.pan.board import Board
from lumbrel.store.instruments import HydrometerDetail, RefractometerDetail
from lumbrel.words import _

TWO_SIGMA, ONE_SIDED = 1.96, 1.645
SHARP_PROMISE_BRIX = 0.6
WORTH = 0.93
"""What would not make it sharper than this share is not worth the trouble."""
MOST_REMEDIES = 2
ENOUGH_BOILS = 3
LEAST_SIGMA_BRIX = 0.3
GUIDES_BRIX, GUIDES_MINUTES = 3.0, 15.0
"""So near the mark, or so soon before it, a promise guides whoever draws."""


class Remedy(NamedTuple):
    """Something to do, and how near a draw would land then, Brix."""

    words: str
    would_be_brix: float


@dataclass(frozen=True)
class Promise:
    """How near the target a draw now lands, in 95 of 100, and what would sharpen it."""

    within_brix: float | None
    """None when nothing can be promised."""
    drawn_brix: float = 0.0
    """What a draw now is held to be."""
    sharpen: tuple[Remedy, ...] = ()
    """The best first."""
    keeps_cold: bool = False
    """Nobody can say yet that it is not too thin to keep."""
    guides: bool = True
    """Whether the mark is near enough for it to guide anybody."""


def promise(board: Board) -> Promise:
    """What can be promised of a draw now: from the doubt of the density believed, and of how long it
    takes to act; when the draw is called for, from how far off the mark it is as well."""
    known = board.believed or board.joint
    seen = board.evidence
    rise = (
        0.0 if seen.heat_is_off else seen.fitted.rise_brix_per_min(max(seen.minute(board.context.now), 0.0))
    )
    sigma = hypot(known.sigma_brix, rise * ACTING_SIGMA)
    within: float | None = TWO_SIGMA * sigma
    if board.verdict.call in (Call.DRAW_NOW, Call.OVER):
        aside = abs(known.brix + rise * ACTING_MINUTES - board.context.batch.target_brix)
        within = max(TWO_SIGMA * sigma, aside + ONE_SIDED * sigma)
    if board.believed is None:
        within = None
    sharp = within is not None and within <= SHARP_PROMISE_BRIX
    thin = known.brix - TWO_SIGMA * known.sigma_brix < SPOILS_BRIX
    called = board.verdict.call in (Call.DRAW_NOW, Call.OVER)
    to_go = board.context.batch.target_brix - known.brix
    near = called or to_go <= GUIDES_BRIX or board.minutes_left <= GUIDES_MINUTES
    return Promise(within, known.brix, () if sharp else remedies(board), thin and called, near)


def remedies(board: Board) -> tuple[Remedy, ...]:
    """What would make the density surer, of what is owned; the best first."""
    known = (board.believed or board.joint).sigma_brix
    worth = [(words, after) for words, after in _ways(board) if after <= WORTH * known]
    best = sorted(worth, key=lambda way: way[1])[:MOST_REMEDIES]
    return tuple(Remedy(words, TWO_SIGMA * after) for words, after in best)


def _ways(board: Board) -> Iterator[tuple[str, float]]:
    """Each with the sigma of the density after it, Brix."""
    context, seen = board.context, board.evidence
    known = board.believed or board.joint
    kinds = {w.reading.kind for w in seen.words}
    if context.instruments_of(RefractometerDetail):
        fresh = _("A fresh") if RefractometerFacts.key() in kinds else "A"
        yield _("{fresh} cooled drop on the prism", fresh=fresh), _with(known, refractometer.SIGMA)
        return
    if context.instruments_of(HydrometerDetail):
        yield _("A fresh cup, its heat measured"), _with(known, hydrometer.HOT_SIGMA)
        return
    tested = _after_test_boils(board, known)
    if tested:
        yield tested
    if WeighedFacts.key() not in kinds:
        cup = cupful.cupful(0.331, 0.25, 95.0, context.invert_fraction, by_water=True)
        words = _("A weighed cupful (the same cup weighed full of water, too)")
        yield words, _with(known, cup.sigma_brix)
    if ScaleFacts.key() not in kinds and context.taken_in.facts.brix_sigma is None:
        yield _("The whole pot on a scale"), _with(known, SCALE_SIGMA_BRIX)
    if SignFacts.key() not in kinds:
        sheet = signs.KNOWN["sheet"]
        yield (_("What it looks like (a sheet off the spoon, a cold plate)"), _with(known, sheet.sigma_brix))


SCALE_SIGMA_BRIX = 1.0


def _with(known: Agreement, sigma_brix: float) -> float:
    return float((known.sigma_brix**-2 + sigma_brix**-2) ** -0.5)


def _after_test_boils(board: Board, known: Agreement) -> tuple[str, float] | None:
    """What the thermometer would say after more readings in boiling water."""
    today, pressure = board.thermometer, board.pressure
    if today is None or pressure is None or today.boils >= ENOUGH_BOILS:
        return None
    detail = today.instrument.detail
    then = sigma_now_k(detail.sort, Tested(boils=ENOUGH_BOILS), detail.resolution_k)
    slope = sucrose.boiling_slope_k_per_brix(
        max(known.brix, 40.0), pressure.pa, board.context.invert_fraction
    )
    gained = (today.sigma_k**2 - then**2) / slope**2
    after = sqrt(max(known.sigma_brix**2 - gained, LEAST_SIGMA_BRIX**2))
    name = today.instrument.name
    more = ENOUGH_BOILS - today.boils
    times = _("once more") if more == 1 else _("twice more") if more == 2 else _("three times")
    return _("Reading {name} {times} in boiling water", name=name, times=times), after

"""Candy."""

from datetime import timedelta
from math import isfinite

from lumbrel.core.candy.confections import Confection
from lumbrel.services.base import batch as contexts
from lumbrel.services.base.cautions import ALLERGENS, BATH, BURST, CANDY, FOAM, HOT, LOW, SALE, SNOW
from lumbrel.services.base.facts import (
    BathFacts,
    ColdWaterFacts,
    CookedFacts,
    CookFacts,
    InvertFacts,
    MadeFacts,
    PotFacts,
    ScoredFacts,
    StirFacts,
    TurnedFacts,
)
from lumbrel.services.base.line import DRAWN, LineKind, typed
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.candy import alarms, begin, entries, results, steps
from lumbrel.services.candy.choices import choices
from lumbrel.services.candy.pot import CookBoard, pot_of
from lumbrel.words import _, number

LONG_AGO = timedelta(hours=12)
"""A cook that began before is not worked out on every page."""


def _state(look: Look) -> State:
    """The cook that is on, in a few words."""
    waits = [b for b in look.waiting["candy"] if look.now - b.opened_at < LONG_AGO]
    if not waits:
        return State(_("plan a boil"), idle=True)
    board = pot_of(contexts.of(look.db, waits[0], look.now))
    seen, cooling = board.boiling, board.cooling
    if seen is not None:
        words = (
            _("boil, {minutes} min", minutes=number(min(seen.minutes, 999), 0))
            if seen.above_now_k
            else _("heating")
        )
    elif cooling is not None:
        words = (
            _("stir now")
            if cooling.ready
            else _("cools, {minutes} min", minutes=number(cooling.minutes[0], 0))
            if isfinite(cooling.minutes[0])
            else _("stays warm")
        )
    else:
        words = {"stir": _("stirring"), "pour": _("pour it")}.get(board.stage, board.piece.name)
    return State(words, waits[0].code)


LINE_KINDS = (
    LineKind(of="cook", facts=CookFacts, fixed=begin.fixed, words=begin.words, opens=True),
    LineKind(of="cook", facts=PotFacts, read=steps.pot, words=steps.pot_words),
    LineKind(of="cook", facts=ColdWaterFacts, read=steps.cold_water, words=steps.cold_water_words),
    LineKind(
        of="cook",
        facts=CookedFacts,
        read=steps.cooked,
        words=steps.cooked_words,
        stored=alarms.quiet,
        rests=steps.rests_on(BathFacts, StirFacts, MadeFacts),
        once=True,
    ),
    LineKind(of="cook", facts=BathFacts, read=steps.bath, words=steps.bath_words),
    LineKind(
        of="cook",
        facts=StirFacts,
        read=steps.stir,
        words=steps.stir_words,
        stored=alarms.quiet,
        rests=steps.rests_on(TurnedFacts, MadeFacts),
        once=True,
    ),
    LineKind(
        of="cook",
        facts=TurnedFacts,
        read=steps.turned,
        words=steps.turned_words,
        stored=alarms.quiet,
        rests=steps.rests_on(MadeFacts),
        once=True,
    ),
    LineKind(
        of="cook",
        facts=MadeFacts,
        read=results.made,
        words=results.made_words,
        stored=alarms.quiet,
        once=True,
    ),
    LineKind(
        of="cook",
        facts=ScoredFacts,
        needs=(_("Note first what was made of it."), (MadeFacts,)),
        read=typed(ScoredFacts),
        words=results.scored_words,
    ),
    LineKind(facts=InvertFacts, needs=DRAWN, read=entries.invert, words=entries.words),
)

STATION = Station(
    key="candy",
    title=_("Candy"),
    line_kinds=LINE_KINDS,
    waits_for=MadeFacts,
    choices=choices,
    cautions=(CANDY, FOAM, BATH, SNOW),
    state=_state,
    batches_at="cook",
)


def cautions_before(piece: Confection) -> tuple[tuple[str, str], ...]:
    """The cautions of a plan for one confection: it cools in a bath, or on snow."""
    return (CANDY, FOAM, SNOW if piece.on_snow else BATH)


def cautions_at(board: CookBoard) -> tuple[tuple[str, str], ...]:
    """The cautions of a cook's step."""
    if board.stage == "boil":
        return (CANDY if board.hazard else HOT, FOAM, LOW)
    if board.stage == "cool":
        return (BATH, SNOW) if board.on_snow else (BATH, CANDY if board.hazard else HOT)
    if board.stage == "stir":
        return (BURST,) if board.piece.key == "granulated-sugar" else (HOT,)
    if board.stage == "pour":
        return (SNOW, HOT) if board.on_snow else (HOT,)
    return (ALLERGENS, SALE)

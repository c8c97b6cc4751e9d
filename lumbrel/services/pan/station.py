"""The pan."""

from lumbrel.services.base.cautions import FOAM, HOT, LOW
from lumbrel.services.base.facts import (
    AddedFacts,
    AlarmFacts,
    BoilingFacts,
    DepthFacts,
    DrawFacts,
    FoamFacts,
    HydrometerFacts,
    NoteFacts,
    RefractometerFacts,
    StrainedFacts,
    TakeInFacts,
    ThermometerFacts,
)
from lumbrel.services.base.line import LineKind
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.bench import calculations as bench_calculations
from lumbrel.services.bench import entries as readings
from lumbrel.services.pan import calculations, dipstick, draw, entries
from lumbrel.services.pan.board import boards
from lumbrel.services.pan.choices import choices
from lumbrel.services.pan.plausible import since_the_last


def _state(look: Look) -> State:
    """The batch that is done first; the others have a page each."""
    live = boards(look.db, look.waiting["pan"], look.now)
    if not live:
        return State("cold", idle=True)
    code = live[0].context.batch.code
    first = min(live, key=lambda b: b.minutes_left)
    if first.heating_minutes > 0:
        return State(f"{first.context.vessel.name} heating", code)
    shown = f"{first.believed.brix:.1f}" if first.believed else "disagree"
    return State(f"{shown} · {first.minutes_left:.0f} min", code)


LINE_KINDS = (
    LineKind(
        facts=HydrometerFacts,
        read=readings.hydrometer,
        words=readings.hydrometer_words,
        doubt=since_the_last,
    ),
    LineKind(
        facts=RefractometerFacts,
        read=readings.refractometer,
        words=readings.refractometer_words,
        doubt=since_the_last,
    ),
    LineKind(
        facts=ThermometerFacts,
        read=readings.thermometer,
        words=readings.thermometer_words,
        doubt=since_the_last,
    ),
    LineKind(facts=DepthFacts, read=dipstick.depth, words=dipstick.words),
    LineKind(facts=BoilingFacts, read=entries.boiling, words=entries.boiling_words, once=True),
    LineKind(facts=StrainedFacts, read=entries.strained, words=entries.strained_words),
    LineKind(facts=FoamFacts, read=entries.foam, words=entries.foam_words),
    LineKind(facts=AddedFacts, read=entries.added, words=entries.added_words),
    LineKind(facts=NoteFacts, read=entries.note, words=entries.note_words),
    LineKind(facts=AlarmFacts, words=entries.alarm_words),
    LineKind(facts=DrawFacts, read=draw.draw, words=draw.words, once=True),
)

STATION = Station(
    key="pan",
    title="Pan",
    line_kinds=LINE_KINDS,
    comes_after=(TakeInFacts,),
    waits_for=DrawFacts,
    choices=choices,
    cautions=(HOT, FOAM, LOW),
    calculations=(*bench_calculations.CALCULATIONS, *calculations.CALCULATIONS),
    state=_state,
)

"""The pan."""

from lumbrel.services.base.cautions import FOAM, HOT, LOW
from lumbrel.services.base.facts import (
    AddedFacts,
    AlarmFacts,
    AnsweredFacts,
    BoilingFacts,
    BurnerFacts,
    CalledOffFacts,
    DepthFacts,
    DrawFacts,
    FoamFacts,
    HeatFacts,
    HydrometerFacts,
    MeasuredFacts,
    NoteFacts,
    PartDrawFacts,
    PouredFacts,
    RefractometerFacts,
    ScaleFacts,
    SignFacts,
    StrainedFacts,
    ThermometerFacts,
    WeighedFacts,
)
from lumbrel.services.base.line import Line, LineKind, typed, worded
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.bench import correct
from lumbrel.services.bench import entries as readings
from lumbrel.services.pan import alarms, dipstick, draw, entries, pour, signs, undone, weighed, yields
from lumbrel.services.pan.board import at_a_glance
from lumbrel.services.pan.choices import choices
from lumbrel.services.pan.plausible import sign_against_others, since_the_last, weighed_against_others
from lumbrel.words import _, number


def _state(look: Look) -> State:
    """The batch that is done first; the others have a page each."""
    live = at_a_glance(look.db, look.waiting["pan"], look.now)
    if not live:
        return State(_("cold"), idle=True)
    code = live[0].context.batch.code
    first = min(live, key=lambda b: b.minutes_left)
    if first.heating_minutes > 0:
        return State(_("{vessel} heating", vessel=first.context.vessel.name), code)
    shown = number(first.believed.brix, 1) if first.believed else _("disagree")
    return State(
        _("{shown} · {minutes_left} min", shown=shown, minutes_left=number(first.minutes_left, 0)), code
    )


LINE_KINDS = (
    LineKind(
        facts=HydrometerFacts,
        read=readings.hydrometer,
        words=readings.hydrometer_words,
        says=correct.today,
        doubt=since_the_last,
    ),
    LineKind(
        facts=RefractometerFacts,
        read=readings.refractometer,
        words=readings.refractometer_words,
        says=correct.today,
        doubt=since_the_last,
    ),
    LineKind(
        facts=ThermometerFacts,
        read=readings.thermometer,
        words=readings.thermometer_words,
        says=correct.today,
        doubt=since_the_last,
    ),
    LineKind(facts=DepthFacts, read=dipstick.depth, words=dipstick.words, says=dipstick.today),
    LineKind(
        facts=WeighedFacts,
        read=weighed.weighed,
        words=weighed.weighed_words,
        says=weighed.cupful_today,
        doubt=weighed_against_others,
    ),
    LineKind(
        facts=ScaleFacts,
        read=weighed.scale,
        words=weighed.scale_words,
        says=weighed.scale_today,
        doubt=weighed_against_others,
    ),
    LineKind(facts=MeasuredFacts, read=yields.measured, words=yields.words),
    LineKind(
        facts=SignFacts, read=typed(SignFacts), words=signs.words, says=signs.today, doubt=sign_against_others
    ),
    LineKind(facts=BoilingFacts, read=typed(BoilingFacts), words=worded(_("Boiling")), once=True),
    LineKind(
        facts=HeatFacts,
        on_fire=True,
        read=typed(HeatFacts),
        words=entries.heat_words,
        doubt=entries.heat_is_off,
        stored=alarms.answered_by_word,
        of="both",
    ),
    LineKind(
        facts=AnsweredFacts,
        on_fire=True,
        read=entries.answered,
        words=entries.answered_words,
        doubt=entries.answered_already,
        stored=alarms.answered_by_word,
    ),
    LineKind(
        facts=BurnerFacts,
        on_fire=True,
        read=typed(BurnerFacts),
        words=worded(_("Burner turned, or stoked")),
        of="both",
    ),
    LineKind(facts=StrainedFacts, read=typed(StrainedFacts), words=worded(_("Strained once"))),
    LineKind(facts=FoamFacts, read=entries.foam, words=entries.foam_words, of="both"),
    LineKind(
        facts=AddedFacts,
        fixed=pour.fixed,
        moves=True,
        of="both",
        read=entries.added,
        words=entries.added_words,
        stored=pour.store_other,
        undone=pour.undo_other,
    ),
    LineKind(facts=PouredFacts, words=pour.words, rests=pour.rests),
    LineKind(
        facts=CalledOffFacts,
        of="both",
        read=undone.call_off,
        words=undone.called_off_words,
        stored=pour.undo_opening,
        rests=undone.of_calling_off,
        once=True,
    ),
    LineKind(
        facts=NoteFacts,
        read=typed(NoteFacts),
        words=lambda _context, entry: Line(entry, entry.facts.text),
        of="both",
    ),
    LineKind(facts=AlarmFacts, words=entries.alarm_words, of="both"),
    LineKind(
        facts=PartDrawFacts,
        moves=True,
        read=draw.part_draw,
        words=draw.part_words,
        stored=alarms.answered_by_draw,
        rests=undone.of_a_draw,
    ),
    LineKind(facts=DrawFacts, read=draw.draw, words=draw.words, rests=undone.of_a_draw, once=True),
)

STATION = Station(
    key="pan",
    title=_("Pan"),
    line_kinds=LINE_KINDS,
    waits_for=DrawFacts,
    choices=choices,
    cautions=(HOT, FOAM, LOW),
    state=_state,
)

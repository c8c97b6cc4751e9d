"""Sap: trees, tanks, weather and fire before the kitchen."""

from lumbrel.core import units
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.cautions import FIRE, LADDERS, LEAD, MONOXIDE, SPOILT_SAP
from lumbrel.services.base.facts import FedFacts, FuelFacts, StageFacts
from lumbrel.services.base.form import local_time
from lumbrel.services.base.line import LineKind, typed
from lumbrel.services.base.station import Look, State, Station
from lumbrel.services.sap import alarms, entries, played
from lumbrel.services.sap.choices import choices
from lumbrel.services.sap.said import BOOK_KINDS
from lumbrel.words import _, weekday


def _state(look: Look) -> State:
    """What stands in the tanks, and by when the oldest of it must be boiled."""
    seen = [view for view in played.views(look.db, look.now) if not view.empty]
    if not seen:
        return State(_("no sap"), idle=True)
    litres = sum(view.content.litres for view in seen)
    unit = look.kitchen.units.get("volume", "")
    whole = f"{units.convert(litres, 'volume', unit):.0f}"
    said = f"{whole} {units.KINDS['volume'].unit(unit).symbol}"
    due = [view.boil_by for view in seen if view.boil_by]
    if not due:
        return State(said)
    by = local_time(min(due), look.kitchen)
    if min(due) <= look.now:
        return State(_("{said}, too old", said=said))
    today = local_time(look.now, look.kitchen).date() == by.date()
    clock = units.clock(by, look.kitchen.clock)
    if look.kitchen.clock == units.TWELVE:
        # There is room for the hour alone, the earlier one.
        clock = units.clock(by.replace(minute=0), units.TWELVE).replace(":00", "")
    return State(
        _("{said} by {clock}", said=said, clock=clock)
        if today
        else _("{said} by {by}", said=said, by=weekday(by, short=True))
    )


STATION = Station(
    key="sap",
    title=_("Sap"),
    line_kinds=(
        LineKind(
            facts=FedFacts,
            on_fire=True,
            moves=True,
            read=entries.fed,
            words=entries.fed_words,
            stored=entries.feed_stands,
        ),
        LineKind(
            facts=FuelFacts, read=entries.fuel, words=entries.fuel_words, stored=alarms.answered_by_stoking
        ),
        LineKind(facts=StageFacts, read=typed(StageFacts), words=entries.stage_words),
    ),
    book_kinds=BOOK_KINDS,
    cautions=(LADDERS, LEAD, SPOILT_SAP),
    choices=choices,
    state=_state,
)
BOIL_CAUTIONS = (FIRE, MONOXIDE)


def fire_cautions(context: BatchContext) -> tuple[tuple[str, str], ...]:
    """What to mind at the pan of a boil-down, besides what every pan asks."""
    return BOIL_CAUTIONS if context.of_sap and context.left_at is None else ()

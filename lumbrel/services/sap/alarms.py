"""What calls a person to the fire."""

from datetime import datetime, timedelta
from sqlite3 import Connection

from lumbrel.core.units import in_minutes
from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.facts import FuelFacts, StageFacts
from lumbrel.services.pan.alarms import CauseNow, answer_all, raise_new, wanted
from lumbrel.services.sap.fire import stoke_minutes
from lumbrel.store.alarms import Alarm
from lumbrel.words import _

WOOD = ("wood kg", "wood lb")
STOKE = "stoke"
LONG_OUT = timedelta(hours=3)
"""A fire that nobody stoked for so long is out, and calls nobody any more."""


def due(context: BatchContext) -> list[CauseNow]:
    """Whether the fire wants wood: an armful has burned since the last that was noted."""
    stoked = last_stoked(context)
    if stoked is None or context.left_at or _is_banked(context):
        return []
    every = stoke_minutes(context)
    if every is None or not timedelta(minutes=every) <= context.now - stoked < LONG_OUT:
        return []
    minutes = (context.now - stoked) / timedelta(minutes=1)
    return [
        CauseNow(
            STOKE, _("{minutes} since the last armful. Stoke, and feed it sap.", minutes=in_minutes(minutes))
        )
    ]


def last_stoked(context: BatchContext) -> datetime | None:
    """When wood was put on last, or the fire lit again after it."""
    wood = [e.at for e in context.of_kind(FuelFacts) if e.facts.measure in WOOD]
    lit = [e.at for e in context.of_kind(StageFacts) if e.facts.step == "on_again"]
    return max([*wood, *lit]) if wood else None


def _is_banked(context: BatchContext) -> bool:
    steps = [e.facts.step for e in context.of_kind(StageFacts)]
    fires = [step for step in steps if step in ("banked", "on_again")]
    return fires[-1:] == ["banked"]


def watch(db: Connection, context: BatchContext) -> list[Alarm]:
    """Raise what is due and was not raised since the fire was stoked last."""
    if not context.of_sap:
        return []
    stoked = last_stoked(context)
    return raise_new(
        db,
        context.batch.id,
        wanted(context, due(context)),
        context.now,
        lambda last: stoked is None or last.raised_at > stoked,
    )


def answered_by_stoking(db: Connection, entry: Entry[FuelFacts]) -> None:
    """Whoever stokes has heard what called to it."""
    answer_all(db, entry, (STOKE,))

"""What a reading said stands as it was said. It is said anew, with the line that caused it, only when
something that it rests on is corrected, struck, or noted late."""

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from itertools import pairwise
from sqlite3 import Connection
from typing import Any, Protocol

from lumbrel.services.base.batch import BatchContext
from lumbrel.services.base.corrected import Corrected, ReadingStep
from lumbrel.services.base.entry import Entry
from lumbrel.services.base.form import day_and_time
from lumbrel.store import said as store
from lumbrel.store.kitchen import load_kitchen
from lumbrel.store.said import SaidRow
from lumbrel.words import _

MODEL = 1
"""Version of the formulas that readings are corrected by. It grows with a formula that is another."""
SHOWN_FROM_BRIX = 0.1
"""By so much another density is said in the working."""
SEEN_FROM_BRIX = 0.05
"""By less, what it said before reads the same on the slip."""
SAME_BRIX = 1e-6


class Spoken(Protocol):
    """What a reading says of density, Brix; where it says nothing, why."""

    @property
    def brix(self) -> float | None: ...
    @property
    def sigma_brix(self) -> float: ...
    @property
    def refusal(self) -> str: ...


Sayer = Callable[[BatchContext, Entry[Any]], Corrected]
Wanted = Callable[[Entry[Any]], bool]
Named = Callable[[str], str]
_SAYERS: dict[str, Sayer] = {}


def _unnamed(_line_id: str) -> str:
    return _("a line was written that it rests on")


def spoken_by(kind: str, sayer: Sayer) -> None:
    """Tell how a kind of line is corrected by today's formulas."""
    _SAYERS[kind] = sayer


def speaks(entry: Entry[Any]) -> bool:
    """Whether a line says something of density."""
    return entry.kind in _SAYERS


def held(context: BatchContext, entry: Entry[Any]) -> Spoken:
    """What a reading said and still says, read and not computed; by today's formulas where nothing was said
    yet."""
    told = store.of_line(context.db, entry.id)
    return told[-1] if told else _SAYERS[entry.kind](context, entry)


def in_full(context: BatchContext, entry: Entry[Any], named: Named = _unnamed) -> Corrected | None:
    """A reading as it was said, with its working; None for a line that says nothing of density."""
    found = today(context, entry)
    return as_said(context.db, found, named) if found else None


def as_said(db: Connection, today: Corrected, named: Named = _unnamed) -> Corrected:
    """A reading as it was said; as today's formulas have it, where nothing was said yet.

    Args:
        today: by today's formulas.
        named: what a line by which it was said anew is called.
    """
    told = store.of_line(db, today.entry_id)
    if not told:
        return today
    holds = told[-1]
    steps = list(today.steps)
    if _differ(today.brix, holds.brix, SHOWN_FROM_BRIX):
        by = _("by the formulas of version {model}, when it was read", model=holds.model)
        steps.append(ReadingStep(_("said, and stands"), holds.brix, "brix", by))
    for before, after in pairwise(told):
        if not _differ(before.brix, after.brix, SEEN_FROM_BRIX):
            continue
        why = _(
            "until {noted_at}: then {named}",
            noted_at=day_and_time(after.noted_at, load_kitchen(db)),
            named=named(after.because),
        )
        steps.append(ReadingStep(_("said before"), before.brix, "brix", why))
    # What says nothing has no sigma: 0, not 0.0, as it was always written out.
    return replace(
        today,
        brix=holds.brix,
        sigma_brix=holds.sigma_brix or 0,
        own_sigma_brix=holds.own_sigma_brix or 0,
        shared_sigma_brix=holds.shared_sigma_brix or 0,
        bound_brix=holds.bound_brix,
        refusal=holds.refusal,
        below_scale=today.below_scale and holds.brix is None,
        steps=tuple(steps),
    )


def today(context: BatchContext, entry: Entry[Any]) -> Corrected | None:
    """A line by today's formulas; None for one that says nothing of density."""
    sayer = _SAYERS.get(entry.kind)
    return sayer(context, entry) if sayer else None


def say(context: BatchContext, wanted: Wanted, because: str = "") -> None:
    """Write what lines of a slip say, those that are new and those that say something else than before.

    Args:
        wanted: which of its standing lines could say something else.
        because: the line that may have changed what they rest on.
    """
    for entry in context.current:
        if not speaks(entry) or not wanted(entry):
            continue
        told = store.of_line(context.db, entry.id)
        now = _said(_SAYERS[entry.kind](context, entry), because if told else "", context.now)
        if not told or _is_another(now, told[-1]):
            store.add(context.db, now)


def apart(context: BatchContext) -> int:
    """How many lines of a slip say, by the formulas they were said by, something else than was written."""
    found = 0
    for entry in filter(speaks, context.current):
        told = store.of_line(context.db, entry.id)
        if told and told[-1].model == MODEL:
            today = _SAYERS[entry.kind](context, entry)
            found += _differ(today.brix, told[-1].brix, SHOWN_FROM_BRIX)
    return found


def unsaid(db: Connection) -> list[str]:
    """The ids of batches with readings of which nobody wrote what they said."""
    return store.unsaid(db, tuple(_SAYERS)) if _SAYERS else []


def _said(read: Corrected, because: str, now: datetime) -> SaidRow:
    return SaidRow(
        line_id=read.entry_id,
        model=MODEL,
        brix=read.brix,
        sigma_brix=read.sigma_brix,
        own_sigma_brix=read.own_sigma_brix,
        shared_sigma_brix=read.shared_sigma_brix,
        bound_brix=read.bound_brix,
        refusal=read.refusal,
        because=because,
        noted_at=now,
    )


def _is_another(now: SaidRow, held: SaidRow) -> bool:
    return (
        _differ(now.brix, held.brix, SAME_BRIX)
        or _differ(now.sigma_brix, held.sigma_brix, SAME_BRIX)
        or _differ(now.bound_brix, held.bound_brix, SAME_BRIX)
        or now.refusal != held.refusal
    )


def _differ(one: float | None, other: float | None, least: float) -> bool:
    if one is None or other is None:
        return one is not other
    return abs(one - other) > least

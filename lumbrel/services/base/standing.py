"""Where a batch stands by the lines of its slip."""

from collections.abc import Sequence
from typing import cast

from lumbrel.core.pan.target import LEAST_SYRUP_BRIX
from lumbrel.services.base.entry import Entry, F, with_facts
from lumbrel.services.base.facts import (
    CalledOffFacts,
    ColourFacts,
    CookedFacts,
    CookFacts,
    DrawFacts,
    DrawnFacts,
    Facts,
    FilterFacts,
    JarFacts,
    MadeFacts,
    OpenedFacts,
    PackedFacts,
    PouredFacts,
    StruckFacts,
    TakeInFacts,
)

Slip = Sequence[Entry[Facts]]


def current(entries: Slip) -> list[Entry[Facts]]:
    """A slip without what was corrected or struck."""
    return [e for e in entries if not e.superseded and not isinstance(e.facts, StruckFacts)]


def of_kind(lines: Slip, *kinds: type[F]) -> list[Entry[F]]:
    """Lines of some kinds, in their order."""
    return [found for line in lines if (found := with_facts(line, kinds))]


def taken_in(lines: Slip) -> Entry[OpenedFacts]:
    """The take-in, or the beginning of a cook, as it was corrected last; every batch has one."""
    found = next(e for e in lines if isinstance(e.facts, OpenedFacts))
    return cast("Entry[OpenedFacts]", found)


def is_cook(lines: Slip) -> bool:
    """Whether it is a confection that is cooked, not syrup that is finished."""
    return bool(of_kind(lines, CookFacts))


def off_the_fire(lines: Slip) -> Entry[CookedFacts] | None:
    """When a candy pot came off the fire."""
    return next(iter(of_kind(lines, CookedFacts)), None)


def drawn(lines: Slip) -> Entry[DrawFacts] | None:
    """The draw that emptied the vessel."""
    return next(iter(of_kind(lines, DrawFacts)), None)


def poured_away(lines: Slip) -> Entry[PouredFacts] | None:
    """The line with which all that was left went into another batch."""
    return next((e for e in of_kind(lines, PouredFacts) if e.facts.all_of_it), None)


def left_the_fire(lines: Slip) -> Entry[DrawFacts] | Entry[PouredFacts] | None:
    """The line with which nothing of it was on the fire any more: drawn off, or poured into another pan."""
    gone = poured_away(lines)
    return drawn(lines) or (gone if gone and gone.facts.stage == "charge" else None)


def is_called_off(lines: Slip) -> bool:
    """Whether the batch was opened by mistake."""
    return bool(of_kind(lines, CalledOffFacts))


def is_near_syrup(lines: Slip) -> bool:
    """Whether it is boiled down to be finished in another batch, and was not filtered as syrup."""
    facts = taken_in(lines).facts
    near = isinstance(facts, TakeInFacts) and facts.target_brix < LEAST_SYRUP_BRIX
    return near and not of_kind(lines, FilterFacts, ColourFacts, JarFacts)


def _kettle_is_empty(lines: Slip) -> bool:
    """Whether all that was drawn was poured on."""
    poured = [e.facts for e in of_kind(lines, PouredFacts) if e.facts.stage == "bulk"]
    drew = sum(e.facts.mass_kg for e in of_kind(lines, DrawnFacts))
    gone = sum(facts.mass_kg for facts in poured)
    return any(facts.all_of_it for facts in poured) or gone >= ALL_BUT * drew


ALL_BUT = 0.97


def waits_for(lines: Slip) -> tuple[str, ...]:
    """The stations that a batch waits for; a part that was drawn goes on while the rest boils."""
    if is_called_off(lines):
        return ()
    if is_cook(lines):
        return () if of_kind(lines, MadeFacts) else ("candy",)
    gone = poured_away(lines)
    draws = of_kind(lines, DrawnFacts)
    waits = []
    if drawn(lines) is None and gone is None:
        waits.append("pan")
    if not draws or (gone is not None and gone.facts.stage == "bulk"):
        return tuple(waits)
    if is_near_syrup(lines):
        return tuple(waits) if _kettle_is_empty(lines) else (*waits, "take_in")
    if not of_kind(lines, FilterFacts):
        waits.append("filter")
    elif not of_kind(lines, ColourFacts):
        waits.append("colour")
    elif _to_pack(lines, draws):
        waits.append("jar")
    return tuple(waits)


def _to_pack(lines: Slip, draws: Slip) -> bool:
    """Whether there is syrup that no jar holds yet: none was filled, more was left, or more was
    drawn since."""
    packed = of_kind(lines, JarFacts)
    if not packed:
        return True
    ended = of_kind(lines, PackedFacts)
    if ended and ended[-1].at >= max(packed[-1].at, draws[-1].at):
        return False
    return packed[-1].facts.more_left or draws[-1].at > packed[-1].at

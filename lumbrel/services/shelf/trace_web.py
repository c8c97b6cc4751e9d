"""A parcel among those that went into it and came of it: what flowed between them, to be drawn."""

from collections import defaultdict
from dataclasses import dataclass
from sqlite3 import Connection

from lumbrel.services.record.flows import SAID_OF_REASON
from lumbrel.services.shelf.trace import WOODLOT
from lumbrel.store import flow, flowed
from lumbrel.store.flow import Parcel
from lumbrel.store.kitchen import woodlots

MOST = 48
"""So many parcels can be looked over in one picture."""
OUT = "out"


@dataclass(frozen=True, kw_only=True)
class Knot:
    """A parcel, a woodlot, or a way out, in its column from the left; `code` is empty for a way out."""

    id: str
    kind: str
    code: str
    words: str
    column: int
    solids_kg: float
    chosen: bool = False


@dataclass(frozen=True)
class Thread:
    """What flowed from one to another, kg of sugar."""

    source: str
    target: str
    solids_kg: float


@dataclass(frozen=True)
class TraceWeb:
    """All of them."""

    knots: list[Knot]
    threads: list[Thread]


def web_of(db: Connection, code: str, kind: str) -> TraceWeb | None:
    """A parcel with all that went into it and came of it; None for a woodlot, and where it is too many
    for a picture.

    Args:
        code, kind: of the parcel, as `trace.flows_of` found it.
    """
    chosen = next((p for p in flow.parcels_called(db, code) if p.kind == kind), None)
    if chosen is None:
        return None
    ids = flowed.above(db, chosen.id) | flowed.below(db, chosen.id)
    if len(ids) > MOST:
        return None
    parcels = {i: p for i in sorted(ids) if (p := flow.parcel(db, i)) is not None}
    threads = _threads(db, parcels)
    columns = _columns(threads)
    held: dict[str, float] = defaultdict(float)
    for (_, target), kg in threads.items():
        held[target] += kg
    for (source, _), kg in threads.items():
        held[source] = max(held[source], kg)
    names = {w.id: w.name for w in woodlots(db)}
    knots = [
        _knot(key, parcels.get(key), names, (columns[key], held[key]), key == chosen.id)
        for key in sorted(columns, key=lambda key: (columns[key], key))
    ]
    return TraceWeb(knots, [Thread(s, t, kg) for (s, t), kg in threads.items()])


def _threads(db: Connection, parcels: dict[str, Parcel]) -> dict[tuple[str, str], float]:
    """What flowed between parcels, from woodlots, and out."""
    found: dict[tuple[str, str], float] = defaultdict(float)
    for parcel in parcels.values():
        for one in flowed.flows_into(db, parcel.id):
            source = one.flow.source_id
            if source in parcels:
                found[str(source), parcel.id] += one.flow.solids_kg
            elif source is None and parcel.woodlot_id:
                found[f"{WOODLOT}/{parcel.woodlot_id}", parcel.id] += one.flow.solids_kg
        for one in flowed.flows_out_of(db, parcel.id):
            if one.flow.target_id is None:
                reason = SAID_OF_REASON.get(one.flow.reason, one.flow.reason)
                found[parcel.id, f"{OUT}/{reason}"] += one.flow.solids_kg
    return {ends: kg for ends, kg in found.items() if kg > 0}


def _columns(threads: dict[tuple[str, str], float]) -> dict[str, int]:
    """Each as far to the right as the longest way to it is long."""
    columns: dict[str, int] = {end: 0 for ends in threads for end in ends}
    for _ in columns:
        moved = False
        for source, target in threads:
            if columns[target] <= columns[source]:
                columns[target], moved = columns[source] + 1, True
        if not moved:
            break
    last = max(columns.values(), default=0)
    return {key: last if key.startswith(f"{OUT}/") else at for key, at in columns.items()}


def _knot(
    key: str, parcel: Parcel | None, names: dict[str, str], at: tuple[int, float], chosen: bool
) -> Knot:
    column, kg = at
    if parcel is not None:
        return Knot(
            id=key,
            kind=parcel.kind,
            code=parcel.code,
            words=parcel.code,
            column=column,
            solids_kg=kg,
            chosen=chosen,
        )
    kind, _, name = key.partition("/")
    words = names.get(name, name)
    code = words if kind == WOODLOT else ""
    return Knot(id=key, kind=kind, code=code, words=words, column=column, solids_kg=kg)

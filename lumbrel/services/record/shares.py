"""Whose sugar flows: each flow carries what was mixed where it came from, in its proportions."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping
from sqlite3 import Connection

from lumbrel.store import flow as store
from lumbrel.store import flowed
from lumbrel.store.flow import Flowed

Solids = dict[str, float]
"""By label (a woodlot, or a parcel it came through), kg of sugar."""
NOTHING_KG = 1e-9
Key = tuple[str, int]


class Mixer:
    """Parcels as they are mixed and drawn from in order of time.

    Args:
        came_later: what came into each parcel in all, by an earlier round: a line may be dated
            before what it moved came in, and moves a part of that all the same.
    """

    def __init__(self, came_later: Mapping[str, Solids] | None = None) -> None:
        self._holds: dict[str, Solids] = defaultdict(lambda: defaultdict(float))
        self._later = came_later or {}
        self.came: dict[str, Solids] = defaultdict(lambda: defaultdict(float))
        self.complete = True
        """Whether every part that was taken was found where it came from."""

    def take(self, parcel_id: str, solids_kg: float) -> Solids:
        """Take so much sugar out of a parcel, in the proportions it holds."""
        held = self._holds[parcel_id]
        mixed = proportions(held) or proportions(self.came[parcel_id])
        mixed = mixed or proportions(self._later.get(parcel_id, {}))
        self.complete = self.complete and bool(mixed)
        taken = {label: part * solids_kg for label, part in mixed.items()}
        for label, kg in taken.items():
            # More may be drawn than came by what was weighed; then nothing is left, never less.
            held[label] = max(held[label] - kg, 0.0)
        return taken

    def like(self, parcel_id: str, solids_kg: float) -> Solids:
        """So much sugar in the proportions of all that came into a parcel."""
        mixed = proportions(self.came[parcel_id]) or proportions(self._later.get(parcel_id, {}))
        return {label: part * solids_kg for label, part in mixed.items()}

    def put(self, parcel_id: str, solids: Solids) -> None:
        """Put sugar into a parcel."""
        for label, kg in solids.items():
            self._holds[parcel_id][label] += kg
            self.came[parcel_id][label] += kg

    def mix(
        self, moved: Iterable[Flowed], from_elsewhere: Callable[[Flowed, "Mixer"], Solids | None]
    ) -> dict[Key, Solids]:
        """Let everything flow; by flow, what it carried.

        Args:
            from_elsewhere: what a flow carries that does not come out of a parcel at hand; None
                for one that does.
        """
        carried: dict[Key, Solids] = {}
        for one in moved:
            flow = one.flow
            solids = from_elsewhere(one, self)
            if solids is None:
                assert flow.source_id is not None
                solids = self.take(flow.source_id, flow.solids_kg) if flow.solids_kg else {}
            carried[one.entry_id, one.line] = solids
            if flow.target_id is not None:
                self.put(flow.target_id, solids)
        return carried


def proportions(holds: Mapping[str, float]) -> Solids:
    """The share of each label in what a parcel holds; nothing when it holds nothing."""
    there = {label: kg for label, kg in holds.items() if kg > NOTHING_KG}
    whole = sum(there.values())
    return {label: kg / whole for label, kg in there.items()} if whole > NOTHING_KG else {}


def in_two_rounds(
    moved: list[Flowed], from_elsewhere: Callable[[Flowed, Mixer], Solids | None]
) -> tuple[dict[Key, Solids], Mixer]:
    """Let everything flow; a second time when something was taken before it came in."""
    first = Mixer()
    carried = first.mix(moved, from_elsewhere)
    if first.complete:
        return carried, first
    second = Mixer(first.came)
    return second.mix(moved, from_elsewhere), second


def settle(db: Connection, parcel_ids: set[str]) -> set[str]:
    """Find anew whose sugar it is in what left some parcels and all they went into.

    Returns:
        The parcels that were looked at: those and all below them.
    """
    below = {found for parcel_id in parcel_ids for found in flowed.below(db, parcel_id)}

    def from_elsewhere(one: Flowed, mixer: Mixer) -> Solids | None:
        source, target = one.flow.source_id, one.flow.target_id
        if source in below:
            return None
        if source is not None:
            return store.shares(db, one.entry_id, one.line)
        assert target is not None
        parcel = store.parcel(db, target)
        if parcel is not None and parcel.woodlot_id:
            return {parcel.woodlot_id: one.flow.solids_kg}
        return mixer.like(target, one.flow.solids_kg) if one.flow.solids_kg else {}

    carried, _ = in_two_rounds(in_order(db, below), from_elsewhere)
    for (entry_id, line), solids in carried.items():
        if solids != store.shares(db, entry_id, line):
            store.save_shares(db, entry_id, line, solids)
    return below


def in_order(db: Connection, parcel_ids: set[str]) -> list[Flowed]:
    """What flowed into or out of some parcels, each flow once, in order of time."""
    found: dict[Key, Flowed] = {}
    for parcel_id in parcel_ids:
        for one in (*flowed.flows_into(db, parcel_id), *flowed.flows_out_of(db, parcel_id)):
            found[one.entry_id, one.line] = one
    return sorted(found.values(), key=lambda f: (f.at, f.order, f.line))

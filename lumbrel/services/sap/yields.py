"""What each tree of a woodlot gave in a season."""

from dataclasses import dataclass
from datetime import date
from sqlite3 import Connection

from lumbrel.store import sap as store


@dataclass(frozen=True)
class TreeYield:
    """What a tree gave in a season."""

    litres: float
    solids_kg: float
    taps: int
    rank: int
    of: int

    @property
    def brix(self) -> float:
        """Its sap on the whole."""
        return 100 * self.solids_kg / self.litres if self.litres else 0.0


def yields(db: Connection, woodlot_id: str, season: int) -> dict[str, TreeYield]:
    """By tree what it gave in a season, and its place by solids a tap."""
    sums = store.tree_sums(db, woodlot_id, date(season, 1, 1), date(season, 12, 31))
    taps = store.taps_of(db, woodlot_id, season)

    def per_tap(tree_id: str) -> float:
        return sums[tree_id][1] / max(taps.get(tree_id, 1), 1)

    ordered = sorted(sums, key=per_tap, reverse=True)
    return {
        tree_id: TreeYield(*sums[tree_id], taps.get(tree_id, 0), place, len(ordered))
        for place, tree_id in enumerate(ordered, 1)
    }

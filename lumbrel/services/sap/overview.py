"""The sap page: the week, the tanks, the woodlots of this season."""

from dataclasses import dataclass
from datetime import datetime
from sqlite3 import Connection

from lumbrel.core.pan.target import LEAST_SYRUP_BRIX
from lumbrel.services.sap import gear, played, runs, trees
from lumbrel.services.sap.contents import TankView
from lumbrel.services.sap.runs import TankAhead, Week
from lumbrel.store import kept
from lumbrel.store import sap as store
from lumbrel.store.kitchen import Woodlot, load_kitchen, woodlots
from lumbrel.store.record import Batch

HOURS_AT_MOST = 12.0
"""A boil-down that nobody planned is begun so long before its sap is too old."""


@dataclass(frozen=True)
class SapLot:
    """A woodlot this season."""

    woodlot: Woodlot
    trees: int
    taps: int
    litres: float
    solids_kg: float

    @property
    def brix(self) -> float | None:
        """Of all of its sap this season."""
        return 100 * self.solids_kg / self.litres if self.litres else None

    @property
    def per_tap(self) -> float | None:
        """Litres from each tap."""
        return self.litres / self.taps if self.taps and self.litres else None


@dataclass(frozen=True, kw_only=True)
class SapOverview:
    """The sap page."""

    week: Week
    tanks: list[tuple[TankView, TankAhead]]
    lots: list[SapLot]
    season: int
    gear_left: int
    fires: list[Batch]
    """Boil-downs on the fire."""
    names: dict[str, str]

    @property
    def urgent(self) -> TankView | None:
        """The tank that must be boiled first."""
        due = [view for view, _ in self.tanks if view.boil_by]
        return min(due, key=lambda view: view.boil_by or datetime.max, default=None)

    @property
    def litres(self) -> float:
        """In all tanks."""
        return sum(view.content.litres for view, _ in self.tanks)

    @property
    def begun(self) -> bool:
        """Whether there is anything at all."""
        return bool(self.tanks or any(lot.trees or lot.litres for lot in self.lots))


def overview(db: Connection, now: datetime, woodlot_id: str = "") -> SapOverview:
    """The sap page, its week of one woodlot or of all."""
    season = trees.season_of(now, load_kitchen(db))
    week = runs.week(db, now, woodlot_id)
    counts = store.tree_counts(db)
    lots = []
    for lot in woodlots(db):
        given = store.runs(db, lot.id, *trees.days_of(season))
        if lot.retired and not given:
            continue
        lots.append(
            SapLot(
                lot,
                counts.get(lot.id, 0),
                round(runs.taps_of(db, lot.id, season)),
                sum(run.litres for run in given),
                sum(run.solids_kg for run in given),
            )
        )
    seen = [v for v in played.views(db, now) if not (v.tank.retired and v.empty)]
    whole = runs.week(db, now) if woodlot_id else week
    on_fire = [b for b in kept.waiting(db, "pan") if b.target_brix < LEAST_SYRUP_BRIX]
    return SapOverview(
        week=week,
        tanks=[(view, runs.coming(whole, view, HOURS_AT_MOST)) for view in seen],
        lots=lots,
        season=season,
        gear_left=gear.gear(db, now).left_before,
        fires=on_fire,
        names={w.id: w.name for w in woodlots(db)},
    )

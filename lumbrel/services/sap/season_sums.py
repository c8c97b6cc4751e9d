"""Seasons in figures, each summed up once."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from sqlite3 import Connection

from lumbrel.core.sap import sap
from lumbrel.services.base.cache import cache_of, last_line, record_key
from lumbrel.services.sap import trees
from lumbrel.store import sap as store
from lumbrel.store.kitchen import Woodlot
from lumbrel.store.sap import RunDay

MOST_SEASONS = 6
"""So many are set beside each other; older ones have their own page."""
WORTH_A_TAP_L = 0.3
"""A day that gave more from a tap counts as a run."""
MOST_SUMS = 240


@dataclass(frozen=True, kw_only=True)
class Sum:
    """A season, or a woodlot in it, in figures."""

    season: int
    litres: float
    solids_kg: float
    taps: float
    run_days: int
    first: date | None
    last: date | None
    syrup_l: float
    """That its sugar makes at the kitchen's target, by mass balance."""

    @property
    def brix(self) -> float | None:
        mass = sap.mass_kg(self.litres, 2.0)
        return 100 * self.solids_kg / mass if mass else None

    @property
    def per_tap_l(self) -> float | None:
        return self.litres / self.taps if self.taps else None

    @property
    def syrup_per_tap_l(self) -> float | None:
        return self.syrup_l / self.taps if self.taps else None

    @property
    def ratio(self) -> float | None:
        """Litres of sap to one of syrup."""
        return self.litres / self.syrup_l if self.syrup_l else None


def sum_of(season: int, runs: Sequence[RunDay], target_brix: float) -> Sum:
    """A season's figures from its days, of one woodlot or of several."""
    litres = sum(run.litres for run in runs)
    solids = sum(run.solids_kg for run in runs)
    by_lot: dict[str, float] = {}
    for run in runs:
        by_lot[run.woodlot_id] = max(by_lot.get(run.woodlot_id, 0.0), run.taps)
    ran = {run.day for run in runs if run.litres > WORTH_A_TAP_L * max(run.taps, 1.0)}
    days = [run.day for run in runs if run.litres > 0]
    mass = sap.mass_kg(litres, 2.0)
    brix = 100 * solids / mass if mass else 0.0
    syrup = sap.becomes(litres, brix, target_brix).syrup_l if brix >= sap.LEAST_BRIX else 0.0
    return Sum(
        season=season,
        litres=litres,
        solids_kg=solids,
        taps=sum(by_lot.values()),
        run_days=len(ran),
        first=min(days, default=None),
        last=max(days, default=None),
        syrup_l=syrup,
    )


def others_of(db: Connection, lots: Sequence[Woodlot], season: int, target_brix: float) -> list[Sum]:
    """The seasons before, oldest first."""
    years = range(season - MOST_SEASONS + 1, season)
    return [_whole(db, lots, year, target_brix) for year in years]


def _whole(db: Connection, lots: Sequence[Woodlot], season: int, target_brix: float) -> Sum:
    """A season of all woodlots, summed up once for as long as nothing is said of it."""
    news = last_line(db, "woodlot", "struck")
    key = (record_key(db), news, season, target_brix, len(lots))
    shelf = cache_of(db).shelf("seasons", MOST_SUMS)
    return shelf.get(
        key, lambda: sum_of(season, [run for lot in lots for run in runs_of(db, lot, season)], target_brix)
    )


def runs_of(db: Connection, lot: Woodlot, season: int) -> list[RunDay]:
    return store.runs(db, lot.id, *trees.days_of(season))

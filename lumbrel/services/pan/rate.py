"""How fast a vessel boils off, by its last draws."""

from datetime import datetime
from math import sqrt
from sqlite3 import Connection
from statistics import fmean, stdev
from typing import NamedTuple

from lumbrel.core.pan.boil_path import STRAYS
from lumbrel.core.pan.vessel import TYPICAL_BOIL_OFF_KG_PER_MIN_M2, Vessel
from lumbrel.store import kept
from lumbrel.store.kitchen import VesselRow

LAST_DRAWS, DRAWS_NEEDED = 12, 3
BEFORE_ANY_DRAWS = 2.0
"""What is held of any burner counts like so many draws of this one."""


class Rate(NamedTuple):
    """Boil-off of a vessel, its sigma, and how many draws taught it."""

    kg_per_min: float
    sigma_kg_per_min: float
    draws: int


def learned_rate(db: Connection, vessel: VesselRow, before: datetime) -> Rate:
    """Boil-off of a vessel from its last draws up to a moment.

    Without a history: a hard boil over its bottom, give or take half.
    """
    rates = kept.last_rates(db, vessel.id, before, LAST_DRAWS)
    if len(rates) >= DRAWS_NEEDED:
        mean = fmean(rates)
        return Rate(mean, max(stdev(rates), 0.05 * mean), len(rates))
    area = Vessel(vessel.shape, vessel.sizes_mm).bottom_area_m2()
    typical = TYPICAL_BOIL_OFF_KG_PER_MIN_M2 * area
    return Rate(typical, 0.5 * typical, 0)


def learned_straying(db: Connection, vessel: VesselRow, before: datetime) -> float:
    """By how much of its rate a vessel's burner strays, as its last draws up to a moment showed: a
    wood fire more than gas."""
    seen = kept.last_strays(db, vessel.id, before, LAST_DRAWS)
    whole = BEFORE_ANY_DRAWS * STRAYS**2 + sum(share**2 for share in seen)
    return sqrt(whole / (BEFORE_ANY_DRAWS + len(seen)))

"""What a vessel's last draws, and a woodlot's, teach of the next boil."""

from collections.abc import Collection
from datetime import datetime
from math import exp, log, sqrt
from sqlite3 import Connection
from statistics import fmean, stdev
from typing import NamedTuple

from lumbrel.core.pan.boil_path import STRAYS
from lumbrel.core.pan.boil_shift import ShiftSeen, learnt
from lumbrel.core.pan.target import DEFAULT_INVERT_FRACTION
from lumbrel.core.pan.vessel import Vessel
from lumbrel.core.physics.sucrose import real_sigma_k
from lumbrel.services.base.facts import Learnt
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

    Without a history: what such a vessel drives off over such a fire; a draw or two narrow that.
    """
    rates = kept.last_rates(db, vessel.id, before, LAST_DRAWS)
    if len(rates) >= DRAWS_NEEDED:
        mean = fmean(rates)
        return Rate(mean, max(stdev(rates), 0.05 * mean), len(rates))
    then = vessel.as_of(before)
    usual, log_sigma = Vessel(then.shape, then.sizes_mm).usual_boil_off(then.fire)
    weight = log_sigma**-2
    whole = weight + len(rates) * DRAW_LOG_SIGMA**-2
    middle = (weight * log(usual) + sum(map(log, rates)) * DRAW_LOG_SIGMA**-2) / whole
    share = sqrt(exp(1 / whole) - 1)
    return Rate(exp(middle), share * exp(middle), len(rates))


DRAW_LOG_SIGMA = 0.25
"""One boil of a vessel is so far from the next, before there are enough to tell."""
LAST_SHIFTS = 24
"""A woodlot's boil is taught by so many of its last draws."""


def learnt_before(
    db: Connection, vessel_id: str, woodlot_ids: Collection[str], sugar_kind: str, before: datetime
) -> Learnt | None:
    """What earlier boils taught of a vessel's burner (a wood fire strays more than gas) and of a
    woodlot's syrup, up to a moment; None when they taught nothing. Syrup of several woodlots is held to
    be like any."""
    seen = kept.last_strays(db, vessel_id, before, LAST_DRAWS)
    rows = []
    if len(woodlot_ids) == 1:
        rows = kept.shifts(db, next(iter(woodlot_ids)), sugar_kind, before, LAST_SHIFTS)
    if not seen and not rows:
        return None
    whole = BEFORE_ANY_DRAWS * STRAYS**2 + sum(share**2 for share in seen)
    shift = learnt(
        [ShiftSeen(row.shift_k, row.sigma_k, row.shared_k) for row in rows],
        real_sigma_k(DEFAULT_INVERT_FRACTION[sugar_kind]),
    )
    return Learnt(
        strays=sqrt(whole / (BEFORE_ANY_DRAWS + len(seen))),
        shift_k=shift.k,
        shift_sigma_k=shift.sigma_k,
        draws=shift.draws,
    )

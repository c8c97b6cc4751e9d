"""The woodlots of the demonstration's sap seasons."""

from dataclasses import dataclass
from datetime import date

LOTS = {
    # taps, vigour, Brix, hasty, dries
    "upper-fold": (0, 1.15, 2.15, 0.022, 45.0),
    "tern-lot": (140, 0.95, 1.95, 0.026, 38.0),
    "north-kiln": (90, 0.8, 2.3, 0.019, 50.0),
    "old-quarry": (210, 1.0, 1.8, 0.024, 34.0),
}
"""Those without taps have their trees registered one by one."""
YEAR_VIGOUR = {2024: 1.1, 2025: 0.85, 2026: 1.0}
FOLD_TREES, BIRCH_TREES = 22, 30


@dataclass
class LotOfYear:
    """A woodlot in one year."""

    id: str
    ran: dict[date, tuple[float, float]]
    """By day, L a tap and Brix."""
    taps: float

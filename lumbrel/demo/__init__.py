"""The Cinderpool demonstration: its season, and its live vessel."""

from lumbrel.demo.live import DemoClock, LiveVessel, clock
from lumbrel.demo.season import (
    BIRCH_FROM,
    FIRST_DAY,
    LAST_DAY,
    MINUTES_LEFT,
    STARTS_AT,
    database,
    make,
)

__all__ = [
    "BIRCH_FROM",
    "FIRST_DAY",
    "LAST_DAY",
    "MINUTES_LEFT",
    "STARTS_AT",
    "DemoClock",
    "LiveVessel",
    "clock",
    "database",
    "make",
]

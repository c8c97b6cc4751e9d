"""The Cinderpool demonstration: its season, and its live vessel."""

from lumbrel.demo.at_the_pan import FIRST_DAY, LAST_DAY, STARTS_AT
from lumbrel.demo.live import DemoClock, LiveVessel, clock
from lumbrel.demo.season import (
    BIRCH_FROM,
    MINUTES_LEFT,
    database,
    make,
)

"""Which of a probe's samples are believed: each kind of nonsense has its stated rule."""

from collections import deque
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import isfinite
from typing import NamedTuple

from lumbrel.words import _

COLDEST_C, HOTTEST_C = -60.0, 350.0
LOWEST_PA, HIGHEST_PA = 30_000.0, 115_000.0
LIGHTEST_KG, HEAVIEST_KG = -50.0, 10_000.0
"""A scale that was tared shows less than nothing when its load is lifted off."""
POWER_ON_C = 85.0
"""What the usual digital sensor says before it has measured anything."""
NEAR_POWER_ON_K = 2.0
JUMP_K, JUMP_WITHIN = 40.0, timedelta(seconds=30)
JUMP_BELIEVED_AFTER = 5
"""A probe moved from one pot to another says so this often; a glitch does not."""
AHEAD = timedelta(seconds=5)
BEHIND = timedelta(days=1)

NOT_A_NUMBER = _("not a number")
NO_TEMPERATURE = _("no temperature a probe can have")
NO_PRESSURE = _("no pressure that air can have")
NO_WEIGHT = _("no weight that a scale can show")
POWER_ON = _("85.0 °C, what a sensor says before it has measured")
JUMP = _("a jump of 40 K")
FUTURE = _("from the future: the device's clock is ahead")
OLD = _("more than a day old")


class Limits(NamedTuple):
    """Between which a value lies, and what is said of others."""

    low: float
    high: float
    sentence: str


LIMITS = {
    "temperature": Limits(COLDEST_C, HOTTEST_C, NO_TEMPERATURE),
    "pressure": Limits(LOWEST_PA, HIGHEST_PA, NO_PRESSURE),
    "mass": Limits(LIGHTEST_KG, HEAVIEST_KG, NO_WEIGHT),
}


@dataclass(frozen=True)
class BelievedSample:
    """A sample that was believed."""

    at: datetime
    value: float


class SampleGate:
    """Decides sample by sample for one probe.

    Args:
        last: the newest sample believed so far, if any.
        of: what it measures: temperature (degC), pressure (Pa) or mass (kg).
    """

    def __init__(self, last: BelievedSample | None = None, of: str = "temperature") -> None:
        self._last, self._limits = last, LIMITS[of]
        self._jumped: deque[float] = deque(maxlen=JUMP_BELIEVED_AFTER)

    def refusal(self, at: datetime, value: float, now: datetime) -> str:
        """Why a sample is not believed; empty when it is.

        A sample that comes late or twice is no fault of its own. Order does not matter, except
        that a jump is judged against the newest sample before it.

        Args:
            at: when it was taken.
            value: as it showed it, degC, Pa or kg.
            now: the kitchen's time.
        """
        if not isfinite(value):
            return NOT_A_NUMBER
        if not self._limits.low <= value <= self._limits.high:
            return self._limits.sentence
        if at > now + AHEAD:
            return FUTURE
        if at < now - BEHIND:
            return OLD
        if self._limits is LIMITS["temperature"] and (why := self._glitch(at, value)):
            return why
        self._jumped.clear()
        if self._last is None or at >= self._last.at:
            self._last = BelievedSample(at, value)
        return ""

    def _glitch(self, at: datetime, value: float) -> str:
        """Why a temperature is a glitch; empty when it is none."""
        known = self._last if self._last and abs(at - self._last.at) <= JUMP_WITHIN else None
        if value == POWER_ON_C and (known is None or abs(known.value - POWER_ON_C) > NEAR_POWER_ON_K):
            return POWER_ON
        if known is not None and abs(value - known.value) >= JUMP_K:
            self._jumped.append(value)
            steady = max(self._jumped) - min(self._jumped) < JUMP_K / 4
            if len(self._jumped) < JUMP_BELIEVED_AFTER or not steady:
                return JUMP
        return ""

"""A kettle taken off the fire: how its syrup cools through the window in which jars are filled.

It loses through its side and, most while it is hot, through its open top: its rate falls faster than its excess over
the room, by an exponent that is known only so well. Jars that are scooped out leave less syrup over the same walls:
the rate grows as what is left shrinks. What was filled since the last line, and how it goes on, is guessed by the
pace so far; whether anybody fills at all is doubted the longer no line says so. Room, exponent, pace and rate are
unknowns held by what is guessed of them, and what the readings say of them widens or narrows the time.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from math import exp, log

import numpy as np

from lumbrel.core.errors import OutOfRange, require_between
from lumbrel.core.likely import after, together
from lumbrel.core.numeric import outlook
from lumbrel.core.physics.boil_curve import Floats
from lumbrel.words import _

ROOM_C, ROOM_SIGMA_K = 20.0, 6.0
TYPED_SIGMA_K = 0.5
"""Of a reading by hand: the probe's scatter, and the layer where it stands unless it was stirred."""
START_SIGMA_K = 4.0
USUAL_RATE_PER_MIN, RATE_SIGMA = 0.011, 0.8
"""Of a kettle of ten litres without its lid; one sigma of the logarithm."""
BEND, BEND_SIGMA = 2.2, 0.6
"""The exponent of its excess over the room: 1 by the side alone, the more the more steam it gives."""
THINNED, THINNED_SIGMA = 0.85, 0.2
"""The power of what is left by which its rate grows: 1 where the walls that lose stay as they are."""
WALLS = 0.12
"""The pot's heat, as a share of that of all its syrup."""
USUAL_PACE_KG_PER_MIN, USUAL_PACE_SIGMA, OWN_PACE_SIGMA = 0.7, 0.6, 0.35
LINE_MIN = 3.0
"""What is filled in some minutes is noted at their end."""
FILLS_FIRST, FILLS_ON = 0.7, 0.97
"""How likely jars are being filled before the first line says so, and after a line that does."""
QUIET_MIN, DOUBTED_MIN = 6.0, 8.0
"""So long after a line nothing is thought of it; then that chance falls to a third in so many minutes."""
LEAST_LEFT = 0.12
"""Of the syrup stays in the end."""
STEP_MIN, HORIZON_MIN = 1.0, 180.0
GRID = np.arange(0.0, HORIZON_MIN + STEP_MIN, STEP_MIN)
NEAR = 0.15
"""Who is told a wait so well plans by it."""
START, RATE, ROOM, EXPONENT, POWER, PACE = range(6)


@dataclass(frozen=True, kw_only=True)
class Emptied:
    """What was taken out of a kettle.

    Attributes:
        whole_kg: at its first reading, above 0.
        taken: minute and kg of each line, rising; minutes on the readings' clock.
        filling: whether jars are filled from it at all.
    """

    whole_kg: float
    taken: tuple[tuple[float, float], ...] = ()
    filling: bool = True


FULL = Emptied(whole_kg=10.0, filling=False)


@dataclass(frozen=True, kw_only=True)
class KettleHeat:
    """A kettle's cooling as its readings have it: drawn likely kettles, each with its weight; minutes are the
    readings' own."""

    first_minute: float
    drawn: Floats
    """Start, logarithm of the rate, room, exponent, power and logarithm of the pace, a row each."""
    clocks: Floats
    """On `GRID` the minutes that a full kettle would have cooled as far in, a row each."""
    weights: Floats

    @property
    def room_c(self) -> float:
        """What is thought of the room, degC."""
        return float(self.weights @ self.drawn[:, ROOM])

    def temperature_c_at(self, minute: float) -> float:
        """At a minute, degC."""
        return float(self.weights @ self._now(minute))

    def sigma_k_at(self, minute: float) -> float:
        """One sigma of that, K."""
        each = self._now(minute)
        mean = float(self.weights @ each)
        return float(np.sqrt(self.weights @ (each - mean) ** 2))

    def minutes_to(self, target_c: float, now: float) -> tuple[float, float, float]:
        """Minutes from now until it has cooled to a temperature: expected, and 5 and 95 % limits; 0 when
        it has, infinite when it never does.

        Args:
            target_c: degC.
            now: minute on the readings' clock.
        """
        minutes = self._from_first(target_c)
        expected, low, high = outlook(minutes, self.weights, NEAR)
        since = now - self.first_minute
        return max(expected - since, 0.0), max(low - since, 0.0), max(high - since, 0.0)

    @cached_property
    def _excess_k(self) -> Floats:
        return np.maximum(self.drawn[:, START] - self.drawn[:, ROOM], 5.0)

    @cached_property
    def _bent(self) -> Floats:
        return np.maximum(self.drawn[:, EXPONENT] - 1.0, 0.02)

    def _at(self, minutes: Floats) -> Floats:
        """What each kettle shows at each minute since its first reading."""
        since = np.clip(minutes, 0.0, HORIZON_MIN) / STEP_MIN
        place = np.minimum(since.astype(int), len(GRID) - 2)
        part = since - place
        aged = self.clocks[:, place] * (1 - part) + self.clocks[:, place + 1] * part
        bent = self._bent[:, None]
        slowed = 1 + bent * np.exp(self.drawn[:, RATE, None]) * aged
        return np.asarray(self.drawn[:, ROOM, None] + self._excess_k[:, None] * slowed ** (-1 / bent))

    def _now(self, minute: float) -> Floats:
        return np.asarray(self._at(np.array([minute - self.first_minute]))[:, 0])

    def _from_first(self, target_c: float) -> Floats:
        """Minutes from the first reading to a temperature, of each kettle."""
        over = np.maximum(target_c - self.drawn[:, ROOM], 1e-9)
        bent = self._bent
        aged = ((self._excess_k / over) ** bent - 1) / (bent * np.exp(self.drawn[:, RATE]))
        place = np.clip((self.clocks < aged[:, None]).sum(axis=1), 1, len(GRID) - 1)
        rows = np.arange(len(aged))
        under, above = self.clocks[rows, place - 1], self.clocks[rows, place]
        found: Floats = GRID[place - 1] + STEP_MIN * (aged - under) / np.maximum(above - under, 1e-9)
        found[(target_c <= self.drawn[:, ROOM]) | (aged > self.clocks[:, -1])] = np.inf
        found[target_c >= self.drawn[:, START]] = 0.0
        return found


def fit_heat(
    readings: Sequence[tuple[float, float]],
    room_c: float = ROOM_C,
    room_sigma_k: float = ROOM_SIGMA_K,
    sigma_k: float = TYPED_SIGMA_K,
    rate_per_min: float = USUAL_RATE_PER_MIN,
    rate_sigma: float = RATE_SIGMA,
    emptied: Emptied = FULL,
    now: float | None = None,
) -> KettleHeat:
    """A kettle's cooling from its readings since it came off the fire.

    Args:
        readings: one or more of (minute, degC), between the room and 120.
        room_c, room_sigma_k: what is guessed of the room; -20 to 50, and above 0.
        sigma_k: of a reading.
        rate_per_min, rate_sigma: how such a kettle cools while it is full, by its last heats.
        emptied: what was taken out of it.
        now: minute on the readings' clock; the last reading's if left out.
    Raises:
        OutOfRange: no reading, or one that is not warmer than the room.
    Source: a power law of cooling for each way that it may be emptied (`lumbrel.core.likely`).
    """
    require_between(room_c, -20.0, 50.0, field="room_c", what=_("The room"), unit="°C")
    if not readings:
        raise OutOfRange(_("Read the kettle once at least."), "readings")
    ordered = sorted(readings)
    if any(not room_c + 5 < shown <= 120 for _any, shown in ordered):
        raise OutOfRange(
            _("A kettle is warmer than the room by more than 5 K, and at most 120 °C (248 °F)."), "readings"
        )
    first = ordered[0][0]
    taken = tuple((max(minute - first, 0.0), kg) for minute, kg in emptied.taken)
    by_now = (ordered[-1][0] if now is None else now) - first
    guessed = (log(rate_per_min), rate_sigma, room_c, room_sigma_k, sigma_k)
    return _fit(tuple(ordered), guessed, replace(emptied, taken=taken), round(by_now))


@lru_cache(maxsize=16)
def _fit(
    readings: tuple[tuple[float, float], ...],
    guessed: tuple[float, float, float, float, float],
    emptied: Emptied,
    by_now: float,
) -> KettleHeat:
    """As `fit_heat`; remembered, since every page asks how the kettle stands."""
    first = readings[0][0]
    minutes = np.array([minute - first for minute, _any in readings])
    shown = np.array([shown for _any, shown in readings])
    log_rate, rate_sigma, room_c, room_sigma_k, sigma_k = guessed

    def misses(each: Floats) -> Floats:
        kettles = _kettles(each, np.ones(len(each)), first, emptied)
        return np.asarray((kettles._at(minutes) - shown) / sigma_k)

    found = []
    for log_pace, pace_sigma, chance in _ways(emptied, by_now):
        before = np.array([shown[0], log_rate, room_c, BEND, THINNED, log_pace])
        sigmas = np.array([START_SIGMA_K, rate_sigma, room_sigma_k, BEND_SIGMA, THINNED_SIGMA, pace_sigma])
        drawn, weights, explains = after(before, sigmas, misses)
        found.append((drawn, weights, explains + log(max(chance, 1e-9))))
    return _kettles(*together(found), first, emptied)


def _ways(emptied: Emptied, by_now: float) -> list[tuple[float, float, float]]:
    """How it may be emptied from here on: the logarithm of the pace, its sigma, and how likely that is."""
    nobody = (log(1e-4), 0.1)
    if not emptied.filling:
        return [(*nobody, 1.0)]
    taken = emptied.taken
    if taken:
        pace = sum(kg for _any, kg in taken) / (taken[-1][0] - taken[0][0] + LINE_MIN)
        own, quiet, fills = (log(pace), OWN_PACE_SIGMA), by_now - taken[-1][0] - QUIET_MIN, FILLS_ON
    else:
        own, quiet, fills = (log(USUAL_PACE_KG_PER_MIN), USUAL_PACE_SIGMA), by_now, FILLS_FIRST
    chance = fills * exp(-max(quiet, 0.0) / DOUBTED_MIN)
    return [(*own, chance), (*nobody, 1 - chance)]


def _clocks(each: Floats, emptied: Emptied) -> Floats:
    """On `GRID`, the minutes that a full kettle would have cooled as far in."""
    whole, left, at = emptied.whole_kg, emptied.whole_kg, 0.0
    knots = [(0.0, whole)]
    for minute, kg in emptied.taken:
        left, at = max(left - kg, LEAST_LEFT * whole), max(minute, at + 1e-3)
        knots.append((at, left))
    noted = np.interp(GRID, [minute for minute, _kg in knots], [kg for _minute, kg in knots])
    since = np.maximum(GRID - at, 0.0)
    mass = np.maximum(noted - np.exp(each[:, PACE, None]) * since, LEAST_LEFT * whole)
    faster = ((1 + WALLS) * whole / (mass + WALLS * whole)) ** each[:, POWER, None]
    aged = np.cumsum((faster[:, 1:] + faster[:, :-1]) * (STEP_MIN / 2), axis=1)
    return np.concatenate([np.zeros((len(each), 1)), aged], axis=1)


def _kettles(each: Floats, weights: Floats, first: float, emptied: Emptied) -> KettleHeat:
    return KettleHeat(first_minute=first, drawn=each, clocks=_clocks(each, emptied), weights=weights)

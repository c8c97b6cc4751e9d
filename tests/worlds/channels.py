"""A continuous pan as sugarhouses have them, and who stands at it: channels that mix into each other, a
float that sticks, wood put on by the armful, draws that come late and are forgotten. It knows nothing of
how Lumbrel reckons."""

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from math import exp, pi, sin
from sqlite3 import Connection

from lumbrel.core.physics import sucrose
from lumbrel.services.pan import board as boards
from lumbrel.services.probes import intake
from lumbrel.services.stations import slip
from lumbrel.worlds.pan import Departures, HarshPan

STEP_S = 15.0


@dataclass
class Seen:
    """What was said at one moment of a climb, and what came of it."""

    at: float
    low: float
    left: float
    high: float | None
    brix: float
    draws: int
    truth: float | None = None


@dataclass
class Evening:
    """How an evening at the pan went."""

    called_at: list[float] = field(default_factory=list)
    """The Brix at the draw-off when a draw was called."""
    drawn: list[tuple[float, float]] = field(default_factory=list)
    """Of each draw the mass, kg, and its true Brix."""
    seen: list[Seen] = field(default_factory=list)
    missed: int = 0
    """Times that it stood far past the mark and nobody was called."""
    held_kg: float = 0.0
    standing_brix: float = 0.0


class ChannelPan:
    """Channels one after the other, each mixed by its boil.

    Args:
        seed: of everything that is drawn.
        held_kg: that its float keeps in it.
        rate_kg_min: water it drives off.
        pressure_pa: of the air.
    """

    def __init__(self, seed: int, held_kg: float, rate_kg_min: float, pressure_pa: float) -> None:
        self.rng = rng = random.Random(seed)
        self.channels = rng.choice((4, 5, 6, 8, 10))
        self.each_kg = held_kg / self.channels
        self.sap_brix = rng.uniform(1.3, 2.8)
        self.brix = [self.sap_brix] * self.channels
        self.rate = rate_kg_min * exp(rng.gauss(0, 0.25))
        self.mixes = rng.uniform(0, 0.2) * self.rate
        self.fed_kg = 0.0
        self.second = 0.0
        self._strays, self._stoked, self._every = 0.0, 0.0, rng.uniform(6, 14)
        self._swing, self._stuck = rng.uniform(0.05, 0.3), 0.0
        departs = Departures.drawn(rng, wood=True)
        self.end = HarshPan(
            mass_kg=1,
            brix=self.sap_brix,
            temperature_c=95.0,
            rate_kg_per_min=0.0,
            pressure_pa=pressure_pa,
            departs=departs,
            rng=rng,
        )

    def step(self, minutes: float, draws_kg: float = 0.0) -> None:
        """Let time pass, at most some seconds, in which so much is drawn."""
        self.second += 60 * minutes
        rng, at = self.rng, self.second / 60
        self._strays += -self._strays * minutes / 5 + rng.gauss(0, 0.06) * (2 * minutes / 5) ** 0.5
        if at - self._stoked > self._every:
            self._stoked, self._every = at, rng.uniform(6, 14)
        swing = self._swing * sin(2 * pi * (at - self._stoked) / self._every)
        each = self.rate * max(1 + self._strays + swing, 0.2) / self.channels
        flows = [draws_kg / minutes]
        for _ in range(self.channels):
            flows.insert(0, flows[0] + each)
        above = [self.sap_brix, *self.brix]
        sugar = [
            self.each_kg * w + (flows[i] * above[i] - flows[i + 1] * w) * minutes
            for i, w in enumerate(self.brix)
        ]
        for i in range(self.channels - 1):
            over = self.mixes * (self.brix[i + 1] - self.brix[i]) * minutes
            sugar[i] += over
            sugar[i + 1] -= over
        self.brix = [min(one / self.each_kg, 88.0) for one in sugar]
        self.fed_kg += flows[0] * minutes
        end, departs = self.end, self.end.departs
        end.brix = self.brix[-1]
        end._stirs = end._walk(end._stirs, departs.stirring_k, departs.stirring_s, 60 * minutes)
        shown = end.boil_c + end._stirs
        end.probe_c += (shown - end.probe_c) * (1 - exp(-60 * minutes / departs.lag_s))

    @property
    def standing_brix(self) -> float:
        """Of all that is in it."""
        return sum(self.brix) / self.channels


def play(
    db: Connection,
    code: str,
    pan: ChannelPan,
    *,
    lit: datetime,
    hours: float,
    probe: str = "",
    feed: Callable[[float, datetime], None],
    offset_k: float = 0.0,
    target: float = 66.9,
    forgets: float = 0.1,
) -> Evening:
    """An evening at a pan whose fire was lit: samples go in, draws are made when they are called for.

    Args:
        code: of the batch.
        probe: at the draw-off; without one a cup is read now and then.
        feed: notes that so many kg of sap ran in by a moment.
        offset_k: of the probe.
        forgets: how likely a draw is not noted.
    """
    rng = pan.rng
    evening = Evening()
    draw_l = rng.uniform(0.2, 0.6) * pan.each_kg / 1.3
    fed_to, reads_at, looks_at = 0.0, 0.0, 0.0
    told: float | None = None
    ahead = 0.0
    step = STEP_S / 60
    steps = int(hours * 60 / step)
    for i in range(steps):
        if ahead <= 0:
            pan.step(step)
        minute = (i + 1) * step
        at = lit + timedelta(minutes=minute)
        if ahead > 0:
            # The draw took a while, in which the pan went on.
            ahead -= step
            continue
        if probe:
            intake.take(db, probe, [(at, round(pan.end.probe_c + offset_k, 2))], at)
        elif minute >= reads_at and pan.brix[-1] > 45:
            reads_at = minute + rng.uniform(3, 8)
            _cup(db, code, pan, at)
        if minute - fed_to >= 30:
            kg = pan.fed_kg
            pan.fed_kg = 0.0
            fed_to = minute
            feed(kg * (1 + rng.gauss(0, 0.02)), at)
        for seen in evening.seen:
            if seen.truth is None and pan.brix[-1] >= target:
                seen.truth = minute - seen.at
        if minute < looks_at:
            continue
        looks_at = minute + 0.5
        board = boards.board(db, code, at)
        if told is None and board.heating_minutes == 0 and board.believed and i % 8 == 0:
            evening.seen.append(
                Seen(
                    minute,
                    board.low_left,
                    board.minutes_left,
                    board.high_left,
                    pan.brix[-1],
                    len(evening.drawn),
                )
            )
        if told is None and board.verdict.call in ("draw_now", "over"):
            evening.called_at.append(pan.brix[-1])
            told = minute + rng.uniform(0.2, 1.2)
        if told is None and pan.brix[-1] > target + 5:
            evening.missed += 1
            told = minute
        if told is not None and minute >= told:
            kg, sugar, spent = 0.0, 0.0, 0.0
            while kg < draw_l * 1.3 and (pan.brix[-1] > target - 1.5 or kg == 0):
                part = draw_l * 1.3 / 8
                sugar += part * pan.brix[-1]
                kg += part
                pan.step(0.15, part)
                spent += 0.15
                if probe:
                    then = at + timedelta(minutes=spent)
                    intake.take(db, probe, [(then, round(pan.end.probe_c + offset_k, 2))], then)
            ahead = spent
            evening.drawn.append((kg, sugar / kg))
            if rng.random() >= forgets:
                noted = {"mass": f"{kg * (1 + rng.gauss(0, 0.03)):.3f} kg", "mass_confirmed": "1"}
                slip.put(db, code, "part_draw", noted, at + timedelta(minutes=spent))
            told, looks_at = None, minute + 2
            evening.seen = [s for s in evening.seen if s.truth is not None]
    evening.held_kg = pan.each_kg * pan.channels
    evening.standing_brix = pan.standing_brix
    return evening


def _cup(db: Connection, code: str, pan: ChannelPan, at: datetime) -> None:
    """A drop let cool on the prism, with its scatter."""
    shown = pan.brix[-1] + pan.rng.gauss(0, 0.35)
    given = {
        "instrument": "hand-prism",
        "reading": f"{shown:.1f}",
        "sample": "20 C",
        "reading_confirmed": "1",
    }
    slip.put(db, code, "refractometer", given, at + timedelta(seconds=20))


def water_c(pressure_pa: float) -> float:
    """Where water boils."""
    return sucrose.boiling_point_c(0.0, pressure_pa)

"""A pan as kitchens have them: its boil off the book's curve, its burner never quite steady, its
probe slow and in a stirring boil.

`worlds.book` is the believed world: what is computed there is what was put in. This one departs from
it the way kitchens do, so that a judgement can be tried where it was not made.
"""

import random
from dataclasses import dataclass, field
from math import exp, sqrt

from lumbrel.core.physics import water

_SUCROSE_G, _HEXOSE_G, _WATER_G = 342.30, 180.16, 18.015
STEP_BRIX, STEPS = 0.25, 388
LATENT_KJ_PER_KG = 2257.0
SPECIFIC_HEAT = 3.0
COOLS_IN_S = 1500.0
"""A vessel whose heat is off loses its warmth so slowly."""


@dataclass(frozen=True, kw_only=True)
class Departures:
    """How one boil departs from the book.

    Args:
        level_k, slope: the real curve lies so much higher, and rises so much more steeply.
        drift_pa_per_h: of the air.
        stirring_k, stirring_s: what the boil's stirring adds to the probe, and how long it lasts.
        lag_s: of the probe.
        wander, wander_s: share by which the burner strays, and for how long.
    """

    level_k: float = 0.0
    slope: float = 0.0
    drift_pa_per_h: float = 0.0
    stirring_k: float = 0.06
    stirring_s: float = 15.0
    lag_s: float = 15.0
    wander: float = 0.05
    wander_s: float = 240.0

    @classmethod
    def drawn(cls, rng: random.Random, birch: bool = False, wood: bool = False) -> "Departures":
        """As kitchens differ."""
        level = rng.uniform(-0.15, 0.15) + (rng.gauss(0, 0.3) if birch else 0.0)
        return cls(
            level_k=level,
            slope=rng.uniform(-0.03, 0.03),
            drift_pa_per_h=rng.uniform(-150, 150),
            stirring_k=rng.uniform(0.03, 0.1),
            stirring_s=rng.uniform(5, 30),
            lag_s=rng.uniform(5, 40),
            wander=rng.uniform(0.06, 0.1) if wood else rng.uniform(0.03, 0.08),
            wander_s=rng.uniform(120, 420),
        )


@dataclass(kw_only=True)
class HarshPan:
    """A vessel over a fire.

    Args:
        mass_kg, brix, temperature_c: what is in it; `rate_kg_per_min` its boil-off.
        pressure_pa: of the air at first.
    """

    mass_kg: float
    brix: float
    temperature_c: float
    rate_kg_per_min: float
    pressure_pa: float
    departs: Departures
    rng: random.Random
    invert_fraction: float = 0.01
    on: bool = True
    probe_c: float = 20.0
    second: float = 0.0
    _strays: float = 0.0
    _stirs: float = 0.0
    _rises: list[float] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._rises = [self._rise(i * STEP_BRIX) for i in range(STEPS + 1)]
        self.probe_c = self.temperature_c

    def _rise(self, brix: float) -> float:
        """Above water, K: by one constant for sucrose, bent as this boil is."""
        moles = (
            brix * (1 - self.invert_fraction) / _SUCROSE_G,
            brix * self.invert_fraction / _HEXOSE_G,
        )
        solute = sum(moles)
        if solute == 0:
            return 0.0
        x = solute / (solute + (100 - brix) / _WATER_G)
        k = (4.83 * moles[0] + 1.6 * moles[1]) / solute
        activity = (1 - x) * exp(-k * x * x)
        book = water.boiling_point_c(self.pressure_pa / activity) - self.water_c
        share = min(brix / 30, 1.0)
        return book * (1 + self.departs.slope) + share * self.departs.level_k

    @property
    def water_c(self) -> float:
        """Where water boils in this air now, degC."""
        return water.boiling_point_c(self.pressure_pa)

    @property
    def boil_c(self) -> float:
        """Where what is in it boils now, degC."""
        place = min(self.brix / STEP_BRIX, STEPS - 1e-6)
        i = int(place)
        rise = self._rises[i] + (place - i) * (self._rises[i + 1] - self._rises[i])
        return self.water_c + rise

    @property
    def boils(self) -> bool:
        """Whether it boils off."""
        return self.on and self.temperature_c >= self.boil_c - 0.02

    def step(self, seconds: float = 1.0) -> None:
        """Let time pass, at most some seconds."""
        departs, solids = self.departs, self.mass_kg * self.brix / 100
        self.second += seconds
        self.pressure_pa += departs.drift_pa_per_h * seconds / 3600
        self._strays = self._walk(self._strays, departs.wander, departs.wander_s, seconds)
        self._stirs = self._walk(self._stirs, departs.stirring_k, departs.stirring_s, seconds)
        if self.on:
            rate = self.rate_kg_per_min * exp(self._strays - departs.wander**2 / 2)
            heat_kj = rate / 60 * seconds * LATENT_KJ_PER_KG
            capacity = SPECIFIC_HEAT * self.mass_kg
            warming = min(max(self.boil_c - self.temperature_c, 0.0) * capacity, heat_kj)
            self.temperature_c += warming / capacity
            self.mass_kg -= (heat_kj - warming) / LATENT_KJ_PER_KG
            self.mass_kg = max(self.mass_kg, solids / 0.96)
            self.brix = 100 * solids / self.mass_kg
            if heat_kj > warming:
                self.temperature_c = self.boil_c
        else:
            self.temperature_c += (20 - self.temperature_c) * (1 - exp(-seconds / COOLS_IN_S))
        stirred = self.temperature_c + (self._stirs if self.boils else 0.0)
        self.probe_c += (stirred - self.probe_c) * (1 - exp(-seconds / departs.lag_s))

    def _walk(self, now: float, size: float, lasts_s: float, seconds: float) -> float:
        kept = exp(-seconds / lasts_s)
        return now * kept + self.rng.gauss(0, size) * sqrt(1 - kept * kept)

    def add(self, mass_kg: float, brix: float, temperature_c: float) -> None:
        """Put something in."""
        whole = self.mass_kg + mass_kg
        solids = self.mass_kg * self.brix / 100 + mass_kg * brix / 100
        self.temperature_c = (self.mass_kg * self.temperature_c + mass_kg * temperature_c) / whole
        self.mass_kg, self.brix = whole, 100 * solids / whole

    def minutes_to(self, brix: float) -> float:
        """Until a density, as whoever knows the density, the burner's level and how it strays just now
        would say: how it will stray nobody knows."""
        water = self.mass_kg * (1 - self.brix / brix)
        minutes, lasts = water / self.rate_kg_per_min, self.departs.wander_s / 60
        for _ in range(20):
            strayed = self._strays * lasts * (1 - exp(-minutes / lasts))
            minutes = max(water / self.rate_kg_per_min - strayed, 0.0)
        return minutes

    def turn(self, factor: float) -> None:
        """Change the burner for good."""
        self.rate_kg_per_min *= factor

"""A candy pot as kitchens have them: it boils a little off the book, cools as thick syrup does, and turns
when it will."""

import random
from dataclasses import dataclass, field
from math import exp

from lumbrel.core.physics import sucrose
from lumbrel.worlds.bath import HarshBath
from lumbrel.worlds.pan import LATENT_KJ_PER_KG, HarshPan

HEAT_KJ_PER_KG_K = 2.6
SETS_ABOVE_INVERT = 4.0
STIRRED_K = 2.0
TURNS_MIN: dict[str, float] = {
    "cream": 11.0,
    "stirred-sugar": 4.0,
    "moulded-sugar-soft": 3.5,
    "moulded-sugar-firm": 2.6,
    "granulated-sugar": 6.5,
}


@dataclass(kw_only=True)
class HarshCandyPot(HarshPan):
    """A pot of candy, on the fire and off it.

    Args:
        bend_sigma: by so many of its sigmas the strong-syrup curve is off the book.
        invert_percent: of the syrup, as it truly is.
    """

    bend_sigma: float = 0.0
    invert_percent: float = 1.0
    where: str = "fire"
    hot_c: float = 0.0
    stands: HarshBath | None = None
    disturbed: bool = False
    stirs_since: float | None = None
    turns_after_s: float | None = None
    _noise: random.Random = field(default_factory=lambda: random.Random(5))

    def _rise(self, brix: float) -> float:
        if brix < 0.5:
            return 0.0
        held = min(brix, sucrose.MAX_BOIL_BRIX - 0.1)
        book = sucrose.boiling_point_c(held, self.pressure_pa, self.invert_fraction) - self.water_c
        bend = self.bend_sigma * sucrose.boiling_sigma_k(held) if held > 66 else 0.0
        share = min(brix / 30, 1.0)
        return book * (1 + self.departs.slope) + share * self.departs.level_k + bend

    def step(self, seconds: float = 1.0) -> None:
        """Let time pass, at most some seconds."""
        if self.where == "fire":
            self._boil(seconds)
        else:
            self._cool(seconds)
        stirred = self.temperature_c + (self._stirs if self.boils else 0.0)
        self.probe_c += (stirred - self.probe_c) * (1 - exp(-seconds / self.departs.lag_s))

    def _boil(self, seconds: float) -> None:
        departs, solids = self.departs, self.mass_kg * self.brix / 100
        self.second += seconds
        self.pressure_pa += departs.drift_pa_per_h * seconds / 3600
        self._strays = self._walk(self._strays, departs.wander, departs.wander_s, seconds)
        self._stirs = self._walk(self._stirs, departs.stirring_k, departs.stirring_s, seconds)
        heat_kj = self.rate_kg_per_min / 60 * seconds * LATENT_KJ_PER_KG * exp(self._strays)
        if self.temperature_c < self.boil_c - 0.02:
            self.temperature_c += heat_kj / (HEAT_KJ_PER_KG_K * self.mass_kg)
            self.temperature_c = min(self.temperature_c, self.boil_c)
            return
        # As it thickens it boils hotter, and takes up heat for that besides.
        before, brix, grams = self.boil_c, self.brix, 1e-3
        self.brix = 100 * solids / max(self.mass_kg - grams, solids / 0.978)
        warmer = max(self.boil_c - before, 0.0) / grams
        self.brix = brix
        driven = heat_kj / (LATENT_KJ_PER_KG + self.mass_kg * HEAT_KJ_PER_KG_K * warmer)
        self.mass_kg = max(self.mass_kg - driven, solids / 0.978)
        self.brix = 100 * solids / self.mass_kg
        self.temperature_c = self.boil_c

    def take_off(
        self, bath: str, *, running: bool = False, litres: float | None = None, bath_c: float | None = None
    ) -> None:
        """Off the fire, into a bath or on the bench; again: into another."""
        if self.stands is None:
            self.hot_c = self.temperature_c
            self.stands = HarshBath(
                rng=random.Random(self._noise.random()), kg=self.mass_kg, hot_c=self.hot_c
            )
        self.on = False
        self.where = bath
        self.stands.put(bath, running=running, litres=litres, bath_c=bath_c)

    def _cool(self, seconds: float) -> None:
        assert self.stands is not None
        self.stands.step(seconds)
        self.temperature_c = self.stands.core_c

    def disturb(self) -> None:
        """Somebody gives it a stir while it cools: it grains, and is colder at once."""
        assert self.stands is not None
        self.disturbed = True
        self.stands.disturb(STIRRED_K)

    def stir(self, piece: str) -> None:
        """Begin to stir: from here on it is known when it turns, but to nobody."""
        usual = TURNS_MIN.get(piece)
        if usual is None or self.invert_percent > SETS_ABOVE_INVERT:
            return
        slow = 1 + 0.6 * max(self.invert_percent - 1.5, 0.0)
        self.turns_after_s = 60 * usual * slow * exp(self._noise.gauss(0, 0.25))
        if self.disturbed:
            self.turns_after_s *= 0.7
